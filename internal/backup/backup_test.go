package backup_test

import (
	"archive/tar"
	"bytes"
	"os"
	"path/filepath"
	"testing"
	"time"

	"northneedle/core/person"
	"northneedle/internal/backup"
	"northneedle/internal/ledger"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

var now = time.Date(2026, 3, 2, 9, 0, 0, 0, time.Local)

// kept is a small record with a text of its own beside it.
func kept(t *testing.T) (*ledger.Ledger, string) {
	t.Helper()
	data := t.TempDir()
	l, err := ledger.Open(data)
	require.NoError(t, err)
	t.Cleanup(func() { l.Close() })
	require.NoError(t, l.Record(ledger.Act{Kind: "device entered", By: person.Person{ID: "idris"}, At: now},
		&ledger.Asset{ID: "d", Tag: "MB-1"}))
	require.NoError(t, os.MkdirAll(filepath.Join(data, "procedures"), 0o700))
	require.NoError(t, os.WriteFile(filepath.Join(data, "procedures", "own.yaml"), []byte("id: own\n"), 0o600))
	return l, data
}

// What is packed comes out again, encrypted or not, and nothing else does: a wrong passphrase, a changed byte, a cut
// end, a name that leads out of the folder are refused.
func TestABackupHoldsEverythingAndComesOutAgain(t *testing.T) {
	l, data := kept(t)
	for _, passphrase := range []string{"", "moss lantern harbour"} {
		var out bytes.Buffer
		require.NoError(t, backup.Write(l, data, passphrase, &out))
		folder := t.TempDir()
		require.NoError(t, backup.Unpack(bytes.NewReader(out.Bytes()), passphrase, folder))
		text, err := os.ReadFile(filepath.Join(folder, "procedures", "own.yaml"))
		require.NoError(t, err)
		assert.Equal(t, "id: own\n", string(text))
		require.NoError(t, ledger.WithCopy(filepath.Join(folder, ledger.File), func(copied *ledger.Ledger) error {
			_, err := copied.Asset("MB-1")
			return err
		}))
		if passphrase == "" {
			continue
		}
		assert.NotContains(t, out.String(), "MB-1")
		assert.ErrorIs(t, backup.Unpack(bytes.NewReader(out.Bytes()), "", t.TempDir()), backup.ErrEncrypted)
		assert.ErrorContains(t, backup.Unpack(bytes.NewReader(out.Bytes()), "another passphrase", t.TempDir()), "another one")
		changed := bytes.Clone(out.Bytes())
		changed[len(changed)/2] ^= 1
		for name, broken := range map[string][]byte{"changed": changed, "cut off": out.Bytes()[:out.Len()-20]} {
			into := t.TempDir()
			assert.Error(t, backup.Unpack(bytes.NewReader(broken), passphrase, into), name)
			assert.NoFileExists(t, filepath.Join(into, ledger.File), "nothing of it is used")
		}
	}
	assert.Error(t, backup.Write(l, data, "short", &bytes.Buffer{}))
	for _, name := range []string{"../ledger.db", "procedures/../../x", "/etc/x", "other.txt", "procedures/..\\x"} {
		var out bytes.Buffer
		w := tar.NewWriter(&out)
		require.NoError(t, w.WriteHeader(&tar.Header{Name: name, Size: 1, Typeflag: tar.TypeReg}))
		_, err := w.Write([]byte("x"))
		require.NoError(t, err)
		require.NoError(t, w.Close())
		assert.ErrorContains(t, backup.Unpack(&out, "", t.TempDir()), "no backup", name)
	}
	assert.ErrorContains(t, backup.Unpack(bytes.NewReader(nil), "", t.TempDir()), "empty")
}

// One a day is written and tried; a bad one pushes no good one out; and what others put into the folder stays.
func TestBackupsAreMadeAndTriedByThemselves(t *testing.T) {
	l, data := kept(t)
	folder := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(folder, "holiday.txt"), nil, 0o600))
	at, tried := now, 0
	s := &backup.Schedule{Ledger: l, Data: data, Folder: folder, Keep: 3, Clock: func() time.Time { return at },
		Holds: func(copied *ledger.Ledger) error { tried++; _, err := copied.Asset("MB-1"); return err }}
	for range 5 {
		assert.True(t, s.Due())
		require.NoError(t, s.Run())
		assert.False(t, s.Due(), "one a day")
		at = at.AddDate(0, 0, 1)
	}
	assert.Equal(t, 5, tried)
	state := s.State()
	assert.Equal(t, 3, state.Kept)
	assert.NotNil(t, state.Tried)
	info, err := os.Stat(filepath.Join(folder, state.File))
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o600), info.Mode().Perm(), "for its owner alone")
	assert.FileExists(t, filepath.Join(folder, "holiday.txt"))

	s.Holds = func(*ledger.Ledger) error { return os.ErrInvalid }
	require.Error(t, s.Run())
	assert.Contains(t, s.State().Failed, "cannot be put back")
	entries, err := os.ReadDir(folder)
	require.NoError(t, err)
	assert.Len(t, entries, 5, "the three good ones, the bad one, and what is not ours")
}
