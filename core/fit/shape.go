package fit

import (
	"math"
	"slices"
)

// Shape names what an error looks like across the levels of a device.
type Shape string

const (
	NoError Shape = "none"    // indistinguishable from zero at every level
	Offset  Shape = "offset"  // the same everywhere
	Gain    Shape = "gain"    // in proportion to the level
	Both    Shape = "both"    // an offset and a gain
	Bent    Shape = "bent"    // no straight line explains it, and it is no scatter
	Scatter Shape = "scatter" // repeats at a level differ by more than their uncertainty
	Unknown Shape = "unknown" // too few levels to tell
)

// ErrorAt is the error found at one level with its standard uncertainty u (above zero).
type ErrorAt struct{ Level, Error, U float64 }

// Anatomy is the simplest shape that explains the errors, and its size.
type Anatomy struct {
	Shape  Shape   `json:"shape"`
	Offset float64 `json:"offset"` // in the unit of the error
	Gain   float64 `json:"gain"`   // error per unit of level: 0.02 is +2 %
}

// Dissect names the simplest of no error, offset, gain, offset with gain, that
// leaves every error within twice its standard uncertainty; bent where none does.
// Fits are weighted by 1/u². One level cannot tell an offset from a gain, and
// repeats at one level that differ by more than twice their uncertainty are scatter.
func Dissect(points []ErrorAt) Anatomy {
	if len(points) == 0 {
		return Anatomy{Shape: Unknown}
	}
	explained := func(a Anatomy) bool {
		return !slices.ContainsFunc(points, func(p ErrorAt) bool {
			return math.Abs(p.Error-a.Offset-a.Gain*p.Level) > 2*p.U*(1+1e-9)
		})
	}
	if none := (Anatomy{Shape: NoError}); explained(none) {
		return none
	}
	if scattered(points) {
		return Anatomy{Shape: Scatter}
	}
	levels := map[float64]bool{}
	for _, p := range points {
		levels[p.Level] = true
	}
	if len(levels) < 2 {
		return Anatomy{Shape: Unknown, Offset: weighted(points).Offset}
	}
	var offset, gain Anatomy
	var w, we, wll, wle float64
	for _, p := range points {
		k := 1 / (p.U * p.U)
		w, we, wll, wle = w+k, we+k*p.Error, wll+k*p.Level*p.Level, wle+k*p.Level*p.Error
	}
	offset = Anatomy{Shape: Offset, Offset: we / w}
	gain = Anatomy{Shape: Gain, Gain: wle / wll}
	both := weighted(points)
	for _, a := range []Anatomy{offset, gain, both} {
		if explained(a) {
			return a
		}
	}
	both.Shape = Bent
	return both
}

func scattered(points []ErrorAt) bool {
	for i, a := range points {
		for _, b := range points[i+1:] {
			if a.Level == b.Level && math.Abs(a.Error-b.Error) > 2*math.Hypot(a.U, b.U) {
				return true
			}
		}
	}
	return false
}

// weighted is the weighted line of error on level; an offset alone where there is one level.
func weighted(points []ErrorAt) Anatomy {
	var w, ml, me float64
	for _, p := range points {
		k := 1 / (p.U * p.U)
		w, ml, me = w+k, ml+k*p.Level, me+k*p.Error
	}
	ml, me = ml/w, me/w
	var sll, sle float64
	for _, p := range points {
		k := 1 / (p.U * p.U)
		sll += k * (p.Level - ml) * (p.Level - ml)
		sle += k * (p.Level - ml) * (p.Error - me)
	}
	a := Anatomy{Shape: Both}
	if sll > 0 {
		a.Gain = sle / sll
	}
	a.Offset = me - a.Gain*ml
	return a
}
