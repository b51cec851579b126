package api

import "northneedle/core/reference"

// kit is an empty kit that chooses among the lab's standards as they are now.
func (h *House) kit() (reference.Kit, error) {
	found, err := h.Ledger.Standards("")
	kit := reference.Kit{On: h.Clock(), Standards: make([]reference.Standard, len(found))}
	for i, s := range found {
		kit.Standards[i] = s.Core()
	}
	return kit, err
}
