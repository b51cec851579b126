package ledger

import (
	"errors"
	"os"
	"path/filepath"
	"time"

	"northneedle/core/procedure"
)

// ProcedureDraft is a procedure that is being written, and what became of it. Its text may be unfinished.
type ProcedureDraft struct {
	ID        string `gorm:"primaryKey"`
	Procedure string `gorm:"index:draft_of_procedure"` // its id, as far as its text can be read
	Title     string
	Text      string
	Why       string // what changes, and why
	State     DraftState
	Version   int       // goes up with every change of its text
	By        string    // who wrote in it last
	At        time.Time // when
	Writers   []string  `gorm:"serializer:json"` // ids of everybody who wrote in it: none of them releases it

	Revision   int // the following are filled in when it is released
	Hash       string
	Released   *time.Time
	ReleasedBy string
	Effective  *time.Time // the day from which on runs are made by it
}

// DraftState is what became of a draft.
type DraftState string

// The states. A release is taken back only before its day.
const (
	DraftOpen      DraftState = "open"
	DraftReleased  DraftState = "released"
	DraftDropped   DraftState = "dropped"
	DraftTakenBack DraftState = "taken back"
)

// DraftStates lists every DraftState.
var DraftStates = []DraftState{DraftOpen, DraftReleased, DraftDropped, DraftTakenBack}

// Draft is one, whatever became of it.
func (l *Ledger) Draft(id string) (ProcedureDraft, error) {
	return one[ProcedureDraft](l.read.Where("id = ?", id))
}

// Drafts are those in a state, the one that was written in last first.
func (l *Ledger) Drafts(state DraftState) ([]ProcedureDraft, error) {
	return many[ProcedureDraft](l.read.Where("state = ?", state).Order("at DESC, id DESC"))
}

// Releases are the releases of a procedure, or of all where no id is given, in the order in which they were made. Those that
// were taken back are among them.
func (l *Ledger) Releases(procedure string) ([]ProcedureDraft, error) {
	q := l.read.Where("released IS NOT NULL")
	if procedure != "" {
		q = q.Where("procedure = ?", procedure)
	}
	return many[ProcedureDraft](q.Order("released, id"))
}

// RevisionsOf are the kept revisions of a procedure, the newest first.
func (l *Ledger) RevisionsOf(procedure string) ([]ProcedureRevision, error) {
	return many[ProcedureRevision](l.read.Where("procedure = ?", procedure).Order("revision DESC, hash"))
}

// Revision is a kept revision by its hash.
func (l *Ledger) Revision(hash string) (ProcedureRevision, error) {
	return one[ProcedureRevision](l.read.Where("hash = ?", hash))
}

// RunsByRevision counts the runs that were made by each revision of a procedure, by its hash.
func (l *Ledger) RunsByRevision(procedure string) (map[string]int, error) {
	var rows []struct {
		Hash string
		N    int
	}
	err := l.read.Model(&Run{}).Select("hash, count(*) AS n").Where("procedure = ?", procedure).Group("hash").Scan(&rows).Error
	counted := map[string]int{}
	for _, r := range rows {
		counted[r.Hash] = r.N
	}
	return counted, err
}

// Compiled is the procedure of a kept revision.
func (l *Ledger) Compiled(r ProcedureRevision) (*procedure.Procedure, error) { return l.compiled(r) }

// ReleaseProcedure keeps a draft as released: its revision, the one that it takes the place of (nil: none), and what
// begins to recur by it. Where a file is named the text is written to it too, from which it is read when the program
// begins. The record has it first.
func (l *Ledger) ReleaseProcedure(act Act, d *ProcedureDraft, p, before *procedure.Procedure, file string,
	begun ...*Activity) error {
	return l.Do(act, func(w *writer) error {
		if before != nil {
			if err := w.save(revisionOf(before)); err != nil {
				return err
			}
		}
		if err := errors.Join(w.save(d), w.save(revisionOf(p))); err != nil {
			return err
		}
		for _, a := range begun {
			if err := w.create(a); err != nil {
				return err
			}
		}
		if file == "" {
			return nil
		}
		return WriteWhole(file, p.Text)
	})
}

// revisionOf is the row of a procedure.
func revisionOf(p *procedure.Procedure) *ProcedureRevision {
	return &ProcedureRevision{Hash: p.Hash, Procedure: p.ID, Revision: p.Revision, Text: p.Text}
}

// WriteWhole writes a file so that it is there whole, or as it was.
func WriteWhole(file, text string) error {
	if err := os.MkdirAll(filepath.Dir(file), 0o700); err != nil {
		return err
	}
	fresh, err := os.CreateTemp(filepath.Dir(file), "."+filepath.Base(file)+"-*")
	if err != nil {
		return err
	}
	_, err = fresh.WriteString(text)
	if err = errors.Join(err, fresh.Sync(), fresh.Close()); err == nil {
		err = os.Rename(fresh.Name(), file)
	}
	if err != nil {
		return errors.Join(err, os.Remove(fresh.Name()))
	}
	return nil
}
