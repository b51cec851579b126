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
		})
	}
	return all
}
