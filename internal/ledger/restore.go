package ledger

import (
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"time"
)

// Restore puts a backup into a data folder that nothing uses. The backup's chain is
// checked first; a ledger that stands there is kept aside under the name that is returned,
// empty where there was none.
func Restore(folder, backup string, now time.Time) (aside string, events int, err error) {
	try, err := os.MkdirTemp("", "restore")
	if err != nil {
		return "", 0, err
	}
	defer os.RemoveAll(try)
	if err := copyFile(backup, filepath.Join(try, File)); err != nil {
		return "", 0, err
	}
	l, err := Open(try)
	if err != nil {
		return "", 0, fmt.Errorf("this is no backup of a ledger: %w", err)
	}
	events, err = l.Verify()
	if err := errors.Join(err, l.Close()); err != nil {
		return "", 0, fmt.Errorf("the backup does not hold; nothing was changed: %w", err)
	}
	if err := os.MkdirAll(folder, 0o700); err != nil {
		return "", 0, err
	}
	file := filepath.Join(folder, File)
	if _, err := os.Stat(file); err == nil {
		aside = file + "." + now.Format("20060102-150405")
		for _, suffix := range []string{"", "-wal", "-shm"} {
			if err := os.Rename(file+suffix, aside+suffix); err != nil && !errors.Is(err, os.ErrNotExist) {
				return "", 0, err
			}
		}
	}
	return aside, events, copyFile(filepath.Join(try, File), file)
}

func copyFile(from, to string) error {
	in, err := os.Open(from)
	if err != nil {
		return err
	}
	defer in.Close()
	out, err := os.OpenFile(to, os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o600)
	if err != nil {
		return err
	}
	_, err = io.Copy(out, in)
	return errors.Join(err, out.Sync(), out.Close())
}
