package api_test

import (
	"bytes"
	"encoding/json"
	"flag"
	"fmt"
	"io"
	"math/rand/v2"
	"net/http"
	"net/http/cookiejar"
	"net/url"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"northneedle/internal/api"
	"northneedle/internal/workshop"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// guessed is how many hours strangers guess for, and mutated how many requests are sent that were changed on their way:
// few as a rule, the full number in "make attack".
var (
	guessed = flag.Int("guessed", 3, "how many hours TestStrangersGuess plays")
	mutated = flag.Duration("mutated", 0, "how long TestRequestsThatWereChangedOnTheirWay sends them; 0: 100 of them")
)

// stranger asks through the proxy from some address.
func (h *house) stranger(t *testing.T, c *http.Client, address, path string, body any) (int, []byte) {
	text, err := json.Marshal(body)
	require.NoError(t, err)
	request, err := http.NewRequest(http.MethodPost, h.server.URL+path, bytes.NewReader(text))
	require.NoError(t, err)
	request.Header.Set("Content-Type", "application/json")
	request.Header.Set("X-Forwarded-For", address)
	request.Header.Set("X-Forwarded-Proto", "https")
	answer, err := c.Do(request)
	require.NoError(t, err)
	defer answer.Body.Close()
	said, err := io.ReadAll(answer.Body)
	require.NoError(t, err)
	return answer.StatusCode, said
}

// Strangers guess a password all day: in every spelling of the name, from thousands of addresses, many at once. Few guesses are
// looked at, and whoever it is signs in from their own browser all the while.
func TestStrangersGuess(t *testing.T) {
	folder := t.TempDir()
	h := houseBy(t, folder, hallowmere(t, folder), api.Transport{BehindProxy: true})
	random := rand.New(rand.NewPCG(3, 11))
	jar, err := cookiejar.New(nil)
	require.NoError(t, err)
	own := &http.Client{Jar: &encryptedJar{jar}}
	signIn := func() int {
		status, _ := h.stranger(t, own, "10.1.1.1", "/api/session", order{"name": "Idris Vail",
			"password": workshop.DemoPassword})
		return status
	}
	require.Equal(t, 200, signIn())
	spelt := func() string {
		name := []rune("Idris Vail")
		for i := range name {
			switch random.IntN(6) {
			case 0:
				name[i] = []rune(strings.ToUpper(string(name[i])))[0]
			case 1:
				name[i] = []rune(strings.ToLower(string(name[i])))[0]
			case 2:
				if name[i] > ' ' && name[i] < 127 {
					name[i] += 0xFEE0 // full width
				}
			}
		}
		return strings.Repeat(" ", random.IntN(3)) + strings.Replace(string(name), " ", " \u200b"+strings.Repeat(" ",
			random.IntN(2)), 1)
	}
	looked, waited := 0, 0
	for range *guessed * 60 { // minutes
		type guess struct{ name, address string }
		guesses := make([]guess, 8)
		for i := range guesses {
			guesses[i] = guess{spelt(), fmt.Sprintf("10.%d.%d.%d", 2+random.IntN(200), random.IntN(250), random.IntN(250))}
		}
		var group sync.WaitGroup
		var mutex sync.Mutex
		for _, g := range guesses {
			group.Go(func() {
				status, said := h.stranger(t, &http.Client{}, g.address, "/api/session", order{"name": g.name,
					"password": "a guess"})
				mutex.Lock()
				defer mutex.Unlock()
				switch status {
				case 401:
					looked++
				case 429:
					waited++
				default:
					assert.Fail(t, "neither refused nor told to wait", "%d %s", status, said)
				}
			})
		}
		group.Wait()
		h.now = h.now.Add(time.Minute)
		if random.IntN(60) == 0 {
			assert.Equal(t, 200, signIn(), "from a browser of one's own")
		}
	}
	t.Logf("%d hours: %d guesses were looked at, %d had to wait", *guessed, looked, waited)
	assert.LessOrEqual(t, looked, 20+5**guessed, "five at once, and then one in a quarter of an hour")
	assert.Equal(t, 200, signIn())
	events, err := h.ledger.History(1000, "record/sign-ins")
	require.NoError(t, err)
	assert.LessOrEqual(t, len(events), 1+*guessed*4, "a stranger does not grow the record")
}

// encryptedJar hands out cookies that only come back encrypted, as a proxy's browser does.
type encryptedJar struct{ http.CookieJar }

func (j *encryptedJar) SetCookies(u *url.URL, cookies []*http.Cookie) {
	at := *u
	at.Scheme = "https"
	j.CookieJar.SetCookies(&at, cookies)
}

func (j *encryptedJar) Cookies(u *url.URL) []*http.Cookie {
	at := *u
	at.Scheme = "https"
	return j.CookieJar.Cookies(&at)
}

// exampleOf is a request of an operation as it is described.
func exampleOf(a anything, o operation, seed uint64) (e struct {
	path string
	body []byte
}) {
	made := rapid.Custom(func(r *rapid.T) [2]any {
		rapid.Bool().Draw(r, "any") // one that asks for nothing draws nothing
		if o.body == nil {
			return [2]any{a.address(r, o), nil}
		}
		return [2]any{a.address(r, o), a.value(r, o.body, 0)}
	}).Example(int(seed >> 2))
	e.path = made[0].(string)
	if made[1] != nil {
		e.body, _ = json.Marshal(made[1])
	}
	return e
}

// Requests whose bytes were changed on their way — a body cut off or doubled, a byte turned, another method, another
// media type, a header too many — are answered or refused in words: nothing fails, and what is answered as good is
// whole.
func TestRequestsThatWereChangedOnTheirWay(t *testing.T) {
	h := newHouse(t)
	clients := []*client{h.signedIn("Tamsin Orrery"), h.signedIn("Idris Vail"), h.signedIn("Bram Ostley"), h.client()}
	operations, schemas := described(t)
	a := anything{schemas: schemas, names: []string{"MB-0417", "MB-0462", "capnograph", "Merrowby General", "idris", "HG-22"}}
	random := rand.New(rand.NewPCG(uint64(*mutated), 5))
	turned := func(text []byte) []byte {
		text = slices.Clone(text)
		for range 1 + random.IntN(4) {
			if len(text) == 0 {
				return []byte("{")
			}
			at := random.IntN(len(text))
			switch random.IntN(5) {
			case 0:
				text[at] ^= 1 << random.IntN(8)
			case 1:
				text = text[:at]
			case 2:
				text = append(text, text[at:]...)
			case 3:
				text = slices.Insert(text, at, []byte(`{"":[1e999,null,"\ud800"]}`)...)
			case 4:
				text = slices.Delete(text, at, min(len(text), at+1+random.IntN(5)))
			}
		}
		return text
	}
	counts, sent := map[int]int{}, 0
	for end := time.Now().Add(*mutated); sent < 100 || time.Now().Before(end); sent++ {
		o := operations[random.IntN(len(operations))]
		example := exampleOf(a, o, random.Uint64())
		verb := o.verb
		if random.IntN(12) == 0 {
			verb = []string{"PUT", "PATCH", "DELETE", "HEAD", "OPTIONS", "POST", "GET"}[random.IntN(7)]
		}
		path := example.path
		if random.IntN(4) == 0 {
			path = "/api/" + strings.Map(func(r rune) rune {
				if r <= ' ' || r >= 127 {
					return '_'
				}
				return r
			}, string(turned([]byte(strings.TrimPrefix(path, "/api/")))))
		}
		body := example.body
		if random.IntN(5) > 0 {
			body = turned(body)
		}
		request, err := http.NewRequest(verb, h.server.URL+path, bytes.NewReader(body))
		if err != nil {
			continue // no client could send it
		}
		request.Header.Set("Content-Type", []string{"application/json", "application/json", "application/json",
			"text/plain", "",
			"application/json; charset=utf-16", "multipart/form-data"}[random.IntN(7)])
		if random.IntN(9) == 0 {
			request.Header.Set([]string{"Accept", "Authorization", "Cookie", "Origin", "Range", "If-Match",
				"X-Passphrase"}[random.IntN(7)],
				fmt.Sprintf("%q", turned([]byte("Bearer needle=bytes=0-5"))))
		}
		c := clients[random.IntN(len(clients))]
		answer, err := c.http.Do(request)
		if err != nil {
			require.NotContains(t, err.Error(), "EOF", "the server hung up: %s %s %q", verb, path, body)
			continue
		}
		text, err := io.ReadAll(answer.Body)
		answer.Body.Close()
		require.NoError(t, err)
		counts[answer.StatusCode]++
		require.Less(t, answer.StatusCode, 500, "%s %s %q: %s", verb, path, body, text)
		if strings.Contains(answer.Header.Get("Content-Type"), "json") && len(text) > 0 && verb != "HEAD" {
			require.True(t, json.Valid(text), "%s %s: %s", verb, path, text)
		}
		if answer.StatusCode < 300 {
			require.NotContains(t, answer.Header.Get("Content-Type"), "problem", "%s %s: %s", verb, path, text)
		}
	}
	t.Logf("%d requests: %v", sent, counts)
	_, err := h.ledger.Verify()
	require.NoError(t, err)
	h.agrees(t)
}
