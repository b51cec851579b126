package e2e_test

import (
	"database/sql"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"northneedle/core/person"
	"northneedle/internal/ledger"
	"northneedle/internal/people"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// told runs the product with a command, and gives what it says and whether it did it.
func told(t *testing.T, input string, args ...string) (string, bool) {
	t.Helper()
	command := exec.Command(binary, args...)
	command.Stdin = strings.NewReader(input)
	out, err := command.CombinedOutput()
	if err != nil {
		require.IsType(t, &exec.ExitError{}, err)
		require.NotContains(t, string(out), "goroutine", "it refuses; it does not fall over")
	}
	return string(out), err == nil
}

// begun is a record with a technician and a capnograph.
func begun(t *testing.T, data string) {
	t.Helper()
	l, err := ledger.Open(data)
	require.NoError(t, err)
	defer l.Close()
	require.NoError(t, people.Add(l, ledger.Act{Kind: "person added", By: ledger.Nobody, At: time.Now()}, "Idris Vail",
		person.Technician, "a long password"))
	require.NoError(t, l.Save(&ledger.Asset{ID: "d1", Tag: "MB-0417", Family: "capnograph", Status: ledger.InUse}))
}

func TestWhoSignsInIsRegisteredFromTheCommandLine(t *testing.T) {
	t.Parallel()
	data := filepath.Join(t.TempDir(), "new")
	add := []string{"people", "add", "--data", data, "--name", "Noor Bexley", "--role", "lead"}
	out, ok := told(t, "short\n", add...)
	assert.False(t, ok)
	assert.Contains(t, out, "at least 12 characters")
	_, ok = told(t, "", add...)
	assert.False(t, ok, "without a password")
	out, ok = told(t, "a long password\r\n", add...)
	require.True(t, ok, out)
	out, ok = told(t, "a long password\n", append(add[:len(add)-1], "chief")...)
	assert.False(t, ok)
	assert.Contains(t, out, "trainee")

	s := launch(t, data, "serve")
	response, err := http.Post(s.base+"/api/session", "application/json",
		strings.NewReader(`{"name":"noor bexley","password":"a long password"}`))
	require.NoError(t, err)
	response.Body.Close()
	assert.Equal(t, 200, response.StatusCode)
	require.NoError(t, s.command.Process.Signal(syscall.SIGTERM))
	select {
	case <-s.exited:
		assert.Equal(t, 0, s.command.ProcessState.ExitCode(), s.out.String())
	case <-time.After(20 * time.Second):
		t.Error("it does not stop when it is told to")
	}
}

func TestTheRecordIsCopiedCheckedAndPutBackFromTheCommandLine(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	data, copied := filepath.Join(folder, "data"), filepath.Join(folder, "copy.db")
	begun(t, data)
	s := launch(t, data, "serve")
	out, ok := told(t, "", "backup", "--data", data, copied)
	require.True(t, ok, "while it is in use: %s", out)
	out, ok = told(t, "", "backup", "--data", data, copied)
	assert.False(t, ok)
	assert.Contains(t, out, "exists already")
	out, ok = told(t, "", "restore", "--data", data, copied)
	assert.False(t, ok, "nothing is taken from under the server")
	assert.Contains(t, out, "stop it first")
	s.kill()

	out, ok = told(t, "", "restore", "--data", data, copied)
	require.True(t, ok, "%s; a killed server leaves nothing that stands in the way", out)
	assert.Contains(t, out, "What was there is kept as")
	elsewhere := filepath.Join(folder, "elsewhere")
	_, ok = told(t, "", "restore", "--data", elsewhere, copied)
	require.True(t, ok)
	for _, kept := range []string{data, elsewhere} {
		out, ok = told(t, "", "verify", "--rebuild", "--data", kept)
		require.True(t, ok, out)
		assert.Contains(t, out, "The record holds")
		l, err := ledger.OpenKept(kept)
		require.NoError(t, err)
		_, err = l.Asset("MB-0417")
		assert.NoError(t, err)
		require.NoError(t, l.Close())
	}
}

func TestAMistypedFolderIsNoRecord(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	nowhere, copied := filepath.Join(folder, "nowhere"), filepath.Join(folder, "copy.db")
	for _, args := range [][]string{{"verify", "--data", nowhere}, {"backup", "--data", nowhere, copied}} {
		out, ok := told(t, "", args...)
		assert.False(t, ok, args[0])
		assert.Contains(t, out, "there is no record in "+nowhere)
	}
	assert.NoDirExists(t, nowhere)
	assert.NoFileExists(t, copied)
	torn := filepath.Join(folder, "torn.db")
	require.NoError(t, os.WriteFile(torn, []byte("SQLite format 3\x00 and then nothing"), 0o600))
	_, ok := told(t, "", "restore", "--data", nowhere, torn)
	assert.False(t, ok)
	assert.NoFileExists(t, filepath.Join(nowhere, ledger.File), "what is no backup is not put anywhere")
}

func TestARecordThatWasChangedByHandIsNamed(t *testing.T) {
	t.Parallel()
	data := t.TempDir()
	begun(t, data)
	s := launch(t, data, "serve")
	c := &browserless{base: s.base}
	c.signIn(t, "Idris Vail", "a long password")
	v, err := c.post("/api/runs", map[string]any{"id": "opening-0001", "asset": "MB-0417"})
	require.NoError(t, err)
	_, err = c.post("/api/runs/"+v.ID+"/commands", map[string]any{
		"id":     "note-00001",
		"expect": v.Seq,
		"kind":   "note",
		"note":   "lid is cracked",
	})
	require.NoError(t, err)
	s.kill()
	out, ok := told(t, "", "verify", "--data", data)
	require.True(t, ok, out)

	db, err := sql.Open("sqlite", filepath.Join(data, ledger.File))
	require.NoError(t, err)
	_, err = db.Exec(`UPDATE events SET data = replace(data, 'cracked', 'sound') WHERE kind = 'NoteAdded'`)
	require.NoError(t, err)
	require.NoError(t, db.Close())
	out, ok = told(t, "", "verify", "--data", data)
	assert.False(t, ok)
	assert.Contains(t, out, v.ID, "the run is named")
	copied := filepath.Join(t.TempDir(), "copy.db")
	_, ok = told(t, "", "backup", "--data", data, copied)
	require.True(t, ok, "a copy can be made of it, to look into")
	elsewhere := t.TempDir()
	out, ok = told(t, "", "restore", "--data", elsewhere, copied)
	assert.False(t, ok)
	assert.Contains(t, out, "does not hold; nothing was changed")
	assert.NoFileExists(t, filepath.Join(elsewhere, ledger.File))
}

func TestProcedureFilesAreChecked(t *testing.T) {
	t.Parallel()
	shipped, err := filepath.Glob("../families/*/*.yaml")
	require.NoError(t, err)
	var files []string
	for _, file := range shipped {
		if text, err := os.ReadFile(file); err == nil && strings.Contains(string(text), "\nsteps:") {
			files = append(files, file)
		}
	}
	require.NotEmpty(t, files)
	out, ok := told(t, "", append([]string{"check"}, files...)...)
	require.True(t, ok, out)
	assert.Equal(t, len(files), strings.Count(out, "is in order"))
	bad := filepath.Join(t.TempDir(), "own.yaml")
	require.NoError(t, os.WriteFile(bad, []byte("id: own\nrevision: one\n"), 0o600))
	out, ok = told(t, "", "check", files[0], bad)
	assert.False(t, ok)
	assert.Contains(t, out, "is in order")
	assert.Contains(t, out, "own.yaml:2")

	out, ok = told(t, "", "openapi")
	require.True(t, ok)
	described, err := os.ReadFile("../docs/openapi.json")
	require.NoError(t, err)
	assert.Equal(t, string(described), out, "the description that is kept is the one that is served")
}
