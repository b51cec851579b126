package api_test

import (
	"net/http"
	"strings"
	"testing"

	"northneedle/internal/api"
	"northneedle/internal/workshop"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Behind a proxy that encrypts, cookies only come back encrypted, tries are counted by who asked, and another name is
// not served.
func TestBehindAProxy(t *testing.T) {
	folder := t.TempDir()
	h := houseBy(t, folder, hallowmere(t, folder), api.Transport{BehindProxy: true, Hosts: []string{"needle.example"}})
	ask := func(verb, path, body string, headers map[string]string) *http.Response {
		request, err := http.NewRequest(verb, h.server.URL+path, strings.NewReader(body))
		require.NoError(t, err)
		for name, value := range map[string]string{"Content-Type": "application/json", "X-Forwarded-Proto": "https",
			"X-Forwarded-Host": "needle.example", "X-Forwarded-For": "203.0.113.7"} {
			request.Header.Set(name, value)
		}
		for name, value := range headers {
			request.Header.Set(name, value)
		}
		answer, err := http.DefaultClient.Do(request)
		require.NoError(t, err)
		answer.Body.Close()
		return answer
	}
	signIn := `{"name":"Idris Vail","password":"` + workshop.DemoPassword + `"}`
	in := ask("POST", "/api/session", signIn, nil)
	require.Equal(t, 200, in.StatusCode)
	assert.NotEmpty(t, in.Header.Get("Strict-Transport-Security"))
	require.NotEmpty(t, in.Cookies())
	for _, c := range in.Cookies() {
		assert.True(t, c.Secure && c.HttpOnly, c.Name)
	}
	assert.Equal(t, 421, ask("GET", "/api/session", "", map[string]string{"X-Forwarded-Host": "other.example"}).StatusCode)
	assert.Equal(t, 421, ask("GET", "/api/session", "", map[string]string{"X-Forwarded-Proto": "http"}).StatusCode)
	assert.Equal(t, 200, ask("GET", "/healthz", "", map[string]string{"X-Forwarded-Host": "127.0.0.1",
		"X-Forwarded-Proto": ""}).StatusCode)
	assert.Equal(t, 403, ask("POST", "/api/session", signIn,
		map[string]string{"Origin": "https://other.example"}).StatusCode, "from another page")
	assert.Equal(t, 200, ask("POST", "/api/session", signIn,
		map[string]string{"Origin": "https://needle.example"}).StatusCode, "from our own")

	// One who claims to be somebody else before the proxy is counted by what the proxy saw.
	wrong := `{"name":"Nobody Known","password":"a wrong password"}`
	for i := range 45 {
		name := strings.Replace(wrong, "Nobody", "Nobody"+strings.Repeat("x", i), 1)
		ask("POST", "/api/session", name, map[string]string{"X-Forwarded-For": strings.Repeat("1",
			i%3+1) + ".0.0.1, 198.51.100.9"})
	}
	assert.Equal(t, 429, ask("POST", "/api/session", wrong, map[string]string{"X-Forwarded-For": "198.51.100.9"}).StatusCode)
	assert.Equal(t, 401, ask("POST", "/api/session", wrong, nil).StatusCode, "another address is not in the way")
}
