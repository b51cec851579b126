package ledger

import (
	"embed"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"sync"
	"sync/atomic"

	"northneedle/core/procedure"
	"northneedle/core/run"

	"github.com/go-gormigrate/gormigrate/v2"
	lru "github.com/hashicorp/golang-lru/v2"
	"gorm.io/gorm"
)

// File is the name of the ledger in its data folder.
const File = "ledger.db"

// ErrNotFound says that there is no such record.
var ErrNotFound = errors.New("there is no such record")

// ErrExists says that there is such a record already.
var ErrExists = errors.New("there is such a record already")

// ErrNone says that a folder holds no ledger.
var ErrNone = errors.New("there is no record")

// ErrThere says that something of a list is in the register already.
var ErrThere = errors.New("something of it came into the register since it was read: read it again")

// ErrUsed says that the id of an act or a command belongs to another event.
var ErrUsed = errors.New("this id was used for something else")

// Ledger is the record of one workshop. One writer at a time; readers beside it.
// When a write has returned without an error, it is on disk.
type Ledger struct {
	file  string
	write *gorm.DB
	read  *gorm.DB
	watch *watch

	memory  *memory
	records atomic.Int64 // another number after records were changed, other than by the events of a run that stays open

	mutex sync.Mutex // serialises appending to the log
	head  string     // hash of the log's last event, as this program wrote or found it
	runs  map[string]folded

	procedures *lru.Cache[string, *procedure.Procedure] // compiled revisions by their hash
	signedIn   *lru.Cache[string, Session]              // by their token
	onChange   func(run string, seq int)
}

// folded is a run with the hash of its last event.
type folded struct {
	run  run.Run
	hash string
}

// applicationID marks a file as a ledger of this program ("NNdl"), in SQLite's own field for that.
const applicationID = 0x4e4e646c

// Open opens the ledger in a data folder, making both where they do not exist, and
// brings its tables up to date. A file that is not one of ours, or was made by a newer version, is
// refused in words and left as it is.
func Open(folder string) (*Ledger, error) {
	if err := os.MkdirAll(folder, 0o700); err != nil {
		return nil, fmt.Errorf("the data folder: %w", err)
	}
	file := filepath.Join(folder, File)
	if _, err := os.Stat(file); err == nil {
		if err := ours(file); err != nil {
			return nil, err
		}
	}
	l, err := open(file, pragmas)
	if err != nil {
		return nil, err
	}
	options := *gormigrate.DefaultOptions
	options.UseTransaction, options.ValidateUnknownMigrations = true, true
	if err := gormigrate.New(l.write, &options, migrations).Migrate(); err != nil {
		l.Close()
		return nil, fmt.Errorf("the ledger could not be brought up to date: %w", err)
	}
	return l, l.begin()
}

// OpenKept opens the ledger in a data folder where there is one, to read it: its tables stay as they
// are, and the folder may be on a medium that cannot be written. ErrNone where there is none.
func OpenKept(folder string) (*Ledger, error) {
	file := filepath.Join(folder, File)
	if _, err := os.Stat(file); errors.Is(err, os.ErrNotExist) {
		return nil, fmt.Errorf("%w in %s: name the folder that holds %s", ErrNone, folder, File)
	}
	if err := ours(file); err != nil {
		return nil, err
	}
	how := pragmas
	if alone(file) {
		how = readOnly
	}
	l, err := open(file, how)
	if err != nil {
		return nil, err
	}
	return l, l.begin()
}

// Reopen is [Open] where there is a ledger; ErrNone where there is none.
func Reopen(folder string) (*Ledger, error) {
	if _, err := os.Stat(filepath.Join(folder, File)); errors.Is(err, os.ErrNotExist) {
		return nil, fmt.Errorf("%w in %s: name the folder that holds %s", ErrNone, folder, File)
	}
	return Open(folder)
}

