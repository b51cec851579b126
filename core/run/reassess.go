package run

import (
	"fmt"
	"slices"

	"northneedle/core/reference"
)

// Reassessment is a point seen again with what is known of a reference.
type Reassessment struct {
	Measure string   `json:"measure"`
	Point   string   `json:"point"`
	Label   string   `json:"label"`
	Phase   Phase    `json:"phase"`
	Before  *Verdict `json:"before"`
	After   *Verdict `json:"after"`
	Changed bool     `json:"changed"` // its statement is another
}

// Reassess judges every point again that a reference carried, with what is known of it
// now. The record itself stays as it is. It is empty where the run did not use it.
func (r Run) Reassess(k reference.ReferenceError) ([]Reassessment, error) {
	if err := k.Check(); err != nil {
		return nil, err
	}
	seen, err := r.withReferenceError(k)
	if err != nil || seen.Bound == nil {
		return nil, err
	}
	var all []Reassessment
	for _, m := range r.Procedure.Measures() {
		for i := range m.Points {
			p := &m.Points[i]
			if !r.Holds(p.Condition) {
				continue
			}
			for round := range max(1, r.Findings[m.Judge.ID].Closed) {
				before, err := r.Judge(m, p, round)
				if err != nil || before == nil {
					continue
				}
				after, err := seen.Judge(m, p, round)
				if err != nil {
					return nil, fmt.Errorf("%s, %s: %w", m.Title, p.Label, err)
				}
				if after.Reference == before.Reference && after.U == before.U {
					continue
				}
				c := Reassessment{
					Measure: m.ID,
					Point:   p.ID,
					Label:   m.Title + " " + p.Label,
					Phase:   PhaseOf(round),
					Before:  before,
					After:   after,
					Changed: before.Pass != after.Pass,
				}
				all = append(all, c)
			}
		}
	}
	return all, nil
}

// withReferenceError is the run as if its reference had been known so; without any bound standard
// where it was not used.
func (r Run) withReferenceError(k reference.ReferenceError) (Run, error) {
	seen := r
	seen.Bound, seen.Exchanged = nil, nil
	used := false
	knowing := func(b Bound) (Bound, error) {
		if !k.Concerns(b.Standard) {
			return b, nil
		}
		used = true
		values, err := k.Lines(b.Standard.Values)
		b.Standard.Values = values
		return b, err
	}
	for role := range r.Bound {
		for i, b := range r.Bindings(role) {
			known, err := knowing(b)
			if err != nil {
				return seen, err
			}
			if i < len(r.Exchanged[role]) {
				seen.Exchanged = with(seen.Exchanged, role, append(slices.Clip(seen.Exchanged[role]), known))
			} else {
				seen.Bound = with(seen.Bound, role, known)
			}
		}
	}
	if !used {
		seen.Bound = nil
		return seen, nil
	}
	return seen.judgedAnew(), nil
}
