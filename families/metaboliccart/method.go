// Package metaboliccart is the family of metabolic carts.
package metaboliccart

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"northneedle/core/gas"
	"northneedle/core/procedure"
	"northneedle/core/quantity"
	"northneedle/core/uncertainty"
)

// Catalogue is what the family computes of its own.
var Catalogue = procedure.Catalogue{
	Patterns: map[string]procedure.Pattern{
		"cart-flow": {Read: cartFlow, Params: []string{"flow"}},
		"uptake":    {Read: uptake, Params: []string{"flow", "o2", "co2", "air"}},
	},
}

// workLevels are where a metabolic measurement is made, as invented but ordinary people show them.
var workLevels = []struct {
	name            string
	ve, feo2, feco2 float64
}{{"At rest", 8.2, 0.1680, 0.0370}, {"At moderate work", 35, 0.1640, 0.0440}, {"At hard work", 90, 0.1700, 0.0400}}

// Trials of each propagation: enough for two digits, little enough to be asked for again and again.
const uptakeTrials = 4000

// uptake reads the errors of a metabolic cart as what they do to oxygen uptake: the
// sentence that decides. Points say what they are of under "with": flow, o2, co2 (1),
// and air (1) for room air.
func uptake(c procedure.FindingInput) procedure.Diagnosis {
	points := c.Points
	flow, o2, co2 := procedure.Marked(points, "flow"), procedure.Marked(points, "o2"), procedure.Marked(points, "co2")
	if len(flow) == 0 || len(o2) == 0 || len(co2) == 0 {
		return procedure.Diagnosis{Shape: "unknown",
			Words: "Flow and both gases are needed to say what the errors mean."}
	}
	seen := procedure.Diagnosis{Shape: "means"}
	for _, w := range workLevels {
		line, err := meaning(w.name, gas.Exchange{
			VE:           w.ve,
			TemperatureC: 22,
			PressureHPa:  1013,
			FIO2:         inspired(o2, 20.93) / 100,
			FICO2:        inspired(co2, 0.04) / 100,
			FEO2:         w.feo2,
			FECO2:        w.feco2,
		}, flow, o2, co2)
		if err != nil {
			return procedure.Diagnosis{Shape: "unknown", Words: err.Error()}
		}
		seen.Lines = append(seen.Lines, line)
	}
	eO2, _ := errorAt(o2, 100*workLevels[0].feo2)
	eCO2, _ := errorAt(co2, 100*workLevels[0].feco2)
	mean, _ := flowError(flow)
	seen.Words = fmt.Sprintf("In expired gas O₂ is off by %s vol%%, CO₂ by %s vol%%, and the flow by %s %%.",
		quantity.FormatSigned(eO2, 0.01), quantity.FormatSigned(eCO2, 0.01), quantity.FormatSigned(mean, 0.1))
	seen.Lines = append(seen.Lines, fmt.Sprintf("What it means takes the inspired air as room air was taken to be: %s vol%% O₂, %s vol%% CO₂",
		quantity.Format(inspired(o2, 20.93), 0.01), quantity.Format(inspired(co2, 0.04), 0.01)))
	spanO2, spanCO2 := share(o2), share(co2)
	switch {
	case significantShare(o2) && significantShare(co2) && math.Abs(spanO2-spanCO2) < 2 && math.Abs(spanO2) > 2:
		seen.Shape, seen.Investigate = "proportion", true
		seen.Words = fmt.Sprintf("Both gases are off in the same proportion (%s and %s %%): pressure or humidity.",
			quantity.FormatSigned(spanO2, 0.1), quantity.FormatSigned(spanCO2, 0.1))
	case airOnly(append(o2, co2...)):
		seen.Shape, seen.Investigate = "room-air", true
		seen.Words = "Only room air is off: somebody breathed near the inlet, or the room is badly ventilated."
	}
	return seen
}

// inspired is what room air was taken to hold of a gas, in vol%; dry outdoor air where none was read.
func inspired(points []procedure.JudgedPoint, outdoors float64) float64 {
	for _, p := range points {
		if p.With["air"] > 0 {
			return p.Reference
		}
	}
	return outdoors
}

