package procedure

import (
	"slices"

	"northneedle/core/duty"
)

// Duty is the duty that a procedure's own interval makes; false where it names none.
func (p *Procedure) Duty() (d duty.Duty, recurs bool) {
	n := p.Next
	d = duty.Duty{ID: p.ID, Title: p.Title, Procedure: p.ID, Months: n.Months, Days: n.Days, Why: n.Why,
		Test: p.Test, Maintains: p.Maintains}
	return d, n.Months > 0 || n.Days > 0
}

// WithOwn adds a template to those given for every family that none of them names: a lab's own family
// recurs by the intervals of its procedures.
func WithOwn(templates []duty.Template, procedures []*Procedure) []duty.Template {
	all := slices.Clone(templates)
	for _, p := range procedures {
		d, recurs := p.Duty()
		if !recurs || slices.ContainsFunc(templates, func(t duty.Template) bool { return t.Family == p.Family }) {
			continue
		}
		at := slices.IndexFunc(all, func(t duty.Template) bool { return t.Family == p.Family })
		if at < 0 {
			all = append(all, duty.Template{Family: p.Family})
			at = len(all) - 1
		}
		all[at].Duties = append(all[at].Duties, d)
	}
	return all
}
