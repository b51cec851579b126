package people_test

import (
	"context"
	"crypto/sha256"
	"encoding/base64"
	"fmt"
	"net/http"
	"net/http/cookiejar"
	"net/http/httptest"
	"net/url"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"northneedle/core/person"
	"northneedle/internal/ledger"
	"northneedle/internal/people"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// entered is how people are registered.
var entered = ledger.Act{Kind: "person added", By: ledger.Nobody, At: time.Now()}

// withIdris is a ledger in which Idris Vail is registered with "a long password".
func withIdris(t *testing.T, clock func() time.Time) (*ledger.Ledger, *people.Authenticator) {
	t.Helper()
	l, err := ledger.Open(t.TempDir())
	require.NoError(t, err)
	t.Cleanup(func() { l.Close() })
	require.NoError(t, people.Add(l, entered, "Idris Vail", person.Technician, "a long password"))
	return l, people.NewAuthenticator(l, clock, false)
}

// desk serves a sign-in desk on a real ledger: /in?password=…, /out and /who.
func desk(t *testing.T) (*ledger.Ledger, *httptest.Server, *time.Time) {
	t.Helper()
	now := time.Now()
	l, d := withIdris(t, func() time.Time { return now })
	mux := http.NewServeMux()
	mux.HandleFunc("/in", func(w http.ResponseWriter, r *http.Request) {
		if _, err := d.SignIn(r.Context(), r.URL.Query().Get("name"), r.URL.Query().Get("password")); err != nil {
			http.Error(w, err.Error(), http.StatusUnauthorized)
		}
	})
	mux.HandleFunc("/out", func(w http.ResponseWriter, r *http.Request) { assert.NoError(t, d.SignOut(r.Context())) })
	mux.HandleFunc("/who", func(w http.ResponseWriter, r *http.Request) {
		if who, ok := d.Who(r.Context()); ok {
			w.Write([]byte(who.Name))
		}
	})
	server := httptest.NewServer(d.Middleware(mux))
	t.Cleanup(server.Close)
	return l, server, &now
}

func ask(t *testing.T, c *http.Client, url string) (int, string) {
	t.Helper()
	request, err := http.NewRequestWithContext(context.Background(), "GET", url, nil)
	require.NoError(t, err)
	response, err := c.Do(request)
	require.NoError(t, err)
	defer response.Body.Close()
	text := make([]byte, 200)
	n, _ := response.Body.Read(text)
	return response.StatusCode, string(text[:n])
}

func TestSigningInAndOut(t *testing.T) {
	l, server, _ := desk(t)
	jar, err := cookiejar.New(nil)
	require.NoError(t, err)
	c := &http.Client{Jar: jar}
	status, _ := ask(t, c, server.URL+"/in?name=Idris+Vail&password=wrong")
	assert.Equal(t, 401, status)
	_, who := ask(t, c, server.URL+"/who")
	assert.Empty(t, who)
	status, _ = ask(t, c, server.URL+"/in?name=idris+vail&password=a+long+password")
	assert.Equal(t, 200, status, "names are not case-sensitive")
	_, who = ask(t, c, server.URL+"/who")
	assert.Equal(t, "Idris Vail", who)

	everyone, err := l.People()
	require.NoError(t, err)
	assert.NotContains(t, everyone[0].PasswordHash, "a long password")
	assert.Contains(t, everyone[0].PasswordHash, "argon2id")
	everyone[0].Active = false
	require.NoError(t, l.Save(&everyone[0]))
	_, who = ask(t, c, server.URL+"/who")
	assert.Empty(t, who, "someone who left is signed out at once")
	everyone[0].Active = true
	require.NoError(t, l.Save(&everyone[0]))
	ask(t, c, server.URL+"/out")
	_, who = ask(t, c, server.URL+"/who")
	assert.Empty(t, who)
}

// A session that is not written as sessions are is nobody's; its browser signs in again.
func TestASessionInAnUnknownEncodingIsEmpty(t *testing.T) {
	l, server, _ := desk(t)
	jar, err := cookiejar.New(nil)
	require.NoError(t, err)
	c := &http.Client{Jar: jar}
	in := func() string {
		ask(t, c, server.URL+"/in?name=Idris+Vail&password=a+long+password")
		_, who := ask(t, c, server.URL+"/who")
		return who
	}
	require.Equal(t, "Idris Vail", in())
	address, err := url.Parse(server.URL)
	require.NoError(t, err)
	cookies := jar.Cookies(address)
	at := slices.IndexFunc(cookies, func(c *http.Cookie) bool { return c.Name == people.CookieName })
	kept := sha256.Sum256([]byte(cookies[at].Value)) // as the store knows it
	token := base64.RawURLEncoding.EncodeToString(kept[:])
	_, found, err := l.Sessions().Find(token)
	require.NoError(t, err)
	require.True(t, found)
	for _, data := range []string{"\x0e\xff\x81 another form", "{}", "[]", ""} {
		require.NoError(t, l.Sessions().Commit(token, []byte(data), time.Now().Add(time.Hour)))
		status, who := ask(t, c, server.URL+"/who")
		assert.Equal(t, 200, status, "%q", data)
		assert.Empty(t, who, "%q", data)
	}
	assert.Equal(t, "Idris Vail", in())
}

// Guessing is slowed down however the name is spelt, and from wherever; whoever signs in from a browser of their own is
// not kept waiting by it.
func TestGuessingIsSlowedDown(t *testing.T) {
	_, server, now := desk(t)
	try := func(c *http.Client, name, password string) string {
		_, words := ask(t, c, server.URL+"/in?name="+url.QueryEscape(name)+"&password="+url.QueryEscape(password))
		return words
	}
	jar, err := cookiejar.New(nil)
	require.NoError(t, err)
	own, stranger := &http.Client{Jar: jar}, &http.Client{}
	require.Empty(t, try(own, "Idris Vail", "a long password"))
	spellings := []string{"Idris Vail", "idris vail", "IDRIS  VAIL", "Idris\u200b Vail", "Ｉdris Vail", " Idris\u00a0Vail "}
	waited := time.Duration(0)
	tried := 0
	for begun := *now; now.Sub(begun) < 30*time.Minute; {
		words := try(stranger, spellings[tried%len(spellings)], "guess")
		if strings.Contains(words, "do not go together") {
			tried++
			continue
		}
		require.Contains(t, words, "too many wrong passwords")
		*now = now.Add(time.Second)
		waited += time.Second
	}
	assert.Less(t, tried, 18, "in half an hour, by all spellings together")
	assert.Contains(t, try(stranger, "Idris Vail", "a long password"), "too many wrong passwords")
	assert.Empty(t, try(own, "Idris Vail", "a long password"), "from a browser of one's own")
	for range 5 {
		assert.Contains(t, try(own, "Idris Vail", "guess"), "do not go together")
	}
	assert.Contains(t, try(own, "Idris Vail", "guess"), "too many wrong passwords", "which is counted too")

	*now = now.Add(2 * time.Hour)
	assert.Empty(t, try(stranger, "Idris Vail", "a long password"))
	refused := 0
	for n := range 60 {
		if strings.Contains(try(stranger, fmt.Sprint("nobody ", n), "guess"), "too many") {
			refused++
		}
	}
	assert.Greater(t, refused, 15, "one address is counted, whoever it tries to be")
}

// Many tries at once count as many, and few of them are hashed at a time.
func TestManyTriesAtOnceAreCounted(t *testing.T) {
	_, server, _ := desk(t)
	var group sync.WaitGroup
	var looked atomic.Int32
	for range 40 {
		group.Go(func() {
			if _, words := ask(t, &http.Client{},
				server.URL+"/in?name=Idris+Vail&password=guess"); strings.Contains(words, "do not go together") {
				looked.Add(1)
			}
		})
	}
	group.Wait()
	assert.Equal(t, int32(5), looked.Load())
}

// An unknown name takes as long as a known one, so that nobody is told who works here; whoever must wait costs nothing.
func TestEveryTryCostsOneHash(t *testing.T) {
	_, d := withIdris(t, time.Now)
	for n, name := range []string{"Idris Vail", "nobody", "Nobody", "IDRIS VAIL"} {
		_, err := d.SignIn(t.Context(), name, "guess")
		require.ErrorIs(t, err, people.ErrRefused)
		assert.Equal(t, int64(n+1), d.Hashed(), name)
	}
	for range 10 {
		d.SignIn(t.Context(), "nobody", "guess")
	}
	assert.Equal(t, int64(7), d.Hashed(), "five of a name are looked at")
}

func TestPasswords(t *testing.T) {
	for _, weak := range []string{"12345678", "            ", "short one", "passwordpassword", "123456789012",
		"Idris Vail 2026", "north-needle", "qwertyuiop[]"} {
		assert.Error(t, people.CheckPassword(weak, "Idris Vail"), weak)
	}
	for _, good := range []string{"moss lantern harbour", "Dreizehn Möwen am Kai", strings.Repeat("heron gate ", 15)} {
		assert.NoError(t, people.CheckPassword(good, "Idris Vail"), good)
	}
	assert.Error(t, people.CheckPassword(strings.Repeat("heron gate ", 40), "Idris Vail"), "longer than any hash needs")
	for one, other := range map[string]string{"Idris Vail": "Іdris Vаil", "Marn Caim": "Mam Cairn",
		"Odile Marsh": "0dile Marsh"} {
		assert.True(t, people.LooksLike(one, other), other)
		assert.NotEqual(t, people.NameKey(one), people.NameKey(other), "it may be somebody else")
	}
	assert.False(t, people.LooksLike("Idris Vail", "IDRIS  Vail"), "that is one name")
	rapid.Check(t, func(t *rapid.T) {
		name := rapid.StringOfN(rapid.SampledFrom([]rune("abzÄöß’- éÉñœŒИй王ﬁＩ")), 1, 20, -1).Draw(t, "name")
		key := people.NameKey(name)
		assert.Equal(t, key, people.NameKey(strings.ToUpper(key)), "case")
		assert.Equal(t, key, people.NameKey("  "+name+"\u200b "), "what cannot be seen")
		assert.Equal(t, key, people.NameKey(key), "once is enough")
	})
}

func TestRefusedSignInsAreOneEvent(t *testing.T) {
	l, d := withIdris(t, time.Now)
	for range 11 {
		_, err := d.SignIn(t.Context(), "idris vail", "guessed")
		require.Error(t, err)
	}
	_, err := d.SignIn(t.Context(), "a long password", "")
	require.ErrorIs(t, err, people.ErrRefused)
	require.NoError(t, d.Close())
	require.NoError(t, d.RecordRefusals(), "nothing is left to record")
	told, err := l.History(9, "record/sign-ins")
	require.NoError(t, err)
	require.Len(t, told, 1)
	assert.Equal(t, "12 refused. a name that is not registered: 1; Idris Vail: 11.", told[0].Why)
}

func TestWhoCannotBeRegistered(t *testing.T) {
	l, _, _ := desk(t)
	assert.ErrorContains(t, people.Add(l, entered, "Noor Bexley", "chief", "a long password"), "role")
	assert.ErrorContains(t, people.Add(l, entered, " ", person.Lead, "a long password"), "name")
	assert.ErrorContains(t, people.Add(l, entered, "Noor Bexley", person.Lead, "short"), "12 characters")
}
