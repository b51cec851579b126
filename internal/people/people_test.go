package people_test

import (
	"context"
	"crypto/sha256"
	"encoding/base64"
	"net/http"
	"net/http/cookiejar"
	"net/http/httptest"
	"net/url"
	"testing"
	"time"

	"northneedle/core/person"
	"northneedle/internal/ledger"
	"northneedle/internal/people"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// entered is how people are registered.
var entered = ledger.Act{Kind: "person added", By: ledger.Nobody, At: time.Now()}

// desk serves a sign-in desk on a real ledger: /in?password=…, /out and /who.
func desk(t *testing.T) (*ledger.Ledger, *httptest.Server, *time.Time) {
	t.Helper()
	l, err := ledger.Open(t.TempDir())
	require.NoError(t, err)
	require.NoError(t, people.Add(l, entered, "Idris Vail", person.Technician, "a long password"))
	now := time.Now()
	d := people.NewAuthenticator(l, func() time.Time { return now })
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
	t.Cleanup(func() { server.Close(); l.Close() })
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
	kept := sha256.Sum256([]byte(jar.Cookies(address)[0].Value)) // as the store knows it
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

func TestGuessingIsSlowedDown(t *testing.T) {
	_, server, now := desk(t)
	c := &http.Client{}
	for range 8 {
		_, words := ask(t, c, server.URL+"/in?name=Idris+Vail&password=guess")
		assert.Contains(t, words, "do not go together")
	}
	_, words := ask(t, c, server.URL+"/in?name=Idris+Vail&password=a+long+password")
	assert.Contains(t, words, "too many wrong passwords")
	status, _ := ask(t, c, server.URL+"/in?name=Nobody&password=x")
	assert.Equal(t, 401, status, "another name does not wait")
	*now = now.Add(2 * time.Minute)
	status, _ = ask(t, c, server.URL+"/in?name=Idris+Vail&password=a+long+password")
	assert.Equal(t, 200, status)
}

func TestRefusedSignInsAreOneEvent(t *testing.T) {
	l, err := ledger.Open(t.TempDir())
	require.NoError(t, err)
	defer l.Close()
	require.NoError(t, people.Add(l, entered, "Idris Vail", person.Technician, "a long password"))
	d := people.NewAuthenticator(l, time.Now)
	for range 11 {
		_, err := d.SignIn(t.Context(), "idris vail", "guessed")
		require.Error(t, err)
	}
	_, err = d.SignIn(t.Context(), "a long password", "")
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
	assert.ErrorContains(t, people.Add(l, entered, "Noor Bexley", person.Lead, "short"), "8 characters")
}
