// Package photometer is the family of photometers.
package photometer

import (
	"fmt"
	"math"
	"slices"

	"northneedle/core/fit"
	"northneedle/core/procedure"
	"northneedle/core/quantity"
	"northneedle/core/uncertainty"
	"northneedle/families/infusionpump"
)

// Catalogue is what the family computes of its own.
var Catalogue = procedure.Catalogue{
	Methods: map[string]procedure.Method{
		"effective-level": {Compute: effectiveLevel,
			Words: "a colour standard at its effective level, beside what the photometer shows", Value: true, Params: []string{"multiple", "reagent", "sample"}},
	},
	Patterns: map[string]procedure.Pattern{
		"photometry": {Read: photometry, Params: []string{"multiple", "filter", "blank"}},
	},
}

// effectiveLevel is the read-back of a calibrator at a multiple of its usual volume: more
// of it dilutes the mixture too, so that the level is a little less than the multiple.
// Points say the multiple, the reagent volume and the usual sample volume in µL.
func effectiveLevel(in procedure.Input) (procedure.Outcome, error) {
	c, per, factor, err := in.Only("calibrator")
	if err != nil {
		return procedure.Outcome{}, err
	}
	multiple, reagent, sample := in.With["multiple"], in.With["reagent"], in.With["sample"]
	share, err := EffectiveLevel(multiple, reagent, sample)
	if err != nil {
		return procedure.Outcome{}, err
	}
	level := c.Value * per * share
	terms := c.Terms("Calibrator", per*share, in.Years)
	// What the pipette does to the level: by its certificate at this volume, else one per cent.
	volume := multiple * sample
	pipetting := uncertainty.Term{Name: "Pipetting, one per cent of the volume", Distribution: uncertainty.Normal,
		Width: 0.01 * volume, K: 1, Sensitivity: new(level / volume * reagent / (reagent + volume))}
	if line, _, ok := in.Line("pipette", volume, "uL"); ok {
		if ul, err := quantity.Scale(line.Unit, "uL"); err == nil {
			pipetting.Name, pipetting.Width, pipetting.K = "Pipette, from its certificate", line.U*ul, line.K
		}
	}
	terms = append(terms, pipetting)
	return procedure.Outcome{Reference: level, Pipetted: volume, Unit: in.Shown, Factor: factor, Terms: terms,
		Do:      fmt.Sprintf("Pipette %g µL of the calibrator into %g µL of reagent", multiple*sample, reagent),
		Formula: fmt.Sprintf("level = assigned · k·(R+v) ÷ (R+k·v) = assigned · %.4f", share)}, nil
}

// calibration is the field of a record that says how an analyser is calibrated.
const calibration = "calibration"

// photometry tells a curve that bends at its top from levels that are all low, and from
// scatter. Points of filters say filter (1), levels their multiple.
func photometry(c procedure.FindingInput) procedure.Diagnosis {
	levels := slices.DeleteFunc(slices.Clone(c.Points),
		func(p procedure.JudgedPoint) bool { return p.With["multiple"] == 0 })
	filters := procedure.Marked(c.Points, "filter")
	for _, p := range filters {
		if math.Abs(p.ErrorToLimit) > 1 {
			return procedure.Diagnosis{Shape: "lamp", Investigate: true,
				Words: fmt.Sprintf("%s is outside its limit by itself, without any reagent: the lamp, the filter wheel, or dirt in the light’s way.", p.Label)}
		}
	}
	for _, p := range procedure.Marked(c.Points, "blank") {
		if !p.Pass {
			return procedure.Diagnosis{Shape: "blank", Investigate: true,
				Words: "The reagent alone has too much colour: it is old, of another lot, or the cuvette is dirty. Nothing is calibrated with it."}
		}
	}
	if len(levels) < 3 {
		return procedure.Diagnosis{Shape: "unknown", Words: "Three levels at least tell a bend from a wrong factor."}
	}
	slices.SortFunc(levels, func(a, b procedure.JudgedPoint) int {
		return int(a.With["multiple"] -
			b.With["multiple"])
	})
	lowest, mid, top := levels[0].Percent(), 0.0, levels[len(levels)-1].Percent()
	least, most := math.Inf(1), math.Inf(-1)
	falling := true
	var at, errors []float64
	for i, p := range levels {
		falling = falling && (i == 0 || p.Percent() < levels[i-1].Percent()+0.5)
		least, most = math.Min(least, p.Percent()), math.Max(most, p.Percent())
		at, errors = append(at, p.Reference), append(errors, p.Error)
	}
	mid = levels[len(levels)/2-1].Percent()
	words := fmt.Sprintf("Recovery from %s to %s %%.", quantity.Format(100+least, 0.1), quantity.Format(100+most, 0.1))
	line, err := fit.LinearRegression(at, errors)
	switch {
	case err == nil && !(falling && top < lowest-4 && mid > top+2) && astray(line, at, errors) > scattered:
		return procedure.Diagnosis{Shape: "scatter", Investigate: true, Lines: recovered(levels),
			Words: words + fmt.Sprintf(" The levels scatter by up to %.1f %% about any line: drops on the tip, bubbles, or not mixed.",
				100*astray(line, at, errors))}
	case err == nil && math.Abs(line.Intercept) > 0.03*at[0] && math.Abs(line.Slope) < 0.025:
		return procedure.Diagnosis{Shape: "offset", Lines: recovered(levels), Investigate: c.Choices[calibration] == "one-point",
			Words: words +
				" The same amount at every level: the blank, or the reagent’s own colour. A one-point calibration does not mend it; two points do."}
	case falling && top < lowest-4 && mid > top+2:
		return procedure.Diagnosis{Shape: "bend", Investigate: true, Lines: recovered(levels),
			Words: words +
				" The curve bends at the top: the volume was not taken into account, the reagent is used up, or light strays."}
	case most-least < 3 && math.Abs(most+least)/2 > 3:
		return procedure.Diagnosis{Shape: "factor", Investigate: true, Lines: recovered(levels),
			Words: words + " Every level alike: the calibrator has aged, the temperature is wrong, or the factor. Read another lot, or the controls, before anything is calibrated by this one."}
	case most-least > 8:
		return procedure.Diagnosis{Shape: "scatter", Investigate: true, Lines: recovered(levels),
			Words: words + " The levels scatter: drops on the tip, bubbles, or not mixed."}
	}
	return procedure.Diagnosis{Shape: "none", Words: words, Lines: recovered(levels)}
}

