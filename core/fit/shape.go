package fit

import (
	"cmp"
	"fmt"
	"math"
	"slices"
)

// Shape names what an error looks like across the levels of a device.
type Shape string

const (
	NoError    Shape = "none"       // indistinguishable from zero at every level
	Offset     Shape = "offset"     // the same everywhere
	Gain       Shape = "gain"       // in proportion to the level
	Both       Shape = "both"       // an offset and a gain
	Bent       Shape = "bent"       // no straight line explains it, and it is no scatter
	Hysteresis Shape = "hysteresis" // other on the way down than on the way up
	Scatter    Shape = "scatter"    // repeats at a level differ by more than their uncertainty
	Unknown    Shape = "unknown"    // too few levels to tell
)

// Shapes lists every Shape.
var Shapes = []Shape{NoError, Offset, Gain, Both, Bent, Hysteresis, Scatter, Unknown}

// PointError is the error found at one level with its standard uncertainty U (above zero).
type PointError struct {
	Level, Error, U float64
	Limit           float64 // half-width of the tolerance; 0 where there is none
	Direction       string  // "rising" or "falling" where that matters
	Step            float64 // of the display: two readings that differ by one step may be the same; 0: not known
}

// ErrorComponent is one ingredient of the errors. Size is the most it adds at any point, in the
// unit of the error; Share is that over the tolerance there (0 without one).
type ErrorComponent struct {
	Shape       Shape   `json:"shape"`
	Size        float64 `json:"size"`
	Share       float64 `json:"share"`
	Significant bool    `json:"significant"` // beyond twice its standard uncertainty
}

// ErrorComponents are the errors taken apart: every component, and the shape that dominates, named
// only where the data carry it.
type ErrorComponents struct {
	Shape  Shape            `json:"shape"`
	Offset float64          `json:"offset"` // in the unit of the error
	Gain   float64          `json:"gain"`   // error per unit of level: 0.02 is +2 %
	Parts  []ErrorComponent `json:"parts"`
}

// DecomposeErrors takes the errors at several levels apart by a line weighted with 1/u². The
// shape is the simplest of no error, offset, gain, offset with gain, that leaves every
// error within twice its standard uncertainty; bent where none does. A difference
// between the ways up and down, or between repeats at a level, beyond twice its
// uncertainty comes first: then no line means much. One level cannot tell an offset
// from a gain. JCGM 100, H.3; ISO 11095. It is an error where a number is not finite,
// an uncertainty not above zero, or there is no point.
func DecomposeErrors(points []PointError) (ErrorComponents, error) {
	if len(points) == 0 {
		return ErrorComponents{}, fmt.Errorf("there is no error to take apart")
	}
	for i, p := range points {
		sum := p.Level + p.Error + p.Limit
		switch {
		case math.IsNaN(sum) || math.IsInf(sum, 0):
			return ErrorComponents{}, fmt.Errorf("point %d: level, error or limit is not a number", i+1)
		case !(p.U > 0) || math.IsInf(p.U, 0):
			return ErrorComponents{}, fmt.Errorf("point %d: the uncertainty must be above zero, it is %g", i+1, p.U)
		case p.Limit < 0:
			return ErrorComponents{}, fmt.Errorf("point %d: the tolerance is given by its size, it is %g", i+1, p.Limit)
		}
	}
	points = slices.Clone(points)
	slices.SortStableFunc(points, func(a, b PointError) int { return cmp.Compare(a.Level, b.Level) })
	line := lay(points)
	a := ErrorComponents{Parts: line.parts(points)}
	a.Shape, a.Offset, a.Gain = name(points, line)
	if a.Shape == NoError || a.Shape == Scatter || a.Shape == Hysteresis {
		a.Offset, a.Gain = 0, 0
	}
	return a, nil
}

// name finds the simplest shape that explains the errors.
func name(points []PointError, both weightedLine) (Shape, float64, float64) {
	explained := func(offset, gain float64) bool {
		return !slices.ContainsFunc(points, func(p PointError) bool {
			return math.Abs(p.Error-offset-gain*p.Level) > 2*p.U*(1+1e-9)
		})
	}
	if explained(0, 0) {
		return NoError, 0, 0
	}
	if size, significant := apart(points, true); size > 0 && significant {
		return Hysteresis, 0, 0
	}
	if size, significant := apart(points, false); size > 0 && significant {
		return Scatter, 0, 0
	}
	if both.levels < 2 {
		return Unknown, both.mean, 0
	}
	if explained(both.mean, 0) {
		return Offset, both.mean, 0
	}
	if explained(0, both.slopeOnly) {
		return Gain, 0, both.slopeOnly
	}
	if explained(both.offset, both.gain) {
		return Both, both.offset, both.gain
	}
	return Bent, both.offset, both.gain
}

