package workshop

import (
	"fmt"
	"slices"
	"time"

	"northneedle/core/procedure"
	"northneedle/internal/definition"
	"northneedle/internal/ledger"
)

// ProcedureRevision is one revision of a procedure, and how it came into use.
type ProcedureRevision struct {
	Hash      string     `json:"hash"`
	Revision  int        `json:"revision"`
	State     string     `json:"state" enum:"in use,to come,earlier,taken back"`
	Shipped   bool       `json:"shipped" doc:"it came with the program"`
	From      Day        `json:"from,omitempty" format:"date" doc:"the day from which on runs are made by it"`
	Written   string     `json:"written,omitempty" doc:"who wrote in it last"`
	By        string     `json:"by,omitempty" doc:"who released it"`
	At        *time.Time `json:"at,omitempty" doc:"when"`
	Why       string     `json:"why,omitempty" doc:"what changed, and why"`
	Draft     string     `json:"draft,omitempty" doc:"the draft that was released as it"`
	Runs      int        `json:"runs" doc:"that were made by it"`
	Procedure string     `json:"procedure"`
}

// ProcedureRevisions are all revisions of a procedure that are kept, the newest first: those that were released, those that runs were
// made by, and the one in use.
func (ws *Workshop) ProcedureRevisions(id string) ([]ProcedureRevision, error) {
	kept, err := ws.Ledger.RevisionsOf(id)
	if err != nil {
		return nil, err
	}
	now, known := ws.procedure(id)
	if known && !slices.ContainsFunc(kept, func(r ledger.ProcedureRevision) bool { return r.Hash == now.Hash }) {
		kept = append(kept, ledger.ProcedureRevision{Hash: now.Hash, Procedure: now.ID, Revision: now.Revision, Text: now.Text})
	}
	if len(kept) == 0 {
		return nil, ledger.ErrNotFound
	}
	slices.SortStableFunc(kept, func(a, b ledger.ProcedureRevision) int { return b.Revision - a.Revision })
	released, err := ws.Ledger.Releases(id)
	if err != nil {
		return nil, err
	}
	runs, err := ws.Ledger.RunsByRevision(id)
	if err != nil {
		return nil, err
	}
	asShipped, err := definition.Shipped()
	if err != nil {
		return nil, err
	}
	all := []ProcedureRevision{}
	for _, r := range kept {
		one := ProcedureRevision{Hash: r.Hash, Revision: r.Revision, State: "earlier", Runs: runs[r.Hash], Procedure: id,
			Shipped: slices.ContainsFunc(asShipped, func(p *procedure.Procedure) bool { return p.Hash == r.Hash })}
		for _, d := range released {
			if d.Hash != r.Hash {
				continue
			}
			one.From, one.Written, one.By, one.At = Day(d.Effective.Format(time.DateOnly)), d.By, d.ReleasedBy, d.Released
			one.Why, one.Draft = d.Why, d.ID
			switch {
			case d.State == ledger.DraftTakenBack:
				one.State = "taken back"
			case d.Effective.After(ws.Clock()):
				one.State = "to come"
			}
		}
		if known && now.Hash == r.Hash {
			one.State = "in use"
		}
		all = append(all, one)
	}
	return all, nil
}

// revision is a revision of a procedure that is kept or in use.
func (ws *Workshop) revision(hash string) (*procedure.Procedure, error) {
	all := ws.procedures()
	if at := slices.IndexFunc(all, func(p *procedure.Procedure) bool { return p.Hash == hash }); at >= 0 {
		return all[at], nil
	}
	kept, err := ws.Ledger.Revision(hash)
	if err != nil {
		return nil, err
	}
	return ws.Ledger.Compiled(kept)
}

// RevisionText is a revision as it is written.
func (ws *Workshop) RevisionText(hash string) (string, error) {
	p, err := ws.revision(hash)
	if err != nil {
		return "", err
	}
	return p.Text, nil
}

// CompareRevisions are the lines that changed from one revision to another.
func (ws *Workshop) CompareRevisions(before, after string) ([]DiffLine, error) {
	a, err := ws.revision(before)
	if err != nil {
		return nil, err
	}
	b, err := ws.revision(after)
	if err != nil {
		return nil, err
	}
	return diff(a.Text, b.Text), nil
}

// Instruction is a revision as a work instruction on paper.
func (ws *Workshop) Instruction(hash string) (f File, err error) {
	p, err := ws.revision(hash)
	if err != nil {
		return f, err
	}
	all, err := ws.ProcedureRevisions(p.ID)
	if err != nil {
		return f, err
	}
	at := slices.IndexFunc(all, func(r ProcedureRevision) bool { return r.Hash == hash })
	if at < 0 {
		return f, ledger.ErrNotFound
	}
	return ws.instruction(p, all[at].standing())
}

// standing says in words how a revision stands.
func (r ProcedureRevision) standing() string {
	words := map[string]string{"in use": "in use", "to come": "not in use before " + string(r.From),
		"earlier": "an earlier revision, not in use", "taken back": "taken back, never in use"}[r.State]
	switch {
	case r.By != "":
		words += fmt.Sprintf("; written by %s, released by %s for use from %s", r.Written, r.By, r.From)
	case r.Shipped:
		words += "; as it came with the program"
	}
	return words
}
