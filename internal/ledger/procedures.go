package ledger

import (
	"errors"
	"os"
	"path/filepath"

	"northneedle/core/procedure"
)

// KeepProcedure keeps a revision of a procedure as the lab's own: in the record, and in a file,
// from which it is read when the program begins. The record has it first. What begins to recur by it is
// kept with it.
func (l *Ledger) KeepProcedure(act Act, p *procedure.Procedure, file string, begun ...*Activity) error {
	return l.Do(act, func(w *writer) error {
		if err := w.save(revisionOf(p)); err != nil {
			return err
		}
		for _, a := range begun {
			if err := w.create(a); err != nil {
				return err
			}
		}
		return writeWhole(file, p.Text)
	})
}

// revisionOf is the row of a procedure.
func revisionOf(p *procedure.Procedure) *ProcedureRevision {
	return &ProcedureRevision{Hash: p.Hash, Procedure: p.ID, Revision: p.Revision, Text: p.Text}
}

// writeWhole writes a file so that it is there whole, or as it was.
func writeWhole(file, text string) error {
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