// apart is the largest difference between points at one level: between the ways up and
// down, or among those of the same way; and whether it is beyond twice its uncertainty and one step of the display.
// The points are in the order of their levels.
func apart(points []PointError, ways bool) (size float64, significant bool) {
	for i, a := range points {
		for _, b := range points[i+1:] {
			if !level(a.Level, b.Level) {
				break
			}
			if (a.Direction != b.Direction && a.Direction != "" && b.Direction != "") != ways {
				continue
			}
			d := math.Abs(a.Error - b.Error)
			if d > size {
				size = d
			}
			significant = significant || d > 2*math.Hypot(a.U, b.U) && d > math.Max(a.Step, b.Step)*(1+1e-9)
		}
	}
	return size, significant
}

// level reports whether two levels are one, but for the last binary digits.
func level(a, b float64) bool { return math.Abs(a-b) <= 1e-9*math.Max(math.Abs(a), math.Abs(b)) }

// weightedLine is error = offset + gain · level with the standard uncertainties that
// the points' own give it.
type weightedLine struct {
	levels           int
	offset, gain     float64
	uOffset, uGain   float64
	mean, uMean      float64 // the best constant
	slopeOnly, uOnly float64 // the best line through zero
}

func lay(points []PointError) weightedLine {
	var l weightedLine
	var w, wx, wy, wxx, wxy float64
	for i, p := range points {
		k := 1 / (p.U * p.U)
		w, wx, wy, wxx, wxy = w+k, wx+k*p.Level, wy+k*p.Error, wxx+k*p.Level*p.Level, wxy+k*p.Level*p.Error
		if i == 0 || !level(p.Level, points[i-1].Level) {
			l.levels++
		}
	}
	l.mean, l.uMean = wy/w, 1/math.Sqrt(w)
	if wxx > 0 {
		l.slopeOnly, l.uOnly = wxy/wxx, 1/math.Sqrt(wxx)
	}
	mx, my := wx/w, wy/w
	var sxx, sxy float64
	for _, p := range points {
		k := 1 / (p.U * p.U)
		sxx += k * (p.Level - mx) * (p.Level - mx)
		sxy += k * (p.Level - mx) * (p.Error - my)
	}
	l.offset, l.uOffset = l.mean, l.uMean
	if l.levels > 1 && sxx > 0 {
		l.gain, l.uGain = sxy/sxx, 1/math.Sqrt(sxx)
		l.offset, l.uOffset = my-l.gain*mx, math.Sqrt(1/w+mx*mx/sxx)
	}
	return l
}

// parts are every ingredient with its size, in the order they are looked at.
func (l weightedLine) parts(points []PointError) []ErrorComponent {
	part := func(shape Shape, significant bool, at func(PointError) float64) ErrorComponent {
		p := ErrorComponent{Shape: shape, Significant: significant}
		for _, e := range points {
			size := math.Abs(at(e))
			p.Size = math.Max(p.Size, size)
			if e.Limit > 0 {
				p.Share = math.Max(p.Share, size/e.Limit)
			}
		}
		return p
	}
	all := []ErrorComponent{part(Offset, math.Abs(l.offset) > 2*l.uOffset, func(PointError) float64 { return l.offset })}
	if l.levels > 1 {
		all = append(all, part(Gain, math.Abs(l.gain) > 2*l.uGain, func(e PointError) float64 { return l.gain * e.Level }))
	}
	if l.levels > 2 {
		rest := func(e PointError) float64 { return e.Error - l.offset - l.gain*e.Level }
		beyond := slices.ContainsFunc(points, func(e PointError) bool { return math.Abs(rest(e)) > 2*e.U*(1+1e-9) })
		all = append(all, part(Bent, beyond, rest))
	}
	for _, ways := range []bool{true, false} {
		shape := map[bool]Shape{true: Hysteresis, false: Scatter}[ways]
		if size, significant := apart(points, ways); size > 0 {
			all = append(all, part(shape, significant, func(PointError) float64 { return size }))
		}
	}
	return all
}
