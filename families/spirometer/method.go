// Package spirometer is the family of spirometers.
package spirometer

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"northneedle/core/procedure"
	"northneedle/core/quantity"
	"northneedle/core/signal"
)

// Catalogue is what the family computes of its own.
var Catalogue = procedure.Catalogue{
	Methods: map[string]procedure.Method{"syringe": {Compute: syringe,
		Words: "a volume shown, beside a syringe's, in the gas conditions that were chosen", Value: true}},
	Captures: map[string]procedure.CaptureMethod{
		"strokes": {Params: []string{"low", "high", "direction", "pause", "impact", "least", "rest"}, Read: strokes},
	},
	Patterns: map[string]procedure.Pattern{"strokes": {Read: strokePattern}},
}

// syringe compares a volume that a device measured with the one a calibration syringe
// moved, both at the conditions of the room. ISO 26782.
func syringe(in procedure.Input) (procedure.Outcome, error) {
	c, per, factor, err := in.Only("syringe")
	if err != nil {
		return procedure.Outcome{}, err
	}
	volume := c.Value * per
	return procedure.Outcome{
		Reference: volume,
		Unit:      in.Shown,
		Factor:    factor,
		Terms:     c.Terms("Syringe", per, in.Years),
		Formula:   "error = mean volume of the strokes that count − volume of the syringe",
	}, nil
}

// strokes takes the last whole strokes of a point's direction that count: in their
// speed band, with a pause after them, without a bang at the end stop. With: low and
// high of the mean flow in L/s; direction 1 (injected) or −1 (withdrawn); pause in s;
// impact and least volume as for [signal.Technique]; rest, the flow in L/s that the sensor may show while nothing
// flows: a device adds it to every stroke, the slow ones most.
func strokes(in procedure.CaptureInput) procedure.LiveReading {
	trace := signal.Unbroken(in.Trace(), in.Rate)
	if in.Rate < 10 || float64(len(trace)) < in.Rate {
		return procedure.LiveReading{Why: "waiting for the first strokes"}
	}
	flow := make([]float64, len(trace))
	for i, s := range trace {
		flow[i] = s.V
	}
	want := signal.Technique{
		Low:         in.With["low"],
		High:        in.With["high"],
		Pause:       in.With["pause"],
		Impact:      in.With["impact"],
		LeastVolume: in.With["least"],
	}
	rest := signal.RestLevel(flow)
	found := signal.StrokesAbout(flow, in.Rate, rest, want)
	made := ofDirection(found, in.With["direction"])
	live := procedure.LiveReading{Figures: map[string]any{"strokes": made}}
	var volumes []float64
	share := 0.0 // of a stroke, at most, that flow at rest makes
	for _, s := range made {
		if s.Counted {
			left := asIntegrated(s, rest)
			volumes, share = append(volumes, left), max(share, math.Abs(left-s.Volume)/s.Volume)
		}
	}
	volumes = volumes[max(0, len(volumes)-in.Count):]
	live.Say("flow at rest", "%+.4f L/s, up to %.1f %% of a stroke", rest, 100*share)
	live.Say("strokes that count", "%d of %d", len(volumes), in.Count)
	if n := len(made); n > 0 {
		last := made[n-1]
		live.Say("last", "%.3f L at %.2f L/s", last.Volume, last.Mean)
	}
	live = judgeStrokes(live, len(made), volumes, in)
	if live.Detail != "" {
		live.Detail += fmt.Sprintf("; flow at rest %+.4f L/s left in, up to %.1f %% of a stroke", rest, 100*share)
	}
	if n := len(made); n > 0 && !live.Steady && !made[n-1].Counted {
		live.Why += "; the last one does not count: " + strings.Join(made[n-1].Why, ", ")
	}
	if most := in.With["rest"]; most > 0 && math.Abs(rest) > most {
		live.Steady = false
		live.Why = fmt.Sprintf("zero again: flow at rest %+.2g L/s", rest)
	}
	return live
}

// asIntegrated is a stroke's volume in L as the device makes it: with the flow that it shows at rest left in.
func asIntegrated(s signal.Stroke, rest float64) float64 {
	if !s.Positive {
		rest = -rest
	}
	return s.Volume + rest*s.Seconds
}

func ofDirection(found []signal.Stroke, direction float64) []signal.Stroke {
	all := []signal.Stroke{}
	for _, s := range found {
		if direction == 0 || s.Positive == (direction > 0) {
			all = append(all, s)
		}
	}
	return all
}

