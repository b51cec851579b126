package api

import (
	"context"
	"net/http"

	"northneedle/core/person"
	"northneedle/core/reference"
	"northneedle/internal/ledger"

	"github.com/danielgtaylor/huma/v2"
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

func registerStandards(api huma.API, h *House) {
	serve(api, operation{"standards", http.MethodGet, "/api/standards", "The reference standards", person.Look, 0, nil},
		func(ctx context.Context, in *struct {
			Kind string `query:"kind" maxLength:"60"`
		}) (out []StandardView, err error) {
			view, err := remembered(ctx, h, func() ([]StandardView, error) { return h.standards(in.Kind) }, "standards",
				in.Kind)
			return view, err
		})
	serve(api, operation{"candidates", http.MethodGet, "/api/runs/{id}/roles/{role}",
		"Standards that could fill a role of a run", person.Look, 0, nil},
		func(ctx context.Context, in *struct {
			ID   string `path:"id" maxLength:"60"`
			Role string `path:"role" maxLength:"60"`
		}) (out []reference.Candidate, err error) {
			view, err := h.candidates(in.ID, in.Role)
			return view, err
		})
}

func (h *House) standards(kind string) ([]StandardView, error) {
	var found []ledger.Standard
	var counts []ledger.UseCount
	var both errgroup.Group
	both.Go(func() (err error) { found, err = h.Ledger.Standards(kind); return err })
	both.Go(func() (err error) { counts, err = h.Ledger.UseCounts(); return err })
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
			Days:     h.days(s.Certificate.DueOn),
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
func (h *House) standard(s ledger.Standard) (reference.Standard, error) {
	core := s.Core()
	runs, err := h.Ledger.SignedRunsOn(s.Tag, preparations)
	for _, r := range runs {
		run, err := h.Ledger.Run(r.ID)
		if err != nil {
			return core, err
		}
		core.Prepared = append(core.Prepared, run.Done()...)
	}
	return core, err
}

// preparations is how many runs on a reference are looked at for its preparation.
const preparations = 12

// candidates lists the standards of a role's kind, those that fit first.
func (h *House) candidates(id, roleID string) ([]reference.Candidate, error) {
	run, err := h.Ledger.Run(id)
	if err != nil {
		return nil, err
	}
	role, ok := run.Procedure.RoleOf(roleID)
	if !ok {
		return nil, ledger.ErrNotFound
	}
	found, err := h.Ledger.Standards(role.Kind)
	standards := make([]reference.Standard, len(found))
	for i, s := range found {
		if standards[i], err = h.standard(s); err != nil {
			return nil, err
		}
	}
	return role.Candidates(standards, h.Clock()), err
}
