// Package electricalsafety is the electrical safety test in service: a procedure for the devices of every family.
package electricalsafety

import (
	"fmt"
	"math"
	"slices"

	"northneedle/core/procedure"
)

// Catalogue is what the test computes of its own.
var Catalogue = procedure.Catalogue{
	Captures: map[string]procedure.CaptureMethod{"highest": {Read: highest}},
	Patterns: map[string]procedure.Pattern{"electrical": {Read: electrical}},
}

// highest is the highest value of a window: of a resistance while its cable is bent. It is ready when the window is full.
func highest(in procedure.CaptureInput) procedure.LiveReading {
	trace := in.Trace()
	if len(trace) == 0 {
		return procedure.LiveReading{Why: "waiting for the tester"}
	}
	now := trace[len(trace)-1].T
	least, most := math.Inf(1), math.Inf(-1)
	for _, s := range trace {
		if s.T >= now-in.Seconds {
			least, most = min(least, s.V), max(most, s.V)
		}
	}
	live := procedure.LiveReading{Value: &most, Values: []float64{most}}
	live.Say("lowest and highest", "%.3g to %.3g", least, most)
	if left := in.Seconds - (now - trace[0].T); left > 0.01 {
		live.Why = fmt.Sprintf("bend the cable along its length: %.0f s more", math.Ceil(left))
		live.Detail = live.Why
		return live
	}
	live.Steady = true
	live.Why = "the highest of the window"
	live.Detail = fmt.Sprintf("highest of %.0f s while the cable was bent; the lowest was %.3g", in.Seconds, least)
	return live
}

// kinds are what is judged, by measure, with the shape that a value outside its limit has.
var kinds = []struct{ measure, shape, words string }{
	{"protective-earth", "earth", "The protective earth is too high: %s. Another mains cable first; then the joint."},
	{"applied-leakage", "applied", "An applied part leaks too much: %s. Another lead first."},
	{"equipment-leakage", "leakage", "The leakage is too high: %s. Moisture or the mains filter; another method should agree."},
	{"insulation", "insulation", "The insulation is too low: %s. Moisture, or damage."},
}

// electrical reports the first measure, in the order of kinds, that has a point outside its limit. Where every point is inside,
// it reports the first point whose value jumped since the device's first good test.
func electrical(in procedure.FindingInput) procedure.Diagnosis {
	for _, k := range kinds {
		at := slices.IndexFunc(in.Points, func(p procedure.JudgedPoint) bool {
			return p.Measure == k.measure && !p.Pass
		})
		if at >= 0 {
			return procedure.Diagnosis{Shape: k.shape, Words: fmt.Sprintf(k.words, in.Points[at].Label) +
				" The test repairs nothing: out of use, repair, and all again."}
		}
	}
	for _, p := range in.Points {
		if p.Jump != "" {
			return procedure.Diagnosis{Shape: "jump", Words: fmt.Sprintf("%s keeps its limit, and has jumped: %s.", p.Label, p.Jump)}
		}
	}
	return procedure.Diagnosis{Shape: "none", Words: "Every value keeps its limit, and none has jumped since the first test."}
}
