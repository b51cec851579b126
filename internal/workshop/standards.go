package workshop

import (
	"context"
	"slices"

	"northneedle/core/reference"
	"northneedle/internal/ledger"

	"golang.org/x/sync/errgroup"
)

// StandardView is a reference standard in the register.
type StandardView struct {
	reference.Standard
	Maker   string   `json:"maker"`
	Place   string   `json:"place"`
	Note    string   `json:"note,omitempty"`
	Days    int      `json:"days" doc:"until the certificate runs out; negative is past"`
	Uses    int      `json:"uses" doc:"runs it was used in"`
	LastUse string   `json:"last_use,omitempty"`
	UsableL *float64 `json:"usable_l,omitempty" doc:"gas above the reserve, in litres at one standard atmosphere"`
}

// StandardList are the reference standards of a kind; of every kind where none is named.
func (ws *Workshop) StandardList(ctx context.Context, kind string) ([]StandardView, error) {
	return remembered(ctx, ws, func() ([]StandardView, error) { return ws.standards(kind) }, "standards", kind)
}

func (ws *Workshop) standards(kind string) ([]StandardView, error) {
	var found []ledger.Standard
	var counts []ledger.UseCount
	var both errgroup.Group
	both.Go(func() (err error) { found, err = ws.Ledger.Standards(kind); return err })
	both.Go(func() (err error) { counts, err = ws.Ledger.UseCounts(); return err })
	if err := both.Wait(); err != nil {
		return nil, err
	}
	used := map[string]ledger.UseCount{}
	for _, c := range counts {
		used[c.StandardID] = c
	}
	views := make([]StandardView, len(found))
	for i, s := range found {
		views[i] = StandardView{
			Standard: s.Core(),
			Maker:    s.Maker,
			Place:    s.Place,
			Note:     s.Note,
			Days:     ws.days(s.Certificate.DueOn),
			Uses:     used[s.ID].Runs,
			LastUse:  used[s.ID].Last,
		}
		if s.Cylinder != nil {
			usable := s.Cylinder.Usable()
			views[i].UsableL = &usable
		}
	}
	return views, nil
}

// standard is a standard as a run binds it: with what was done to it in runs of its own.
func (ws *Workshop) standard(s ledger.Standard) (reference.Standard, error) {
	core := s.Core()
	runs, err := ws.Ledger.SignedRunsOn(s.Tag, preparations)
	if err != nil {
		return core, err
	}
	with, err := ws.Ledger.SignedRunsWith(s.ID, ws.preparing(s.Kind), preparations)
	for _, r := range append(runs, with...) {
		run, err := ws.Ledger.Run(r.ID)
		if err != nil {
			return core, err
		}
		core.Prepared = append(core.Prepared, run.Done(s.Tag)...)
	}
	slices.SortStableFunc(core.Prepared, func(x, y reference.Done) int { return y.At.Compare(x.At) })
	return core, err
}

// preparing are the procedures on devices that check what is used of a kind first, so that their findings are kept with it.
func (ws *Workshop) preparing(kind string) (ids []string) {
	for _, p := range ws.procedures() {
		for _, f := range p.Findings() {
			if role, ok := p.RoleOf(f.Of); ok && role.Kind == kind {
				ids = append(ids, p.ID)
			}
		}
	}
	return ids
}

// preparations is how many runs on a reference are looked at for its preparation.
const preparations = 12

// Candidates lists the standards of a role's kind, those that fit first.
func (ws *Workshop) Candidates(id, roleID string) ([]reference.Candidate, error) {
	run, err := ws.Ledger.Run(id)
	if err != nil {
		return nil, err
	}
	role, ok := run.Procedure.RoleOf(roleID)
	if !ok {
		return nil, ledger.ErrNotFound
	}
	found, err := ws.Ledger.Standards(role.Kind)
	standards := make([]reference.Standard, len(found))
	for i, s := range found {
		if standards[i], err = ws.standard(s); err != nil {
			return nil, err
		}
	}
	return role.Candidates(standards, ws.Clock()), err
}