// scattered is how far a level may be from the straight line through all, as a share of it, before the levels are said to scatter.
const scattered = 0.015

// astray is the largest distance of an error from the line through all, as a share of its level.
func astray(line fit.Line, at, errors []float64) (most float64) {
	for i := range at {
		most = max(most, math.Abs(errors[i]-line.Intercept-line.Slope*at[i])/at[i])
	}
	return most
}

// recovered says of each level what was found of it, in percent.
func recovered(levels []procedure.JudgedPoint) (lines []string) {
	for _, p := range levels {
		lines = append(lines, fmt.Sprintf("%s: %.4g found of %.4g, %s %%", p.Label, p.Reference+p.Error, p.Reference,
			quantity.Format(100+p.Percent(), 0.1)))
	}
	return lines
}

// Calibrator is a solution of known concentration and its absorbance.
type Calibrator struct{ Concentration, Absorbance float64 }

// Curve turns absorbance into concentration: Intercept + Slope · A.
type Curve struct{ Intercept, Slope float64 }

// Of is the concentration of a sample's absorbance.
func (c Curve) Of(absorbance float64) float64 { return c.Intercept + c.Slope*absorbance }

// OnePoint is the curve through a blank and one standard: the slope is the factor. Beer–Lambert.
func OnePoint(standard Calibrator, blank float64) (Curve, error) {
	return TwoPoint(Calibrator{0, blank}, standard)
}

// TwoPoint is the curve through two calibrators of different absorbance. Beer–Lambert.
func TwoPoint(low, high Calibrator) (Curve, error) {
	rise := high.Absorbance - low.Absorbance
	if rise == 0 || math.IsNaN(rise) || math.IsInf(rise, 0) {
		return Curve{}, fmt.Errorf("blank or calibrators have the same absorbance (%g): no curve goes through them",
			low.Absorbance)
	}
	slope := (high.Concentration - low.Concentration) / rise
	return Curve{Intercept: low.Concentration - slope*low.Absorbance, Slope: slope}, nil
}

// Recovery is what was found, in percent of what is assigned (not zero).
func Recovery(found, assigned float64) (float64, error) {
	e, err := infusionpump.PercentError(found, assigned)
	return 100 + e, err
}

// EffectiveLevel is what share of its true level a result reads when multiple times
// the usual sample volume goes into the reagent volume (volumes in one unit, above
// zero). Conservation of mass.
func EffectiveLevel(multiple, reagent, sample float64) (float64, error) {
	if !(multiple > 0 && reagent > 0 && sample > 0) {
		return 0, fmt.Errorf("the multiple (%g), the reagent volume (%g) and the sample volume (%g) must be above zero",
			multiple, reagent, sample)
	}
	return multiple * (reagent + sample) / (reagent + multiple*sample), nil
}
