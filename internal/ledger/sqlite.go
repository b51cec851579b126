package ledger

import (
	"runtime"

	"github.com/glebarez/sqlite"
	"gorm.io/gorm"
	"gorm.io/gorm/logger"
)

// Everything particular to SQLite is in this file.

// pragmas: write-ahead log; every commit waits for the disk; foreign keys hold.
const pragmas = "?_pragma=journal_mode(WAL)&_pragma=synchronous(FULL)&_pragma=foreign_keys(1)&_pragma=busy_timeout(10000)&_pragma=cache_size(-20000)"

func connect(path string) (write, read *gorm.DB, err error) {
	open := func(connections int) (*gorm.DB, error) {
		db, err := gorm.Open(sqlite.Open("file:"+path+pragmas), &gorm.Config{
			Logger: logger.Discard, TranslateError: true, SkipDefaultTransaction: true, PrepareStmt: true,
		})
		if err != nil {
			return nil, err
		}
		raw, err := db.DB()
		if err != nil {
			return nil, err
		}
		raw.SetMaxOpenConns(connections)
		raw.SetMaxIdleConns(connections)
		return db, nil
	}
	if write, err = open(1); err != nil {
		return nil, nil, err
	}
	if read, err = open(max(2, runtime.NumCPU())); err != nil {
		return nil, nil, err
	}
	return write, read, nil
}

// Backup writes a copy of the whole ledger to a new file, while it is in use.
func (l *Ledger) Backup(path string) error {
	return l.read.Exec("VACUUM INTO ?", path).Error
}
