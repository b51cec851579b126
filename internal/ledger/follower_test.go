package ledger_test

import (
	"database/sql"
	"fmt"
	"os"
	"path/filepath"
	"testing"

	"northneedle/internal/ledger"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A replication engine that reads the record from beside keeps its place in the write-ahead log: the program neither truncates nor
// removes the log under it, whatever it writes meanwhile. A copy of the file with its log, taken at any moment, opens as the record
// was at that moment.
func TestAFollowerKeepsItsPlace(t *testing.T) {
	folder := t.TempDir()
	l, err := ledger.Open(folder)
	require.NoError(t, err)
	write := func(n int) {
		for i := range n {
			id := fmt.Sprint("d", n, "-", i)
			require.NoError(t, l.Record(ledger.Act{Kind: "device entered", By: idris, At: now}, &ledger.Asset{ID: id, Tag: id}))
		}
	}
	write(20)
	file := filepath.Join(folder, ledger.File)
	db, err := sql.Open("sqlite", file)
	require.NoError(t, err)
	defer db.Close()
	reading, err := db.Begin()
	require.NoError(t, err)
	var before int
	require.NoError(t, reading.QueryRow("SELECT COUNT(*) FROM events").Scan(&before))
	log := func() (salt string, frames int64) {
		content, err := os.ReadFile(file + "-wal")
		require.NoError(t, err)
		require.Greater(t, len(content), 32)
		return string(content[16:24]), int64(len(content))
	}
	salt, frames := log()

	// More pages than the engine's own threshold, and everything the program does with the whole file.
	write(400)
	require.NoError(t, l.Backup(filepath.Join(t.TempDir(), "copy.db")))
	_, err = l.Verify()
	require.NoError(t, err)
	_, err = l.Differences()
	require.NoError(t, err)
	after, grown := log()
	assert.Equal(t, salt, after, "the log goes on where the follower is")
	assert.Greater(t, grown, frames)

	copied := t.TempDir()
	for _, name := range []string{ledger.File, ledger.File + "-wal"} {
		content, err := os.ReadFile(filepath.Join(folder, name))
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(filepath.Join(copied, name), content, 0o600))
	}
	at, head, err := l.Tip()
	require.NoError(t, err)
	require.NoError(t, l.Close())
	stayed, _ := log()
	assert.Equal(t, salt, stayed, "nor does the end of the program take it away")
	require.NoError(t, reading.Rollback())
	restored, err := ledger.Open(copied)
	require.NoError(t, err)
	defer restored.Close()
	n, err := restored.Verify()
	require.NoError(t, err)
	assert.EqualValues(t, at, n)
	there, same, err := restored.Tip()
	require.NoError(t, err)
	assert.Equal(t, at, there)
	assert.Equal(t, head, same)
}
