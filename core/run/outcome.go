package run

import (
	"fmt"
	"slices"
	"strings"

	"northneedle/core/adjust"
	"northneedle/core/procedure"
)

// Outcome is the statement of conformity that the run would be signed with, and why. Whatever is outside or failed
// decides, whatever else was left out; what is required and was not done makes the run not complete.
func (r Run) Outcome() (Result, string) {
	if failed := r.failed(); failed != "" {
		return Fails, failed
	}
	if missing := r.notDone(); len(missing) > 0 {
		return NotComplete, "not done: " + strings.Join(missing, "; ") + ". Nothing that was measured is outside, the whole is not stated"
	}
	if r.Procedure.Maintains {
		return Maintained, "every step was done; whether the device conforms was not looked at"
	}
	outside := false
	for _, f := range r.Procedure.Findings() {
		if r.DeviceChanged(f) {
			return ConformsAdjusted, "every point conforms as left"
		}
		outside = outside || slices.ContainsFunc(r.Findings[f.ID].Voided, func(v VoidedAsFound) bool { return !v.Stands })
	}
	switch {
	case outside:
		return ConformsSetUp, "every point conforms; what was read at first came from outside the device"
	case len(r.FoundOut()) > 0:
		return Conforms, "every point conforms as left; nothing of the device was changed"
	}
	if !slices.ContainsFunc(r.Procedure.Findings(), func(f *procedure.Finding) bool { return f.About == "" }) {
		return Conforms, "nothing was found outside; no point is judged by itself, and nothing was changed"
	}
	return Conforms, "every point conforms as found; nothing was changed"
}

// failed says what is outside, not fine or taken out of use; empty where nothing is.
func (r Run) failed() string {
	failed := ""
	for _, step := range r.Procedure.Way() {
		mark := r.Marks[step.Base().ID]
		if mark.Answer == NotFine {
			failed = fmt.Sprintf("%s: not fine (%s)", step.Base().Title, mark.Note)
		}
		s, finding := step.(*procedure.Finding)
		if !finding {
			continue
		}
		state := r.Findings[s.ID]
		if d, ok := r.Diagnose(s, max(0, state.Closed-1)); s.About != "" {
			if ok && d.Fails != "" {
				failed = s.Title + ": " + d.Fails
			}
			continue
		}
		if state.Last().Decision == adjust.Withdraw {
			failed = fmt.Sprintf("%s: withdrawn", s.Title)
			continue
		}
		if r.outside(s) {
			failed = fmt.Sprintf("%s: a point does not conform", s.Title)
		} else if d, ok := r.Diagnose(s, max(0, state.Closed-1)); ok && d.Fails != "" {
			failed = s.Title + ": " + d.Fails
		}
	}
	return failed
}

// outside reports whether a point of a finding is outside, as it was read last.
func (r Run) outside(f *procedure.Finding) bool {
	found := false
	for _, m := range f.Measures {
		for i := range m.Points {
			v, err := r.latest(m, &m.Points[i], max(0, r.Findings[f.ID].Closed-1))
			if err != nil {
				return false
			}
			found = found || v != nil && !v.Pass
		}
	}
	return found
}

// notDone are the checks, acts, points and findings that this run requires and that were left out, and the standards
// that were used as an exception, in the order of the procedure.
func (r Run) notDone() (missing []string) {
	for _, step := range r.Procedure.Way() {
		b := step.Base()
		if b.Optional || !r.Holds(b.Condition) {
			continue
		}
		switch s := step.(type) {
		case *procedure.CheckStep, *procedure.ActStep, *procedure.Finding:
			if r.Marks[b.ID].Skipped != "" {
				missing = append(missing, b.Title)
			}
			if f, is := step.(*procedure.Finding); is && f.MustHold && r.outside(f) {
				missing = append(missing, f.Title+" does not hold")
			}
		case *procedure.RecordStep:
			if r.Procedure.Maintains && r.Marks[b.ID].Skipped != "" { // which parts went in is what it is made for
				missing = append(missing, b.Title)
			}
		case *procedure.Measure:
			if _, limited := r.limitedTo(s); limited {
				continue
			}
			for i := range s.Points {
				if p := &s.Points[i]; !p.Own && r.leftOut(s, p) {
					missing = append(missing, s.Title+" "+p.Label)
				}
			}
		}
	}
	for _, role := range r.Procedure.Roles {
		for _, b := range r.Bindings(role.ID) {
			if b.Override != "" {
				missing = append(missing, b.Standard.Tag+" is an exception")
			}
		}
	}
	return missing
}

// Range is the part of a measure that a limited statement is about, in the device's own unit.
type Range struct {
	Title    string
	From, To float64
	Unit     string
}

// Limited are the ranges that the statement is limited to; none where it is about the whole.
func (r Run) Limited() (ranges []Range) {
	for _, m := range r.Procedure.Measures() {
		if only, limited := r.limitedTo(m); limited {
			ranges = append(ranges, only)
		}
	}
	return ranges
}

// limitedTo is the range of a measure that was read, where its procedure allows that and only points beyond its ends were
// left out. One point alone makes no range.
func (r Run) limitedTo(m *procedure.Measure) (only Range, limited bool) {
	if !m.Limited {
		return only, false
	}
	var read, missing []float64
	for i := range m.Points {
		p := &m.Points[i]
		e, err := r.Expect(m, p)
		switch {
		case !r.Holds(p.Condition):
		case err != nil:
			return only, false
		case r.leftOut(m, p):
			missing = append(missing, e.Reference)
		default:
			read = append(read, e.Reference)
		}
	}
	if len(missing) == 0 || len(read) < 2 {
		return only, false
	}
	only = Range{m.Title, slices.Min(read), slices.Max(read), r.Unit(m)}
	within := func(level float64) bool { return level > only.From && level < only.To }
	return only, only.From < only.To && !slices.ContainsFunc(missing, within)
}

// leftOut reports whether a point was left out in any round.
func (r Run) leftOut(m *procedure.Measure, p *procedure.Point) bool {
	for round := range r.LastRound(m) + 1 {
		if r.Omitted[PointKey{m.ID, p.ID, round}] != "" {
			return true
		}
	}
	return false
}
