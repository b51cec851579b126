package api

import (
	"slices"

	"northneedle/core/duty"
	"northneedle/core/procedure"
	"northneedle/internal/ledger"

	"github.com/oklog/ulid/v2"
)

// dutiesOf are the duties of a device: by the templates of its model or its family; of a family that
// has none, a lab's own, by the intervals of its procedures.
func (h *House) dutiesOf(family, model string) []duty.Duty {
	if found := duty.DutiesOf(h.Duties, family, model); len(found) > 0 || h.templated(family) {
		return found
	}
	var own []duty.Duty
	for _, p := range h.procedures() {
		if d, recurs := dutyOf(p); recurs && p.Family == family {
			own = append(own, d)
		}
	}
	return own
}

// templated says whether some template names a family.
func (h *House) templated(family string) bool {
	return slices.ContainsFunc(h.Duties, func(t duty.Template) bool { return t.Family == family })
}

// dutyOf is the duty that a procedure's own interval makes; false where it names none.
func dutyOf(p *procedure.Procedure) (d duty.Duty, recurs bool) {
	return duty.Duty{ID: p.ID, Title: p.Title, Procedure: p.ID, Months: p.Next.Months, Days: p.Next.Days, Why: p.Next.Why}, p.Next.Months > 0 || p.Next.Days > 0
}

// begun are the activities that begin when a procedure of a lab's own family is kept: on the devices of
// that family that have none by it.
func (h *House) begun(p *procedure.Procedure) ([]*ledger.Activity, error) {
	d, recurs := dutyOf(p)
	if !recurs || h.templated(p.Family) {
		return nil, nil
	}
	devices, err := h.Ledger.AssetsOfFamily(p.Family)
	if err != nil {
		return nil, err
	}
	var fresh []*ledger.Activity
	for _, a := range devices {
		known, err := h.Ledger.Activities(a.ID)
		if err != nil {
			return nil, err
		}
		if a.Status != ledger.Gone && !slices.ContainsFunc(known, func(k ledger.Activity) bool { return k.Procedure == p.ID }) {
			fresh = append(fresh, ledger.NewActivity(ulid.Make().String(), a, d, dayOf(h.Clock()), "first time after its procedure was kept"))
		}
	}
	return fresh, nil
}
