package runview

import (
	"northneedle/core/procedure"
	"northneedle/core/run"
)

// Vessel is a cuvette or a tube that is filled for a run, with what is written on it.
type Vessel struct {
	What string // what is in it
	Of   string // what it is measured as
	Lot  string // of what is in it; empty where it has none, or that is not chosen yet
}

// Vessels are those that a step of a run has labels for, each once, in the order they are read. A step of another kind has none.
func Vessels(r run.Run, step string) []Vessel {
	act, is := r.Procedure.Step(step).(*procedure.ActStep)
	if !is {
		return nil
	}
	var all []Vessel
	for _, id := range act.Vessels {
		m := r.Procedure.Measure(id)
		if !r.Holds(m.Condition) {
			continue
		}
		for i := range m.Points {
			p := &m.Points[i]
			if !r.Holds(p.Condition) {
				continue
			}
			v := Vessel{What: p.Label, Of: m.Title}
			if role, _ := m.Source(p); role != "" {
				v.Lot = r.Bound[role].Standard.Lot
			}
			all = append(all, v)
		}
	}
	return all
}