func open(file, how string) (*Ledger, error) {
	write, read, err := connect(file, how)
	if err != nil {
		return nil, fmt.Errorf("the ledger: %w", err)
	}
	seen, err := newWatch(read)
	if err != nil {
		return nil, fmt.Errorf("the ledger: %w", err)
	}
	procedures, err := lru.New[string, *procedure.Procedure](100)
	if err != nil {
		return nil, err
	}
	signedIn, err := lru.New[string, Session](mostSessions)
	if err != nil {
		return nil, err
	}
	memory, err := newMemory()
	if err != nil {
		return nil, err
	}
	return &Ledger{
		procedures: procedures,
		signedIn:   signedIn,
		memory:     memory,
		file:       file,
		write:      write,
		read:       read,
		watch:      seen,
		runs:       map[string]folded{},
		onChange:   func(string, int) {},
	}, nil
}

// begin reads where the log ends.
func (l *Ledger) begin() error {
	var last Event
	if err := l.read.Order("ord desc").Limit(1).Find(&last).Error; err != nil {
		l.Close()
		return err
	}
	l.head = last.Hash
	return nil
}

// ErrForeign says that a file is no ledger of this program, or of a newer version of it.
var ErrForeign = errors.New("this is no record that can be read here")

// ours refuses a file that is not a ledger, or was made by a newer version.
func ours(file string) error {
	foreign := func(why string) error { return fmt.Errorf("%w: %s %s. It was left as it is", ErrForeign, file, why) }
	info, err := os.Stat(file)
	if err != nil {
		return err
	}
	if info.Size() == 0 {
		return foreign("is empty")
	}
	id, applied, err := marks(file)
	switch {
	case err != nil:
		return foreign("is no database")
	case id != applicationID:
		return foreign("belongs to another program")
	}
	known := map[string]bool{}
	for _, m := range migrations {
		known[m.ID] = true
	}
	for _, m := range applied {
		if !known[m] {
			return foreign("was written by a newer version (it has “" + m + "”): use that one")
		}
	}
	return nil
}

//go:embed schema/*.sql
var statements embed.FS

// migrations are the versions of the tables, in order, each a file of statements. A landed one
// never changes: a test holds it to its hash.
var migrations = []*gormigrate.Migration{migration("0001-one-log"), migration("0002-instruments"),
	migration("0003-not-complete"), migration("0004-given-back"),
	migration("0005-corrective-actions"), migration("0006-test-corrections"),
	migration("0007-one-time-passwords"), migration("0008-competence"), migration("0009-tokens"),
	migration("0010-ways-to-sign-in"), migration("0011-files"), migration("0012-a-devices-life"),
	migration("0013-accepted-owned-kept"), migration("0014-told"),
	migration("0015-maintained"),
	migration("0016-drafts"), migration("0017-reference-checks"), migration("0018-doubles")}

func migration(id string) *gormigrate.Migration {
	return &gormigrate.Migration{ID: id, Migrate: func(tx *gorm.DB) error {
		text, err := statements.ReadFile("schema/" + id + ".sql")
		if err != nil {
			return err
		}
		return tx.Exec(string(text)).Error
	}}
}

// OnChange names what is called after every commit that changed a run.
func (l *Ledger) OnChange(f func(run string, seq int)) { l.onChange = f }

// Close closes the ledger.
func (l *Ledger) Close() error {
	all := l.watch.close()
	for _, db := range []*gorm.DB{l.read, l.write} {
		if raw, err := db.DB(); err == nil {
			all = errors.Join(all, raw.Close())
		}
	}
	return all
}

// SetSetting keeps one of the lab's settings.
func (l *Ledger) SetSetting(act Act, key string, value any) error {
	text, err := json.Marshal(value)
	if err != nil {
		return err
	}
	return l.Record(act, &Setting{key, string(text)})
}

// Setting decodes a setting into value. It leaves value unchanged where the setting was never stored.
func (l *Ledger) Setting(key string, value any) error {
	var s Setting
	if err := l.read.Where("key = ?", key).Limit(1).Find(&s).Error; err != nil || s.Key == "" {
		return err
	}
	return json.Unmarshal([]byte(s.Value), value)
}
