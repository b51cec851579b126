package run

import (
	"northneedle/core/adjust"
	"northneedle/core/reference"
)

// Done are the findings that a signed run decided, for procedures that require them.
func (r Run) Done() []reference.Done {
	if r.Status != Signed {
		return nil
	}
	var all []reference.Done
	settings := r.settings()
	for _, s := range r.Procedure.Findings() {
		state := r.Findings[s.ID]
		if r.Marks[s.ID].Skipped != "" || !state.Done() {
			continue
		}
		passed := state.Last().Decision != adjust.Withdraw
		if _, verdicts, err := r.judged(s.Measures, state.Closed-1); err == nil {
			for _, v := range verdicts {
				passed = passed && v.Pass
			}
		}
		all = append(all, reference.Done{
			Procedure: r.Procedure.ID,
			Finding:   s.ID,
			Run:       r.ID,
			At:        r.Signature.At,
			By:        r.Signature.By.Name,
			Passed:    passed,
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

// LeftAs is how a standard in the run was left by its own preparation in what a field records, and which standard that is; false
// where no preparation says so.
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
