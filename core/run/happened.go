package run

import (
	"slices"

	"northneedle/core/procedure"
)

// Happened returns the events that this run was to its device: those whose condition holds and whose loose end was opened.
// Signing the run makes the duties due that name them.
func (r Run) Happened() (all []procedure.Happening) {
	for _, h := range r.Procedure.Happens {
		opened := func(item OpenItem) bool { return item.What == h.Opened }
		if r.Holds(h.Condition) && slices.ContainsFunc(r.OpenItems, opened) {
			all = append(all, h)
		}
	}
	return all
}
