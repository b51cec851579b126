// Package chemistryanalyser is the family of bench chemistry analysers: single-test cuvettes, wells that warm them, one chamber
// that reads them. Every test has a calibration of its own.
package chemistryanalyser

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"northneedle/core/procedure"
	"northneedle/core/quantity"
	"northneedle/families/photometer"
)

// Catalogue is what the family computes of its own.
var Catalogue = procedure.Catalogue{
	Methods: map[string]procedure.Method{},
	Captures: map[string]procedure.CaptureMethod{
		"kinetic": {Params: []string{"lag"}, RawUnits: true, Read: kinetic},
	},
	Patterns: map[string]procedure.Pattern{
		"chemistry-calibration": {Read: calibration, Params: []string{"blank", "calibrator", "water", "second", "cuvette", "reagent",
			"sample", "added"}},
		"chemistry-controls": {Read: controls, Params: []string{"level"}},
	},
}

// kinetic reads the speed of a reaction in absorbance per minute, after a lag in s: the slope of a straight line over the
// window. A reaction whose two halves do not run alike has no speed that is taken.
func kinetic(in procedure.CaptureInput) procedure.LiveReading {
	trace, lag := in.Trace(), in.With["lag"]
	if len(trace) == 0 {
		return procedure.LiveReading{Why: "waiting for the analyser"}
	}
	begun := trace[0].T
	from := slices.IndexFunc(trace, func(s sample) bool { return s.T >= begun+lag })
	passed := trace[len(trace)-1].T - begun
	if wait := lag + in.Seconds - passed; wait > 0.01 {
		return procedure.LiveReading{Why: fmt.Sprintf("the reaction runs: %.0f s more", math.Ceil(wait))}
	}
	window := trace[from:]
	if end := slices.IndexFunc(window, func(s sample) bool { return s.T > begun+lag+in.Seconds }); end > 0 {
		window = window[:end] // read again later it is the same reading
	}
	speed, err := Speed(window)
	if err != nil {
		return procedure.LiveReading{Why: err.Error()}
	}
	live := procedure.LiveReading{Value: &speed.PerMinute, Values: []float64{speed.PerMinute}, Steady: true,
		Why: "the reaction ran straight"}
	live.Say("first and second half", "%.4f and %.4f a minute", speed.First, speed.Second)
	live.Detail = fmt.Sprintf("over %.0f s after %.0f s: %.4f a minute in the first half, %.4f in the second", in.Seconds, lag,
		speed.First, speed.Second)
	if speed.Bends() {
		live.Detail += ": it bends"
		live.Steady, live.Why = false, "the reaction bends: the substrate is used up, or the reagent is cold or old. Take a fresh cuvette"
	}
	return live
}

// readings are the judged points of a finding by what they are of.
type readings struct{ c procedure.FindingInput }

// of is what was read at the points of one mark, by another: the absorbances of blanks, for example. The U is the largest.
func (r readings) of(is ...string) (values []float64, u float64) {
	for _, p := range r.c.Points {
		all := true
		for _, mark := range is {
			without, not := strings.CutPrefix(mark, "not ")
			all = all && (p.With[without] > 0) != not
		}
		if all {
			values, u = append(values, p.Reference+p.Error), max(u, p.U)
		}
	}
	return values, u
}

// with is the first number given under a name at any point.
func (r readings) with(name string) float64 {
	for _, p := range r.c.Points {
		if v := p.With[name]; v > 0 {
			return v
		}
	}
	return 0
}

// apartShare is how far two cuvettes of one calibrator may be apart, as a share of their mean.
const apartShare = 0.05

// calibration judges the cell, the blanks and the calibrator of a test, and works its factor out.
func calibration(c procedure.FindingInput) procedure.Diagnosis {
	r := readings{c}
	for _, p := range c.Points {
		if p.Pass {
			continue
		}
		switch {
		case p.With["blank"] > 0:
			return procedure.Diagnosis{Shape: "blank", Investigate: true, Words: fmt.Sprintf(
				"%s is too high: a cuvette that is dirty or the wrong way round, or an old reagent. Wipe it, turn it, or take another.", p.Label)}
		case p.With["calibrator"] > 0 || p.With["water"] > 0:
			return procedure.Diagnosis{Shape: "jump", Investigate: true, Words: p.Label +
				" is outside what the insert leads one to expect: another cuvette, not mixed, or not this calibrator."}
		}
		return procedure.Diagnosis{Shape: "temperature", Investigate: true, Words: p.Label +
			" is outside: reactions run at another speed. Nothing is calibrated before the cell is at its temperature."}
	}
	figures, words, err := factor(r)
	if err != nil {
		return procedure.Diagnosis{Shape: "exchanged", Investigate: true, Fails: err.Error(), Words: "No factor follows: " + err.Error() + "."}
	}
	d := procedure.Diagnosis{Shape: "none", Words: words, Figures: figures}
	for _, f := range figures {
		d.Lines = append(d.Lines, f.Words())
	}
	if read, _ := r.of("calibrator", "not second"); len(read) == 2 {
		if apart := math.Abs(read[0]-read[1]) / ((read[0] + read[1]) / 2); apart > apartShare {
			d.Shape, d.Investigate = "apart", true
			d.Fails = fmt.Sprintf("the two cuvettes of the calibrator are %.1f %% apart", 100*apart)
			d.Words = "The two cuvettes of the calibrator are " + fmt.Sprintf("%.1f %% apart: not mixed, or a bubble. Fill two new ones.", 100*apart)
			return d
		}
	}
	for _, p := range c.Points {
		if p.Jump != "" {
			d.Shape = "jump"
			d.Words = fmt.Sprintf("%s has jumped since the last calibration: %s. On this test alone it is the cuvette, mixing or the lot; on every test the lamp or the temperature.",
				p.Label, p.Jump)
			return d
		}
	}
	return d
}

