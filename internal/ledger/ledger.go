package ledger

import (
	"encoding/json"
	"errors"
	"fmt"
	"northneedle/core/procedure"
	"northneedle/core/run"
	"os"
	"path/filepath"
	"sync"

	"github.com/go-gormigrate/gormigrate/v2"
	lru "github.com/hashicorp/golang-lru/v2"
	"gorm.io/gorm"
)

// File is the name of the ledger in its data folder.
const File = "ledger.db"

// ErrNotFound says that there is no such record.
var ErrNotFound = errors.New("there is no such record")

// ErrNone says that a folder holds no ledger.
var ErrNone = errors.New("there is no record")

// Ledger is the record of one workshop. One writer at a time; readers beside it.
// When a write has returned without an error, it is on disk.
type Ledger struct {
	file  string
	write *gorm.DB
	read  *gorm.DB
	watch *watch

	memory memory

	mutex sync.Mutex // serialises appending to the log
	head  string     // hash of the log's last event
	runs  map[string]folded

	procedures *lru.Cache[string, *procedure.Procedure] // compiled revisions by their hash
	onChange   func(run string, seq int)
}

// folded is a run with the hash of its last event.
type folded struct {
	run  run.Run
	hash string
}

// Open opens the ledger in a data folder, making both where they do not exist, and
// brings its tables up to date.
func Open(folder string) (*Ledger, error) {
	if err := os.MkdirAll(folder, 0o700); err != nil {
		return nil, fmt.Errorf("the data folder: %w", err)
	}
	write, read, err := connect(filepath.Join(folder, File))
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
	l := &Ledger{procedures: procedures, file: filepath.Join(folder, File), write: write, read: read, watch: seen, runs: map[string]folded{}, onChange: func(string, int) {}}
	if err := gormigrate.New(write, gormigrate.DefaultOptions, migrations).Migrate(); err != nil {
		l.Close()
		return nil, fmt.Errorf("the ledger could not be brought up to date: %w", err)
	}
	var last Event
	if err := write.Order("ord desc").Limit(1).Find(&last).Error; err != nil {
		l.Close()
		return nil, err
	}
	l.head = last.Hash
	return l, nil
}

// OpenKept opens the ledger in a data folder where there is one; ErrNone where there is not.
func OpenKept(folder string) (*Ledger, error) {
	if _, err := os.Stat(filepath.Join(folder, File)); errors.Is(err, os.ErrNotExist) {
		return nil, fmt.Errorf("%w in %s: name the folder that holds %s", ErrNone, folder, File)
	}
	return Open(folder)
}

// migrations are the versions of the tables, in order. A landed one never changes.
var migrations = []*gormigrate.Migration{
	{
		ID: "0001-first",
		Migrate: func(tx *gorm.DB) error {
			return tx.AutoMigrate(&Person{}, &Asset{}, &Activity{}, &Standard{}, &StandardCertificate{}, &Gauge{}, &ProcedureRevision{}, &Event{}, &Run{}, &LooseEnd{}, &Result{}, &Use{}, &Instrument{}, &Setting{}, &Session{})
		},
	},
	{
		ID:      "0002-controls",
		Migrate: func(tx *gorm.DB) error { return tx.AutoMigrate(&ControlLot{}, &ControlValue{}) },
	},
	{
		ID: "0003-activities",
		Migrate: func(tx *gorm.DB) error {
			if err := tx.AutoMigrate(&Activity{}, &ActivityNote{}); err != nil {
				return err
			}
			return adoptDuties(tx)
		},
	},
	{
		ID:      "0004-look-backs",
		Migrate: func(tx *gorm.DB) error { return tx.AutoMigrate(&LookBack{}, &Notice{}) },
	},
	{
		ID:      "0005-rounds",
		Migrate: func(tx *gorm.DB) error { return tx.AutoMigrate(&Round{}) },
	},
	{
		ID:      "0006-due-days",
		Migrate: func(tx *gorm.DB) error { return tx.AutoMigrate(&ActivityNote{}, &Run{}) },
	},
	{
		ID: "0007-found",
		Migrate: func(tx *gorm.DB) error {
			if err := tx.AutoMigrate(&Asset{}, &Run{}); err != nil {
				return err
			}
			return countFound(tx, "1 = 1")
		},
	},
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

// Save inserts or replaces records of the register: people, assets, activities,
// standards, instruments. Everything given lands together or not at all.
func (l *Ledger) Save(records ...any) error {
	return l.write.Transaction(func(tx *gorm.DB) error {
		for _, record := range records {
			if err := tx.Save(record).Error; err != nil {
				return err
			}
		}
		return nil
	})
}

// SetSetting keeps one of the lab's settings.
func (l *Ledger) SetSetting(key string, value any) error {
	text, err := json.Marshal(value)
	if err != nil {
		return err
	}
	return l.write.Save(&Setting{key, string(text)}).Error
}

// Setting reads one into value; it is left as it was where the setting is not kept.
func (l *Ledger) Setting(key string, value any) error {
	var s Setting
	if err := l.read.Where("key = ?", key).Limit(1).Find(&s).Error; err != nil || s.Key == "" {
		return err
	}
	return json.Unmarshal([]byte(s.Value), value)
}

// Bulk inserts pointers to slices of records, each in batches, in one transaction.
func (l *Ledger) Bulk(slices ...any) error {
	return l.write.Transaction(func(tx *gorm.DB) error {
		for _, records := range slices {
			if err := tx.CreateInBatches(records, 200).Error; err != nil && !errors.Is(err, gorm.ErrEmptySlice) {
				return err
			}
		}
		return nil
	})
}

// RebuildAll computes the read models of every run anew.
func (l *Ledger) RebuildAll() error {
	var ids []string
	if err := l.read.Model(&Run{}).Where("paper = ?", false).Order("id").Pluck("id", &ids).Error; err != nil {
		return err
	}
	for _, id := range ids {
		if err := l.Rebuild(id); err != nil {
			return err
		}
	}
	return nil
}
