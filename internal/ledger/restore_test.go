package ledger_test

import (
	"os"
	"path/filepath"
	"testing"
	"time"

	"northneedle/internal/ledger"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestABackupIsPutBackAfterItWasChecked(t *testing.T) {
	at := time.Date(2026, 3, 2, 9, 0, 0, 0, time.UTC)
	folder, copies := t.TempDir(), t.TempDir()
	l, err := ledger.Open(folder)
	require.NoError(t, err)
	require.NoError(t, l.Save(&ledger.Asset{ID: "a", Tag: "MB-1", Status: ledger.InUse}))
	backup := filepath.Join(copies, "copy.db")
	require.NoError(t, l.Backup(backup), "while it is in use")
	assert.Error(t, l.Backup(backup), "a backup overwrites nothing")
	require.NoError(t, l.Save(&ledger.Asset{ID: "b", Tag: "MB-2", Status: ledger.InUse}))
	_, _, err = ledger.Restore(folder, backup, at)
	assert.ErrorIs(t, err, ledger.ErrInUse, "nothing is taken from under a program")
	_, err = l.Asset("MB-2")
	assert.NoError(t, err)
	require.NoError(t, l.Close())

	aside, kept, err := ledger.Restore(folder, backup, at)
	require.NoError(t, err)
	assert.Equal(t, 1, kept.Events)
	assert.EqualValues(t, 1, kept.Devices)
	assert.FileExists(t, aside, "what was there is kept")
	l, err = ledger.Open(folder)
	require.NoError(t, err)
	_, err = l.Asset("MB-1")
	assert.NoError(t, err)
	_, err = l.Asset("MB-2")
	assert.ErrorIs(t, err, ledger.ErrNotFound)
	require.NoError(t, l.Close())

	wreck := filepath.Join(copies, "wreck.db")
	require.NoError(t, os.WriteFile(wreck, []byte("this is no ledger"), 0o600))
	_, _, err = ledger.Restore(folder, wreck, at)
	assert.ErrorContains(t, err, "no backup of a ledger")
	l, err = ledger.Open(folder)
	require.NoError(t, err)
	_, err = l.Asset("MB-1")
	assert.NoError(t, err, "nothing was changed")
	require.NoError(t, l.Close())

	fresh := filepath.Join(t.TempDir(), "new")
	aside, _, err = ledger.Restore(fresh, backup, at)
	require.NoError(t, err)
	assert.Empty(t, aside)
	left, err := filepath.Glob(filepath.Join(folder, "*.new"))
	require.NoError(t, err)
	assert.Empty(t, left)

	_, err = ledger.OpenKept(filepath.Join(fresh, "mistyped"))
	assert.ErrorIs(t, err, ledger.ErrNone)
	assert.NoDirExists(t, filepath.Join(fresh, "mistyped"), "and none is made")
}
