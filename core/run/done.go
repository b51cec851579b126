package run

import (
	"math"
	"northneedle/core/adjust"
	"northneedle/core/procedure"
	"northneedle/core/reference"
	"slices"
)

// Done are the findings of a standard that a signed run decided, for procedures that require them: all of them where the run
// was on the standard itself, else those that say that they are of what filled its role.
func (r Run) Done(tag string) []reference.Done {
	if r.Status != Signed {
		return nil
	}
	var all []reference.Done
	for _, s := range r.Procedure.Findings() {
		state := r.Findings[s.ID]
		if r.Marks[s.ID].Skipped != "" || !state.Done() {
			continue
		}
		itself := r.Device.Tag == tag
		if !itself && (s.Of == "" || r.Bound[s.Of].Standard.Tag != tag) {
			continue
		}
		passed, found := state.Last().Decision != adjust.Withdraw, 0.0
		if _, verdicts, err := r.judged(s.Measures, state.Closed-1); err == nil {
			for _, v := range verdicts {
				passed, found = passed && v.Pass, max(found, math.Abs(v.Error))
			}
		}
		var settings []reference.Setting
		if itself { // the records of a run on something else say how that was set
			settings = r.settings()
		}
		all = append(all, reference.Done{
			Procedure: r.Procedure.ID,
			Finding:   s.ID,
			Run:       r.ID,
			At:        r.Signature.At,
			By:        r.Signature.By.Name,
			Passed:    passed,
			Found:     found,
			Settings:  settings,
		})
	}
	return all
}

// settings are what a run's records say, in words.
func (r Run) settings() (all []reference.Setting) {
	for f := range r.Procedure.Fields() {
		if said := f.Recorded(r.Plate, r.Choices); said != "" {
			all = append(all, reference.Setting{Field: f.ID, Label: f.Label, Value: said})
		}
	}
	return all
}

// LeftAs is how a standard in the run was left by its own preparation in what a field records, and which standard that
// is; false where no preparation says so.
func (r Run) LeftAs(field string) (set reference.Setting, done reference.Done, tag string, ok bool) {
	for _, role := range r.Procedure.Roles {
		if bound, filled := r.Bound[role.ID]; filled {
			if set, done, ok = bound.Standard.LeftAs(field); ok {
				return set, done, bound.Standard.Tag, true
			}
		}
	}
	return set, done, "", false
}

// found is the largest error that the check of what fills a role found of it: in this run where it does that itself,
// else in the run before that did.
func (r Run) found(role string, standard reference.Standard) (largest float64) {
	for _, f := range r.Procedure.Findings() {
		state := r.Findings[f.ID]
		if f.Of != role || state.Closed == 0 || !r.readWith(f, role, standard) {
			continue
		}
		_, verdicts, err := r.judged(f.Measures, state.Closed-1)
		if err != nil || len(verdicts) == 0 {
			continue
		}
		for _, v := range verdicts {
			largest = max(largest, math.Abs(v.Error))
		}
		return largest
	}
	of, _ := r.Procedure.RoleOf(role)
	return of.Found(standard)
}

// readWith reports whether the last reading of a finding was taken with a standard in a role: it may have been exchanged since.
func (r Run) readWith(f *procedure.Finding, role string, standard reference.Standard) bool {
	for at, reading := range slices.Backward(r.Readings) {
		if reading.Stands() && slices.Contains(f.Judges, reading.Measure) {
			bound, filled := r.boundFor(role, at)
			return filled && bound.Standard.ID == standard.ID
		}
	}
	return false
}
