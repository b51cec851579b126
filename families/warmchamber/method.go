// Package warmchamber is the family of warm chambers.
package warmchamber

import (
	"fmt"
	"math"

	"northneedle/core/procedure"
	"northneedle/core/quantity"
	"northneedle/core/signal"

	"gonum.org/v1/gonum/stat"
)

// Catalogue is what the family computes of its own.
var Catalogue = procedure.Catalogue{
	Captures: map[string]procedure.CaptureMethod{
		"stability": {Params: []string{"settle"}, Read: stability},
		"recovery":  {Params: []string{"band", "patience"}, Read: recovery},
	},
	Patterns: map[string]procedure.Pattern{"zone-map": {Read: zoneMap, Params: []string{"column", "uniformity"}}},
}

// stability is half of what a reading wanders over the window, from least to most, once it has arrived.
// With: settle, for how many s at most a probe that was moved goes on settling.
func stability(in procedure.CaptureInput) procedure.LiveReading {
	trace := in.Trace()
	if len(trace) == 0 {
		return procedure.LiveReading{Why: "no reading yet"}
	}
	begin, end := trace[0].T, trace[len(trace)-1].T
	settling := trace
	for len(settling) > 0 && settling[len(settling)-1].T > begin+in.With["settle"] {
		settling = settling[:len(settling)-1]
	}
	if a, goes := signal.Approaching(settling, 5); goes {
		begin = min(end, a.Within(in.Near()))
	}
	low, high := math.Inf(1), math.Inf(-1)
	for _, s := range trace {
		if s.T >= end-in.Seconds {
			low, high = math.Min(low, s.V), math.Max(high, s.V)
		}
	}
	half := (high - low) / 2
	live := procedure.LiveReading{Value: &half, Values: []float64{half}}
	live.Say("between", "%.3f and %.3f", low, high)
	if left := in.Seconds - (end - begin); left > 0.5 {
		live.Why = fmt.Sprintf("watching for %.0f s more", math.Ceil(left))
		if begin == end {
			live.Why = fmt.Sprintf("the probe still settles; then watching for %.0f s", in.Seconds)
		}
		return live
	}
	live.Steady, live.Why = true, fmt.Sprintf("watched for %.0f s", in.Seconds)
	live.Detail = live.Why
	return live
}

// recovery is how long a reading takes, from the beginning of its trace, to come back to
// within a band (with: band) of where it began, after it left it; patience in s.
func recovery(in procedure.CaptureInput) procedure.LiveReading {
	trace := in.Trace()
	if len(trace) < 2 {
		return procedure.LiveReading{Why: "no reading yet"}
	}
	from, band := trace[0], in.With["band"]
	left, back := false, 0.0
	for _, s := range trace {
		if out := math.Abs(s.V-from.V) > band; out {
			left, back = true, 0
		} else if left && back == 0 {
			back = s.T - from.T
		}
	}
	passed := trace[len(trace)-1].T - from.T
	live := procedure.LiveReading{}
	switch {
	case back > 0:
		live.Value, live.Values, live.Steady = &back, []float64{back}, true
		live.Why = fmt.Sprintf("back within ±%g after %.0f s", band, back)
	case in.With["patience"] > 0 && passed > in.With["patience"]:
		live.Value, live.Values, live.Steady = &passed, []float64{passed}, left
		live.Why = fmt.Sprintf("not back within %.0f s", passed)
	case !left:
		live.Why = "open the lid: it has not left its band yet"
	default:
		live.Value = &passed
		live.Why = fmt.Sprintf("on its way back for %.0f s", passed)
	}
	live.Detail = live.Why
	return live
}

// hotOrCold is an error of a temperature in words.
func hotOrCold(err float64) string {
	way := "too warm"
	if err < 0 {
		way = "too cold"
	}
	return quantity.Format(math.Abs(err), 0.01) + " °C " + way
}

// zoneMap reads a chamber's compartments: one side that is low, or one that is off by
// itself, and holds how far they lie apart against the limit that one of the points gives (with: uniformity, from the coldest
// to the warmest). Points say their column.
func zoneMap(c procedure.FindingInput) procedure.Diagnosis {
	var all []procedure.JudgedPoint
	for _, p := range c.Points {
		if _, placed := p.With["column"]; placed {
			all = append(all, p)
		}
	}
	if len(all) == 0 {
		return procedure.Diagnosis{Shape: "unknown", Words: "No compartment was measured."}
	}
	low, high, worst := math.Inf(1), math.Inf(-1), all[0]
	var left, right []float64
	columns, apart := 0.0, 0.0
	for _, p := range all {
		columns = math.Max(columns, p.With["column"])
	}
	for _, p := range all {
		measured := p.Reference + p.Error
		low, high = math.Min(low, measured), math.Max(high, measured)
		apart = math.Max(apart, p.With["uniformity"])
		if math.Abs(p.ErrorToLimit) > math.Abs(worst.ErrorToLimit) {
			worst = p
		}
		if p.With["column"] <= columns/2 {
			left = append(left, measured)
		} else {
			right = append(right, measured)
		}
	}
	seen := procedure.Diagnosis{Shape: "map",
		Words: fmt.Sprintf("The compartments lie between %s and %s; the furthest off is %s, %s.",
			quantity.Format(low, 0.01), quantity.Format(high, 0.01), worst.Label, hotOrCold(worst.Error))}
	if apart > 0 && high-low > apart+1e-9 && math.Abs(worst.ErrorToLimit) <= 1 { // else the compartments say it themselves
		seen.Fails = fmt.Sprintf("the compartments lie %s apart, more than %g", quantity.Format(high-low, 0.01), apart)
		seen.Words += fmt.Sprintf(" They lie %s apart; %g is the most.", quantity.Format(high-low, 0.01), apart)
	}
	if d := stat.Mean(left, nil) - stat.Mean(right, nil); len(right) > 0 && math.Abs(d) > 0.25 {
		side := "right"
		if d < 0 {
			side = "left"
		}
		seen.Shape, seen.Words = "side", seen.Words+
			fmt.Sprintf(" The %s side is lower by %s: a draught or the lid.", side, quantity.Format(math.Abs(d), 0.01))
	}
	return seen
}