// judgeStrokes says whether the strokes that count are enough, and alike.
func judgeStrokes(l procedure.LiveReading, made int, volumes []float64,
	in procedure.CaptureInput) procedure.LiveReading {
	if len(volumes) == 0 {
		l.Why = "no stroke that counts yet"
		return l
	}
	mean := 0.0
	for _, v := range volumes {
		mean += v / float64(len(volumes))
	}
	l.Value, l.Values = &mean, volumes
	l.Detail = fmt.Sprintf("%d strokes that count, of %d made", len(volumes), made)
	spread := slices.Max(volumes) - slices.Min(volumes)
	switch {
	case len(volumes) < in.Count:
		l.Why = fmt.Sprintf("%d more that counts", in.Count-len(volumes))
	case spread > in.Limit:
		l.Why = fmt.Sprintf("the strokes differ by %.0f mL: too much to be one technique", 1000*spread)
	default:
		l.Steady, l.Why = true, fmt.Sprintf("%d strokes are alike", len(volumes))
	}
	if math.IsNaN(mean) {
		l.Steady = false
	}
	return l
}

// What body conditions left on for a syringe at room conditions would add, in percent:
// warming from about 20 °C to 37 °C and saturating makes 8 to 10, with some room for
// the sensor's own error.
const bodyConditionsLow, bodyConditionsHigh = 6, 12

// strokePattern tells a common error from one of a direction or of the fast strokes.
func strokePattern(c procedure.FindingInput) procedure.Diagnosis {
	points := slices.DeleteFunc(slices.Clone(c.Points),
		func(p procedure.JudgedPoint) bool { return p.With["direction"] == 0 })
	for _, p := range c.Points {
		if p.With["direction"] == 0 && math.Abs(p.ErrorToLimit) > 1 {
			return procedure.Diagnosis{Shape: "zero",
				Words: fmt.Sprintf("Flow at rest stands at %s: it was not zeroed, and every volume carries it.",
					quantity.FormatSigned(p.Error, 0.01))}
		}
	}
	if !slices.ContainsFunc(points, procedure.JudgedPoint.Significant) {
		return procedure.Diagnosis{Shape: "none", Words: "Every error lies within its own uncertainty."}
	}
	all := spreadOf(points, func(procedure.JudgedPoint) bool { return true })
	out := spreadOf(points, func(p procedure.JudgedPoint) bool { return p.With["direction"] > 0 })
	back := spreadOf(points, func(p procedure.JudgedPoint) bool { return p.With["direction"] < 0 })
	top := 0.0
	for _, p := range points {
		top = math.Max(top, p.With["low"])
	}
	fast := spreadOf(points, func(p procedure.JudgedPoint) bool { return p.With["low"] >= top/2 })
	rest := spreadOf(points, func(p procedure.JudgedPoint) bool { return p.With["low"] < top/2 })
	switch {
	case all.width < 2 && all.mean > bodyConditionsLow && all.mean < bodyConditionsHigh:
		return procedure.Diagnosis{Shape: "conditions",
			Words: fmt.Sprintf("Every stroke reads about %.1f %% too much: as much as body conditions left on would give.", all.mean), Investigate: true}
	case all.width < 2:
		return procedure.Diagnosis{Shape: "alike",
			Words: fmt.Sprintf("Every stroke is off by about the same: %+.1f %%.", all.mean)}
	case out.n > 0 && back.n > 0 && math.Max(out.width, back.width) < 2 && math.Abs(out.mean-back.mean) > 2:
		return procedure.Diagnosis{Shape: "direction",
			Words: fmt.Sprintf("One direction is off: injected %+.1f %%, withdrawn %+.1f %%.", out.mean,
				back.mean),
			Investigate: true}
	case rest.n > 0 && math.Max(fast.width, rest.width) < 2 && math.Abs(fast.mean-rest.mean) > 2:
		return procedure.Diagnosis{Shape: "fast",
			Words: fmt.Sprintf("Only the fast strokes are off: %+.1f %%, the others %+.1f %%.", fast.mean,
				rest.mean),
			Investigate: true}
	}
	return procedure.Diagnosis{Shape: "mixed", Words: "The strokes are off by different amounts."}
}

type spread struct {
	n           int
	mean, width float64 // percent
}

func spreadOf(points []procedure.JudgedPoint, which func(procedure.JudgedPoint) bool) spread {
	s := spread{}
	low, high := math.Inf(1), math.Inf(-1)
	for _, p := range points {
		if !which(p) {
			continue
		}
		e := p.Percent()
		s.n++
		s.mean += e
		low, high = math.Min(low, e), math.Max(high, e)
	}
	if s.n > 0 {
		s.mean /= float64(s.n)
		s.width = high - low
	}
	return s
}
