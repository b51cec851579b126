package workshop

import "northneedle/core/reference"

// kit is an empty kit that chooses among the lab's standards as they are now.
func (ws *Workshop) kit() (reference.Kit, error) {
	found, err := ws.Ledger.Standards("")
	kit := reference.Kit{On: ws.Clock(), Standards: make([]reference.Standard, len(found))}
	for i, s := range found {
		kit.Standards[i] = s.Core()
	}
	return kit, err
}