// cartFlow says by how much the strokes are off: the flow is accepted before a gas valve is opened.
func cartFlow(c procedure.FindingInput) procedure.Diagnosis {
	mean, _ := flowError(procedure.Marked(c.Points, "flow"))
	return procedure.Diagnosis{Shape: "any", Words: fmt.Sprintf("The strokes are off by %s %% on average. The gases come once the flow is accepted.",
		quantity.FormatSigned(mean, 0.1))}
}

// flowError is the mean error of the flow in percent, and the largest relative uncertainty.
func flowError(flow []procedure.JudgedPoint) (mean, u float64) {
	for _, p := range flow {
		mean += p.Percent() / float64(len(flow))
		u = math.Max(u, p.U/p.Reference)
	}
	return mean, u
}

// share is the error of a gas's certified point in percent of it.
func share(points []procedure.JudgedPoint) float64 {
	for _, p := range points {
		if p.With["air"] == 0 {
			return p.Percent()
		}
	}
	return 0
}

func significantShare(points []procedure.JudgedPoint) bool {
	for _, p := range points {
		if p.With["air"] == 0 && p.Significant() {
			return true
		}
	}
	return false
}

// airOnly reports whether room air is outside its limit and nothing else is.
func airOnly(points []procedure.JudgedPoint) bool {
	air, other := false, false
	for _, p := range points {
		out := math.Abs(p.ErrorToLimit) > 1
		air, other = air || out && p.With["air"] > 0, other || out && p.With["air"] == 0
	}
	return air && !other
}

// errorAt is a gas's error, in vol%, at a level between its points, with the larger of their uncertainties.
func errorAt(points []procedure.JudgedPoint, percent float64) (e, u float64) {
	sorted := slices.SortedFunc(slices.Values(points),
		func(a, b procedure.JudgedPoint) int { return cmp.Compare(a.Reference, b.Reference) })
	low, high := sorted[0], sorted[len(sorted)-1]
	for i, p := range sorted {
		u = math.Max(u, p.U)
		if i > 0 && i < len(sorted)-1 && p.Reference <= percent {
			low = p
		}
	}
	for i := len(sorted) - 2; i > 0 && sorted[i].Reference > percent; i-- {
		high = sorted[i]
	}
	if low.Reference == high.Reference {
		return low.Error, u
	}
	at := (percent - low.Reference) / (high.Reference - low.Reference)
	return low.Error + at*(high.Error-low.Error), u
}

// meaning says what the errors do to oxygen uptake, carbon dioxide output and their
// ratio at one level of work: by the Haldane transformation, with the uncertainty by
// Monte Carlo (JCGM 101).
func meaning(name string, actual gas.Exchange, flow, o2, co2 []procedure.JudgedPoint) (string, error) {
	mean, uFlow := flowError(flow)
	eO2, uO2 := errorAt(o2, 100*actual.FEO2)
	eCO2, uCO2 := errorAt(co2, 100*actual.FECO2)
	before, err := actual.Uptake()
	if err != nil {
		return "", err
	}
	off := actual
	off.VE, off.FEO2, off.FECO2 = actual.VE*(1+mean/100), actual.FEO2+eO2/100, actual.FECO2+eCO2/100
	after, err := off.Uptake()
	if err != nil {
		return "", err
	}
	model, err := off.Model()
	if err != nil {
		return "", err
	}
	input := func(value, u float64) uncertainty.Quantity {
		return uncertainty.Quantity{Value: value, Terms: []uncertainty.Term{{Distribution: uncertainty.Normal, Width: u,
			K: 2}}}
	}
	spread, err := uncertainty.Propagate(model, []uncertainty.Quantity{input(off.VE, off.VE*uFlow),
		input(off.FEO2, uO2/100), input(off.FECO2, uCO2/100)}, 0.95, uptakeTrials, 1)
	if err != nil {
		return "", err
	}
	change := func(a, b float64) float64 { return 100 * (b - a) / a }
	part := func(a, b float64) string { return quantity.FormatSigned(change(a, b), 0.1) }
	return fmt.Sprintf("%s: VO₂ %s %% (U %s %%), VCO₂ %s %%, RER %s %%", name, part(before.VO2, after.VO2),
		quantity.Format(200*spread.Standard/before.VO2, 0.1), part(before.VCO2, after.VCO2),
		part(before.RER, after.RER)), nil
}
