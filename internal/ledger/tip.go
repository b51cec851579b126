package ledger

import (
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"time"

	"northneedle/core/person"
	"northneedle/core/run"
)

// Tip is the last event of the log, by its number, and its hash; 0 where there is none.
func (l *Ledger) Tip() (event int64, head string, err error) {
	err = l.read.Raw("SELECT ord, hash FROM events ORDER BY ord DESC LIMIT 1").Row().Scan(&event, &head)
	if errors.Is(err, sql.ErrNoRows) {
		err = nil
	}
	return event, head, err
}

// HashAt is the hash of an event by its number; empty where there is none.
func (l *Ledger) HashAt(event int64) (string, error) {
	e, err := one[Event](l.read.Select("hash").Where("ord = ?", event))
	if errors.Is(err, ErrNotFound) {
		err = nil
	}
	return e.Hash, err
}

// EventAfter is what happened first after an event, in words, and when.
func (l *Ledger) EventAfter(event int64) (words string, at time.Time, err error) {
	var e Event
	if err := l.read.Where("ord > ?", event).Order("ord").Limit(1).Find(&e).Error; err != nil || e.Kind == "" {
		return "nothing", at, err
	}
	var by person.Person
	if err := json.Unmarshal([]byte(e.By), &by); err != nil {
		return e.Kind, at, err
	}
	if at, err = time.Parse(time.RFC3339Nano, e.At); err != nil {
		return e.Kind, at, err
	}
	return fmt.Sprintf("%s of %s by %s", e.Kind, e.Stream, by.Name), at.Local(), nil
}

// OrdOf is the number of an event of a run in the whole log.
func (l *Ledger) OrdOf(id string, seq int) (int64, error) {
	e, err := one[Event](l.read.Select("ord").Where("stream = ? AND seq = ?", runStream+id, seq))
	return e.Ord, err
}

// OpenBy is how many open runs somebody opened.
func (l *Ledger) OpenBy(person string) (n int64, err error) {
	err = l.read.Model(&Run{}).Where("status = ? AND by_id = ?", run.Open, person).Count(&n).Error
	return n, err
}

// Reissued lists the ids of runs whose first certificate is no longer valid: the run was replaced, or its certificate was
// revised.
func (l *Ledger) Reissued() (ids []string, err error) {
	err = l.read.Raw(`SELECT id FROM runs WHERE replaced_by <> '' AND paper = 0 UNION
		SELECT substr(stream, ?) FROM events WHERE kind = ? ORDER BY 1`, len(runStream)+1, run.KindOf(run.CertificateRevised{})).Scan(&ids).Error
	return ids, err
}

// Differences are the rows of the registers and lists that are not what the log gives. Nothing is put right: it is
// looked at in a copy.
func (l *Ledger) Differences() ([]Difference, error) {
	folder, err := os.MkdirTemp("", "verify")
	if err != nil {
		return nil, err
	}
	defer os.RemoveAll(folder)
	if err := l.Backup(filepath.Join(folder, File)); err != nil {
		return nil, err
	}
	copied, err := Open(folder)
	if err != nil {
		return nil, err
	}
	all, err := copied.Rebuild()
	return all, errors.Join(err, copied.Close())
}
