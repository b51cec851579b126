// Package collectionbags is the family of collection bags with their meter.
package collectionbags

import (
	"fmt"
	"math"
	"strings"

	"northneedle/core/fit"
	"northneedle/core/procedure"
	"northneedle/core/quantity"
	"northneedle/core/uncertainty"

	"gonum.org/v1/gonum/stat/distuv"
)

// Catalogue is what the family computes of its own.
var Catalogue = procedure.Catalogue{
	Methods: map[string]procedure.Method{"syringe-fills": {Compute: syringeFills,
		Words: "a volume shown, beside several fills of a syringe", Value: true}},
	Patterns: map[string]procedure.Pattern{"bag-meter": {Read: bagMeter, Params: []string{"gain"}}},
}

// syringeFills compares what a meter shows with a bag filled by whole strokes of a
// calibration syringe, as many as come nearest to the target. Every stroke carries the
// same error of the syringe, so that its uncertainty adds up with their number.
func syringeFills(in procedure.Input) (procedure.Outcome, error) {
	c, per, factor, err := in.Only("syringe")
	if err != nil {
		return procedure.Outcome{}, err
	}
	stroke, target := c.Value*per, in.Target*factor
	n := math.Round(target / stroke)
	if n < 1 {
		return procedure.Outcome{}, fmt.Errorf("%g %s is less than one stroke of the syringe", target,
			quantity.ShowUnit(in.Shown))
	}
	strokes := fmt.Sprintf("%.0f strokes", n)
	if n == 1 {
		strokes = "1 stroke"
	}
	return procedure.Outcome{Reference: n * stroke, Unit: in.Shown, Factor: factor,
		Terms:   c.Terms("Syringe, "+strokes, n*per, in.Years),
		Formula: "error = shown − strokes · volume of the syringe",
		Do:      "Fill the bag with " + strokes}, nil
}

// Correction takes a meter's dead space and gain out of a reading.
type Correction struct {
	fit.Line
	DeadSpaceFound bool // distinguishable from zero
	GainFound      bool // distinguishable from one
}

// DeadSpace is what is shown, in L, for nothing delivered.
func (c Correction) DeadSpace() float64 { return c.Intercept }

// Gain is what is shown for each litre more.
func (c Correction) Gain() float64 { return c.Slope }

// MeterCorrection fits the straight line of shown on delivered volumes in L; three levels at
// least. ISO 11095.
func MeterCorrection(delivered, shown []float64) (Correction, error) {
	line, err := fit.LinearRegression(delivered, shown)
	if err != nil {
		return Correction{}, err
	}
	if line.N < 3 {
		return Correction{}, fmt.Errorf("three volumes at least tell dead space from gain, there are %d", line.N)
	}
	return Correction{Line: line, DeadSpaceFound: line.PInterceptZero < 0.05, GainFound: line.PSlopeOne < 0.05}, nil
}

// Apply corrects a reading, and gives the expanded uncertainty (95.45 %) that is left: the line's for a new reading, with n − 2
// degrees of freedom; the syringe's, whose relative standard uncertainty is the same in every stroke and so in every volume;
// and that of reading the meter to a resolution. JCGM 100, G.4 and H.3.
func (c Correction) Apply(indicated, relative, resolution float64) (volume, u float64, err error) {
	volume = (indicated - c.Intercept) / c.Slope
	terms := []uncertainty.Term{
		{Name: "Syringe, common to all strokes", Distribution: uncertainty.Normal, Width: math.Abs(volume) * relative, K: 1},
		{Name: "Resolution of the meter", Distribution: uncertainty.Rectangular, Width: resolution / 2 / c.Slope},
	}
	if c.ResidualSD > 0 {
		terms = append(terms, uncertainty.Term{Name: "Line of shown on delivered", Distribution: uncertainty.Normal,
			Width: c.PredictionSD(volume) / c.Slope, K: 1, DOF: float64(c.N - 2)})
	}
	budget, err := uncertainty.Combine(terms...)
	return volume, budget.Expanded, err
}

// bagMeter tells the dead space of the tubing, which is no failure and is subtracted, from an error of the meter. One of the points
// says by how many percent its gain may be off (with: gain).
func bagMeter(in procedure.FindingInput) procedure.Diagnosis {
	points := in.Points
	var delivered, shown []float64
	limit, allowed := 0.0, 0.0
	for _, p := range points {
		allowed = math.Max(allowed, p.With["gain"])
		delivered, shown = append(delivered, p.Reference), append(shown, p.Reference+p.Error)
		limit = math.Max(limit, p.U)
	}
	c, err := MeterCorrection(delivered, shown)
	if err != nil {
		return procedure.Diagnosis{Shape: "unknown",
			Words: "Too few volumes: several levels are needed to tell dead space from gain."}
	}
	top := points[len(points)-1]
	_, u, err := c.Apply(shown[len(shown)-1], top.U/2/top.Reference, 0) // its resolution is in the point's U
	if err != nil {
		return procedure.Diagnosis{Shape: "unknown", Words: "The correction has no uncertainty: " + err.Error()}
	}
	t := distuv.StudentsT{Mu: 0, Sigma: 1, Nu: float64(c.N - 2)}.Quantile(0.97725)
	correction := fmt.Sprintf("Corrected volume = (shown − %.3f L) ÷ %.4f, U %.3f L at %s.", c.DeadSpace(), c.Gain(), u, top.Label)
	dead := fmt.Sprintf("Dead space %.3f L (± %.3f)", c.DeadSpace(), t*c.UIntercept)
	kept := []procedure.Figure{{ID: "deadspace", Title: "Dead space", Value: c.DeadSpace(), U: t * c.UIntercept, Unit: "L"},
		{ID: "gain", Title: "Gain", Value: c.Gain(), U: t * c.USlope, Unit: "1"},
		{ID: "correction", Title: "U of a corrected volume at " + top.Label, Value: math.Round(u*1000) / 1000, Unit: "L"}}
	off := 100 * (c.Gain() - 1)
	gain := fmt.Sprintf("The meter's gain is off by %+.1f %% (± %.1f %%). %s. %s", off, 100*t*c.USlope, dead, correction)
	switch {
	case c.ResidualSD > 2*limit && c.ResidualSD > 0.03:
		words := fmt.Sprintf("the volumes scatter by %.2f L about any line", c.ResidualSD)
		return procedure.Diagnosis{Shape: "scatter", Fails: words,
			Words: strings.ToUpper(words[:1]) + words[1:] + ": taps, leaks, or strokes drawn with a bag open.", Investigate: true}
	case c.GainFound && allowed > 0 && math.Abs(off) > allowed:
		return procedure.Diagnosis{Shape: "gain", Words: gain, Fails: fmt.Sprintf("the meter's gain is off by %+.1f %%, more than %g %%", off, allowed)}
	case c.GainFound:
		return procedure.Diagnosis{Shape: "gain", Words: gain + " It is small enough to be taken out by the correction.", Figures: kept}
	case c.DeadSpaceFound:
		return procedure.Diagnosis{Shape: "offset", Figures: kept,
			Words: dead + ", the gain cannot be told from 1: subtract it, do not adjust the meter. " + correction}
	}
	return procedure.Diagnosis{Shape: "none", Figures: kept,
		Words: "Neither a dead space nor an error of the meter can be told from none. " + correction}
}
