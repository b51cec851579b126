package ledger

import (
	"context"
	"database/sql"
	"errors"
	"os"
	"runtime"
	"strings"
	"sync"

	driver "github.com/glebarez/go-sqlite"
	"github.com/glebarez/sqlite"
	"gorm.io/gorm"
	"gorm.io/gorm/logger"
)

// Everything particular to SQLite is in this file.

// pragmas: write-ahead log; every commit waits for the disk; foreign keys hold.
const pragmas = "?_pragma=journal_mode(WAL)&_pragma=synchronous(FULL)&_pragma=foreign_keys(1)&_pragma=busy_timeout(10000)&_pragma=cache_size(-20000)"

// readOnly opens what cannot be written, and that nobody else writes.
const readOnly = "?mode=ro&immutable=1&_pragma=cache_size(-20000)"

// alone says that a file is all there is: nobody has it open, and nobody left it so.
func alone(file string) bool {
	info, err := os.Stat(file + "-wal")
	return err != nil || info.Size() == 0
}

func connect(path, how string) (write, read *gorm.DB, err error) {
	open := func(connections int, more string) (*gorm.DB, error) {
		db, err := gorm.Open(sqlite.Open("file:"+path+how+more), &gorm.Config{
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
	// A transaction that writes holds the file from its beginning: what it read of it stays true.
	if write, err = open(1, "&_txlock=immediate"); err != nil {
		return nil, nil, err
	}
	// one more to read than there are processors: the watch keeps one for itself
	if read, err = open(1+max(2, runtime.NumCPU()), ""); err != nil {
		return nil, nil, err
	}
	return write, read, nil
}

// watch is a connection of its own that sees whether others commit.
type watch struct {
	mutex sync.Mutex
	conn  *sql.Conn
	ask   *sql.Stmt
}

func newWatch(db *gorm.DB) (*watch, error) {
	raw, err := db.DB()
	if err != nil {
		return nil, err
	}
	w := &watch{}
	if w.conn, err = raw.Conn(context.Background()); err != nil {
		return nil, err
	}
	w.ask, err = w.conn.PrepareContext(context.Background(), "PRAGMA data_version")
	return w, err
}

func (w *watch) close() error { return errors.Join(w.ask.Close(), w.conn.Close()) }

// version is another number after every commit, of this program or another, than before it.
func (l *Ledger) version() (n int64, err error) {
	l.watch.mutex.Lock()
	defer l.watch.mutex.Unlock()
	err = l.watch.ask.QueryRow().Scan(&n)
	return n, err
}

// inUse says whether somebody has a ledger's file open: then nobody else can have it alone.
func inUse(file string) bool {
	db, err := sql.Open(sqlite.DriverName, "file:"+file+
		"?mode=rw&_pragma=busy_timeout(0)&_pragma=locking_mode(EXCLUSIVE)")
	if err != nil {
		return false
	}
	defer db.Close()
	var told *driver.Error
	_, err = db.Exec("BEGIN IMMEDIATE; ROLLBACK")
	return errors.As(err, &told) && told.Code()&0xff == busy
}

// busy is SQLite's result for what others hold.
const busy = 5

// marks are what a file says of itself: the program it belongs to, and the versions of its tables.
func marks(file string) (application int64, applied []string, err error) {
	how := "?mode=ro"
	if alone(file) {
		how = readOnly
	}
	db, err := sql.Open(sqlite.DriverName, "file:"+file+how)
	if err != nil {
		return 0, nil, err
	}
	defer db.Close()
	if err := db.QueryRow("PRAGMA application_id").Scan(&application); err != nil {
		return 0, nil, err
	}
	rows, err := db.Query("SELECT id FROM migrations")
	if err != nil {
		return application, nil, nil // none: the id says whose it is
	}
	defer rows.Close()
	for rows.Next() {
		var id string
		if err := rows.Scan(&id); err != nil {
			return application, nil, err
		}
		applied = append(applied, id)
	}
	return application, applied, rows.Err()
}

// Backup writes a copy of the whole ledger to a new file that only its owner reads, while it is in use.
func (l *Ledger) Backup(path string) error {
	empty, err := os.OpenFile(path, os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o600) // SQLite would let everybody read it
	if err != nil {
		return err
	}
	if err := empty.Close(); err != nil {
		return err
	}
	return l.read.Exec("VACUUM INTO ?", path).Error
}

// exchangeContent puts every row of another ledger, of the same tables, in the place of
// those that are here, and does what follows, in one transaction. Sessions stay.
func exchangeContent(db *gorm.DB, other string, then func(tx *gorm.DB) error) error {
	return db.Connection(func(one *gorm.DB) error {
		if err := one.Exec("ATTACH DATABASE ? AS other", other).Error; err != nil {
			return err
		}
		defer one.Exec("DETACH DATABASE other")
		var tables []string
		if err := one.Raw("SELECT name FROM sqlite_master WHERE type = 'table' AND name NOT LIKE 'sqlite_%' AND name <> 'sessions'").Scan(&tables).Error; err != nil {
			return err
		}
		return one.Transaction(func(tx *gorm.DB) error {
			for _, table := range tables {
				var columns []string
				if err := tx.Raw("SELECT name FROM pragma_table_info(?)", table).Scan(&columns).Error; err != nil {
					return err
				}
				list := `"` + strings.Join(columns, `","`) + `"`
				if err := tx.Exec(`DELETE FROM main."` + table + `"`).Error; err != nil {
					return err
				}
				if err := tx.Exec(`INSERT INTO main."` + table + `" (` + list + `) SELECT ` + list + ` FROM other."` +
					table + `"`).Error; err != nil {
					return err
				}
			}
			return then(tx)
		})
	})
}

// OnQuery sets a function that is called with every reading statement and its values, for measuring;
// nil removes it.
func (l *Ledger) OnQuery(told func(text string, values []any)) {
	after := func(db *gorm.DB) {
		if told != nil && !db.DryRun { // a query within another is only written
			told(db.Statement.SQL.String(), db.Statement.Vars)
		}
	}
	callbacks := l.read.Callback()
	for _, on := range []interface {
		Replace(string, func(*gorm.DB)) error
	}{callbacks.Query().After("gorm:query"), callbacks.Row().After("gorm:row"), callbacks.Raw().After("gorm:raw")} {
		on.Replace("northneedle:told", after)
	}
}
