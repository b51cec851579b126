package ledger

import (
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"time"

	"gorm.io/gorm"
)

// Kept says what a backup holds.
type Kept struct {
	Events  int        `json:"events"`
	Devices int64      `json:"devices"`
	Runs    int64      `json:"runs"`
	Last    *time.Time `json:"last,omitempty" doc:"when its last event was written"`
	Tip     int64      `json:"-"` // number of its last event
}

// prepare copies a backup into a folder of its own, brings its tables up to date and
// checks its chain. What it returns is removed by the caller.
func prepare(backup string) (folder string, kept Kept, err error) {
	if folder, err = os.MkdirTemp("", "restore"); err != nil {
		return "", kept, err
	}
	defer func() {
		if err != nil {
			os.RemoveAll(folder)
		}
	}()
	if err = copyFile(backup, filepath.Join(folder, File)); err != nil {
		return folder, kept, err
	}
	l, err := Open(folder)
	if err != nil {
		return folder, kept, fmt.Errorf("this is no backup of a ledger: %w", err)
	}
	kept.Events, err = l.Verify()
	if err != nil {
		err = fmt.Errorf("the backup does not hold; nothing was changed: %w", err)
	}
	err = errors.Join(err, l.read.Model(&Asset{}).Count(&kept.Devices).Error,
		l.read.Model(&Run{}).Count(&kept.Runs).Error)
	if last, found := one[Event](l.read.Order("ord DESC")); found == nil {
		if at, bad := time.Parse(time.RFC3339Nano, last.At); bad == nil {
			kept.Last, kept.Tip = &at, last.Ord
		}
	}
	return folder, kept, errors.Join(err, l.Close())
}

// WithCopy opens a copy of a backup, brought up to date and checked, for do to look at.
func WithCopy(backup string, do func(*Ledger) error) error {
	folder, _, err := prepare(backup)
	if err != nil {
		return err
	}
	defer os.RemoveAll(folder)
	l, err := Open(folder)
	if err != nil {
		return err
	}
	return errors.Join(do(l), l.Close())
}

// Look says what a backup holds, and whether its chain does.
func Look(backup string) (Kept, error) {
	folder, kept, err := prepare(backup)
	if err == nil {
		err = os.RemoveAll(folder)
	}
	return kept, err
}

// ErrInUse says that a program has the ledger open.
var ErrInUse = errors.New("a program has this record open: stop it first, or put the backup back from its page (House, The record)")

// Restore puts a backup into a data folder that nothing uses. The backup's chain is
// checked first; a ledger that stands there is kept aside under the name that is returned,
// empty where there was none. ErrInUse where somebody has it open.
func Restore(folder, backup string, now time.Time) (aside string, kept Kept, err error) {
	try, kept, err := prepare(backup)
	if err != nil {
		return "", kept, err
	}
	defer os.RemoveAll(try)
	if err := os.MkdirAll(folder, 0o700); err != nil {
		return "", kept, err
	}
	file := filepath.Join(folder, File)
	if inUse(file) {
		return "", kept, ErrInUse
	}
	fresh := file + ".new" // whole on the disk before anything makes way for it
	if err := os.Remove(fresh); err != nil && !errors.Is(err, os.ErrNotExist) {
		return "", kept, err
	}
	if err := copyFile(filepath.Join(try, File), fresh); err != nil {
		return "", kept, errors.Join(fmt.Errorf("nothing was changed: %w", err), os.Remove(fresh))
	}
	if _, err := os.Stat(file); err == nil {
		aside = beside(file, now)
		for _, suffix := range []string{"-wal", "-shm", ""} {
			if err := os.Rename(file+suffix, aside+suffix); err != nil && !errors.Is(err, os.ErrNotExist) {
				return "", kept, err
			}
		}
	}
	if err := os.Rename(fresh, file); err != nil {
		return aside, kept, fmt.Errorf("the checked copy is %s, what was there is %s; give one of them the name %s: %w",
			fresh, aside, File, err)
	}
	return aside, kept, nil
}

// beside is the name under which what stood in a file is kept.
func beside(file string, now time.Time) string { return file + "." + now.Format("20060102-150405") }

// Replace puts a backup in the place of everything this ledger holds, while it is in use:
// all of it, or nothing. What it held is kept beside it first, under the name that is
// returned. Who is signed in stays so, where the backup knows them. That it was put back, and by
// whom, is the next event of the log.
func (l *Ledger) Replace(backup string, act Act) (aside string, kept Kept, err error) {
	try, kept, err := prepare(backup)
	if err != nil {
		return "", kept, err
	}
	defer os.RemoveAll(try)
	l.mutex.Lock()
	defer l.mutex.Unlock()
	aside = beside(l.file, act.At)
	if err := l.Backup(aside); err != nil {
		return "", kept, fmt.Errorf("what is there could not be kept; nothing was changed: %w", err)
	}
	log := &appender{}
	err = exchangeContent(l.write, filepath.Join(try, File), func(tx *gorm.DB) error {
		last, err := one[Event](tx.Order("ord DESC"))
		if err != nil && !errors.Is(err, ErrNotFound) {
			return err
		}
		log.head = last.Hash
		return (&writer{tx: tx, log: log, about: "record/backup"}).done(act)
	})
	if err != nil {
		return aside, kept, fmt.Errorf("nothing was changed: %w", err)
	}
	l.head, l.runs = log.head, map[string]folded{}
	l.records.Add(1)
	l.onChange("", 0)
	return aside, kept, nil
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
