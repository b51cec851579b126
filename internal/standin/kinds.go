package standin

import (
	"cmp"
	"slices"
)

// World is what the simulated instruments find around them: what is really in each
// cylinder, as dry fractions in vol% by gas, by the cylinder's tag.
type World struct {
	Cylinders map[string]map[string]float64
}

// Kind is a sort of simulated instrument.
type Kind struct {
	ID   string // also the kind of instrument that a procedure names
	Name string
	New  func(World) Model
}

var kinds []Kind

// register makes a kind known; each model's file does so.
func register(k Kind) { kinds = append(kinds, k) }

// Kinds are all simulated instruments, by their id.
func Kinds() []Kind {
	all := slices.Clone(kinds)
	slices.SortFunc(all, func(a, b Kind) int { return cmp.Compare(a.ID, b.ID) })
	return all
}
