package workshop

import (
	"log/slog"
	"os"
	"path/filepath"
	"slices"
	"time"

	"northneedle/core/duty"
	"northneedle/core/procedure"
	"northneedle/internal/definition"
	"northneedle/internal/ledger"
)

// shelf is the procedures in use, and those that are released for a day to come. It is never changed, only exchanged.
type shelf struct {
	procedures []*procedure.Procedure
	coming     []comingProcedure // the earliest first
}

// comingProcedure is a released procedure whose day is still to come.
type comingProcedure struct {
	*procedure.Procedure
	from time.Time
}

// with is the shelf with a procedure in the place of the one with its id, or beside the others.
func (s *shelf) with(p *procedure.Procedure) *shelf {
	next := &shelf{slices.Clone(s.procedures), s.coming}
	if at := slices.IndexFunc(next.procedures, func(q *procedure.Procedure) bool { return q.ID == p.ID }); at >= 0 {
		next.procedures[at] = p
	} else {
		next.procedures = append(next.procedures, p)
	}
	return next
}

// on is the shelf as it is at a moment: what was to come by then is in use.
func (s *shelf) on(now time.Time) *shelf {
	next := s
	for len(next.coming) > 0 && !next.coming[0].from.After(now) {
		first := next.coming[0]
		next = next.with(first.Procedure)
		next.coming = next.coming[1:]
	}
	return next
}

// shelved is the shelf of this moment.
func (ws *Workshop) shelved() *shelf {
	for {
		before := ws.shelf.Load()
		now := before.on(ws.Clock())
		if now == before {
			return before
		}
		if ws.shelf.CompareAndSwap(before, now) {
			ws.edition.Add(1)
		}
	}
}

// procedures are those in use now.
func (ws *Workshop) procedures() []*procedure.Procedure { return ws.shelved().procedures }

// procedure is the one in use with an id; nil and false where there is none.
func (ws *Workshop) procedure(id string) (*procedure.Procedure, bool) {
	all := ws.procedures()
	at := slices.IndexFunc(all, func(p *procedure.Procedure) bool { return p.ID == id })
	if at < 0 {
		return nil, false
	}
	return all[at], true
}

// comes is the next release of a procedure whose day is still to come; false where there is none.
func (ws *Workshop) comes(id string) (comingProcedure, bool) {
	all := ws.shelved().coming
	at := slices.IndexFunc(all, func(c comingProcedure) bool { return c.ID == id })
	if at < 0 {
		return comingProcedure{}, false
	}
	return all[at], true
}

// exchange puts another shelf in the place of this moment's.
func (ws *Workshop) exchange(change func(*shelf) *shelf) {
	for {
		before := ws.shelved()
		if ws.shelf.CompareAndSwap(before, change(before)) {
			ws.edition.Add(1)
			return
		}
	}
}

// use puts a procedure onto the shelf, from a day on.
func (ws *Workshop) use(p *procedure.Procedure, from time.Time) {
	ws.exchange(func(s *shelf) *shelf {
		if !from.After(ws.Clock()) {
			return s.with(p)
		}
		if slices.ContainsFunc(s.coming, func(c comingProcedure) bool { return c.Hash == p.Hash }) {
			return s
		}
		next := &shelf{s.procedures, append(slices.Clone(s.coming), comingProcedure{p, from})}
		slices.SortStableFunc(next.coming, func(a, b comingProcedure) int { return a.from.Compare(b.from) })
		return next
	})
}

// forgo takes a procedure whose day is still to come off the shelf.
func (ws *Workshop) forgo(hash string) {
	ws.exchange(func(s *shelf) *shelf {
		return &shelf{s.procedures, slices.DeleteFunc(slices.Clone(s.coming),
			func(c comingProcedure) bool { return c.Hash == hash })}
	})
}

// templates are what recurs on each family, a lab's own families among them: by what is in use, and by what is new and still
// to come, so that a device entered meanwhile has its duty.
func (ws *Workshop) templates() []duty.Template {
	s := ws.shelved()
	all := s.procedures
	for _, c := range s.coming {
		if !slices.ContainsFunc(all, func(p *procedure.Procedure) bool { return p.ID == c.ID }) {
			all = append(slices.Clip(all), c.Procedure)
		}
	}
	return procedure.WithOwn(ws.Duties, all)
}

// fileOf is the file of a lab's own procedure, from which it is read when the program begins.
func (ws *Workshop) fileOf(id string) string { return filepath.Join(ws.Folder, id+".yaml") }

// takeReleases puts every released procedure onto the shelf whose revision is not there yet; it can be called again. The record
// decides: it writes the procedure's file where that is missing or holds another text. A file whose revision is higher than the
// released one was put into the folder by hand; the program uses it and leaves it as it is.
func (ws *Workshop) takeReleases() error {
	released, err := ws.Ledger.Releases("")
	if err != nil {
		return err
	}
	for _, d := range released {
		if d.State != ledger.DraftReleased {
			continue
		}
		p, err := ws.Ledger.Compiled(ledger.ProcedureRevision{Hash: d.Hash, Procedure: d.Procedure, Text: d.Text})
		if err != nil {
			slog.Error("a released procedure cannot be read any more", "procedure", d.Procedure, "revision", d.Revision, "error", err)
			continue
		}
		if d.Effective.After(ws.Clock()) {
			ws.use(p, *d.Effective)
			continue
		}
		now, known := ws.procedure(p.ID)
		if known && now.Revision > p.Revision && !shipped(now) {
			continue
		}
		if ws.Folder != "" {
			if text, err := os.ReadFile(ws.fileOf(p.ID)); err != nil || string(text) != p.Text {
				if err := ledger.WriteWhole(ws.fileOf(p.ID), p.Text); err != nil {
					return err
				}
			}
		}
		if !known || now.Hash != p.Hash {
			ws.use(p, *d.Effective)
		}
	}
	return nil
}

// shipped reports whether a procedure is as it came with its family.
func shipped(p *procedure.Procedure) bool {
	all, err := definition.Shipped()
	return err == nil && slices.ContainsFunc(all, func(s *procedure.Procedure) bool { return s.Hash == p.Hash })
}
