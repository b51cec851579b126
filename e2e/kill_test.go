package e2e_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"net/http"
	"net/http/cookiejar"
	"os"
	"os/exec"
	"path/filepath"
	"testing"
	"time"

	"northneedle/core/runview"
	"northneedle/internal/ledger"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// browserless is a signed-in client without a page.
type browserless struct {
	http http.Client
	base string
}

func (c *browserless) signIn(t *testing.T, name, password string) {
	t.Helper()
	jar, err := cookiejar.New(nil)
	require.NoError(t, err)
	c.http = http.Client{Jar: jar, Timeout: 10 * time.Second}
	text, err := json.Marshal(map[string]string{"name": name, "password": password})
	require.NoError(t, err)
	response, err := c.http.Post(c.base+"/api/session", "application/json", bytes.NewReader(text))
	require.NoError(t, err)
	response.Body.Close()
	require.Equal(t, 200, response.StatusCode)
}

func (c *browserless) post(path string, body any) (runview.View, error) {
	var v runview.View
	text, err := json.Marshal(body)
	if err != nil {
		return v, err
	}
	response, err := c.http.Post(c.base+path, "application/json", bytes.NewReader(text))
	if err != nil {
		return v, err
	}
	defer response.Body.Close()
	if response.StatusCode != 200 {
		return v, fmt.Errorf("%s: %s", path, response.Status)
	}
	return v, json.NewDecoder(response.Body).Decode(&v)
}

// fewest is how many commands a server acknowledges before it is killed for the first time.
const fewest = 2

// TestKilledAgainAndAgain kills the server in the middle of a stream of commands,
// many times; what it had acknowledged must be there each time.
func TestKilledAgainAndAgain(t *testing.T) {
	t.Parallel()
	data := t.TempDir()
	begun(t, data)
	c := &browserless{}
	run, acknowledged := "", []string{}
	for round := range 12 {
		s := launch(t, data, "serve")
		c.base = s.base
		if round == 0 {
			c.signIn(t, "Idris Vail", "a long password")
			v, err := c.post("/api/runs", map[string]any{"id": "opening-0001", "asset": "MB-0417"})
			require.NoError(t, err)
			run = v.ID
		} else {
			copyCookies(t, c.http.Jar, s.base)
		}
		acknowledged = append(acknowledged, noteUntilKilled(t, c, s, run, round)...)
	}
	followed := copiedWithItsLog(t, data) // as a replication engine leaves it, whose program was killed too
	require.GreaterOrEqual(t, len(acknowledged), 12*fewest, "commands were acknowledged between the kills")

	l, err := ledger.Open(data)
	require.NoError(t, err)
	n, err := l.Verify()
	require.NoError(t, err)
	state, err := l.Run(run)
	require.NoError(t, err)
	rows, err := l.Rows(run)
	require.NoError(t, err)
	require.NoError(t, l.Close())
	noted := map[string]bool{}
	for _, note := range state.Notes {
		assert.False(t, noted[note.Text], "%s is recorded once", note.Text)
		noted[note.Text] = true
	}
	for _, text := range acknowledged {
		assert.True(t, noted[text], "%s was acknowledged and must be there", text)
	}
	assert.Equal(t, state.Seq, len(rows))
	for _, folder := range []string{data, followed} {
		out, err := exec.Command(binary, "verify", "--data", folder).CombinedOutput()
		require.NoError(t, err, string(out))
		assert.Contains(t, string(out), fmt.Sprintf("%d events checked", n))
	}
}

// copiedWithItsLog is a folder with the record's file and its write-ahead log, as the killed program left them.
func copiedWithItsLog(t *testing.T, data string) string {
	t.Helper()
	folder := t.TempDir()
	for _, name := range []string{ledger.File, ledger.File + "-wal"} {
		content, err := os.ReadFile(filepath.Join(data, name))
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(filepath.Join(folder, name), content, 0o600))
	}
	return folder
}

// copyCookies carries the session over to the port the server has now.
func copyCookies(t *testing.T, jar http.CookieJar, base string) {
	request, err := http.NewRequest("GET", base, nil)
	require.NoError(t, err)
	jar.SetCookies(request.URL, jar.Cookies(request.URL)) // cookies do not know ports
}

// noteUntilKilled adds notes as fast as it can, retries what was not answered last
// time with its old id, and kills the server in the middle of it.
func noteUntilKilled(t *testing.T, c *browserless, s *server, run string, round int) (acknowledged []string) {
	response, err := c.http.Get(s.base + "/api/runs/" + run)
	require.NoError(t, err)
	defer response.Body.Close()
	require.Equal(t, 200, response.StatusCode, "the session outlives the server")
	var v runview.View
	require.NoError(t, json.NewDecoder(response.Body).Decode(&v))
	for i := 0; ; i++ {
		text := fmt.Sprintf("note %d of round %d", i, round)
		next, err := c.post("/api/runs/"+run+"/commands", map[string]any{
			"id":     fmt.Sprintf("note-%02d-%04d", round, i),
			"expect": v.Seq,
			"kind":   "note",
			"note":   text,
		})
		if err != nil {
			<-s.exited
			return acknowledged
		}
		v = next
		if acknowledged = append(acknowledged, text); len(acknowledged) == fewest+round {
			go s.kill() // beside what is sent next
		}
	}
}