// factor is the factor of a test from what was read, as figures and in words.
func factor(r readings) ([]procedure.Figure, string, error) {
	concentration, named := r.c.Plate["concentration"]
	if !named {
		return nil, "", fmt.Errorf("the calibrator's concentration is not recorded")
	}
	unit := "1"
	uC := 0.0
	for _, line := range r.c.Bound["calibrator"].Values {
		shown := r.c.Units[line.Quantity]
		if shown == "" {
			shown = line.Unit
		}
		scale, err := quantity.ScaleOf(line.Quantity, line.Unit, shown)
		if err == nil && math.Abs(line.Value*scale-concentration) <= 0.01*concentration {
			unit, uC = shown, line.U*scale*2/max(line.K, 1)
		}
	}
	a, err := response(r)
	if err != nil {
		return nil, "", err
	}
	curve, err := photometer.TwoPoint(photometer.Calibrator{Absorbance: a.water},
		photometer.Calibrator{Concentration: concentration, Absorbance: a.calibrator})
	if err != nil {
		return nil, "", err
	}
	if curve.Slope < 0 {
		return nil, "", fmt.Errorf("the calibrator reads less than %s: exchanged, or the reagent is missing from one", a.against)
	}
	rise := a.calibrator - a.water
	u := curve.Slope * math.Hypot(uC/concentration, a.u/rise)
	figures := []procedure.Figure{
		{ID: "factor", Title: "Factor", Value: curve.Slope, U: u, Unit: unit},
		{ID: "absorbance", Title: a.title, Value: rise, U: a.u, Unit: a.unit},
		{ID: "concentration", Title: "Concentration of the calibrator", Value: concentration, U: uC, Unit: unit},
	}
	return figures, fmt.Sprintf("Factor %.4g %s: the calibrator's %.4g over %s %.4g.", curve.Slope, quantity.ShowUnit(unit), concentration,
		strings.ToLower(a.title[:1])+a.title[1:], rise), nil
}

// answered is what the calibrator and the water gave, with blanks and earlier reagents taken off; water is 0 without one.
type answered struct {
	calibrator, water, u float64
	title, against, unit string
}

// response takes blank and earlier reagent off what was read. What is added dilutes what was there: conservation of mass.
func response(r readings) (answered, error) {
	mean := func(values []float64) float64 {
		sum := 0.0
		for _, v := range values {
			sum += v
		}
		return sum / float64(len(values))
	}
	reagent, sample, added := r.with("reagent"), r.with("sample"), r.with("added")
	last, u := r.of("calibrator", "second")
	if len(last) > 0 { // a second reagent
		first, u1 := r.of("calibrator", "not second", "not blank")
		water, _ := r.of("water", "second")
		waterFirst, _ := r.of("water", "not second", "not blank")
		if len(first) == 0 || len(water) == 0 || len(waterFirst) == 0 {
			return answered{}, fmt.Errorf("water and calibrator are needed with both reagents")
		}
		share := (reagent + sample) / (reagent + sample + added)
		return answered{calibrator: mean(last) - share*mean(first), water: mean(water) - share*mean(waterFirst),
			u: math.Sqrt2 * math.Hypot(u, share*u1), title: "Absorbance of the calibrator over the water's", against: "the water", unit: "1"}, nil
	}
	read, u := r.of("calibrator")
	if len(read) == 0 {
		return answered{}, fmt.Errorf("the calibrator was not read")
	}
	if reagent == 0 { // a speed has no blank
		return answered{calibrator: mean(read), u: u, title: "Speed of the calibrator", against: "nothing", unit: "/min"}, nil
	}
	blank, uBlank := r.of("blank")
	if len(blank) == 0 {
		return answered{}, fmt.Errorf("the reagent blank was not read")
	}
	share := reagent / (reagent + sample)
	return answered{calibrator: mean(read) - share*mean(blank), u: math.Hypot(u, share*uBlank),
		title: "Absorbance over the blank", against: "its blank", unit: "1"}, nil
}

// controls tells a factor that is wrong from one control that is.
func controls(c procedure.FindingInput) procedure.Diagnosis {
	var out []procedure.JudgedPoint
	least, most := math.Inf(1), math.Inf(-1)
	for _, p := range c.Points {
		if !p.Pass {
			out = append(out, p)
		}
		least, most = min(least, p.Percent()), max(most, p.Percent())
	}
	words := fmt.Sprintf("Recovery from %s to %s %%.", quantity.Format(100+least, 0.1), quantity.Format(100+most, 0.1))
	switch {
	case len(out) == 0:
		return procedure.Diagnosis{Shape: "none", Words: words + " Both controls are inside what their lots allow."}
	case len(c.Points) > 1 && most-least < 5 && least*most > 0:
		return procedure.Diagnosis{Shape: "factor", Investigate: true, Words: words +
			" Both levels are off in the same proportion: the calibrator's lot, age or value. Repeat with another lot before anything is set."}
	case len(out) == 1:
		return procedure.Diagnosis{Shape: "level", Investigate: true, Words: fmt.Sprintf("%s Only %s is off: its vial, its lot or its cuvette.",
			words, out[0].Label)}
	}
	return procedure.Diagnosis{Shape: "scatter", Investigate: true, Words: words + " The levels scatter: mixing, bubbles, drops on the tip."}
}
