// Package collectionbags is the family of collection bags with their meter.
package collectionbags

import (
	"fmt"
	"math"

	"northneedle/core/fit"
	"northneedle/core/procedure"
	"northneedle/core/quantity"
)

// Catalogue is what the family computes of its own.
var Catalogue = procedure.Catalogue{
	Methods:  map[string]procedure.Method{"syringe-fills": {Compute: syringeFills, Value: true}},
	Patterns: map[string]procedure.Pattern{"bag-meter": {Read: bagMeter}},
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
	return procedure.Outcome{Reference: n * stroke, Unit: in.Shown, Factor: factor,
		Terms:   c.Terms(fmt.Sprintf("Syringe, %.0f strokes", n), n*per, in.Years),
		Formula: "error = shown − strokes · volume of the syringe",
		Do:      fmt.Sprintf("Fill the bag with %.0f strokes", n)}, nil
}

// Correction takes a meter's dead space and gain out of a reading.
type Correction struct {
	DeadSpace, Gain   float64
	UDeadSpace, UGain float64 // standard
	DeadSpaceFound    bool    // distinguishable from zero
	GainFound         bool    // distinguishable from one
	ResidualSD        float64
}

// MeterCorrection fits the straight line of shown on delivered volumes; three levels at
// least. A part that cannot be told from none (two-sided, 5 %) is left out of the
// correction: the line is then laid without it. ISO 11095.
func MeterCorrection(delivered, shown []float64) (Correction, error) {
	line, err := fit.LinearRegression(delivered, shown)
	if err != nil {
		return Correction{}, err
	}
	if line.N < 3 {
		return Correction{}, fmt.Errorf("three volumes at least tell dead space from gain, there are %d", line.N)
	}
	c := Correction{
		DeadSpace:      line.Intercept,
		Gain:           line.Slope,
		UDeadSpace:     line.UIntercept,
		UGain:          line.USlope,
		ResidualSD:     line.ResidualSD,
		DeadSpaceFound: line.PInterceptZero < 0.05,
		GainFound:      line.PSlopeOne < 0.05,
	}
	switch {
	case !c.GainFound:
		sum := 0.0
		for i := range shown {
			sum += shown[i] - delivered[i]
		}
		c.Gain, c.UGain = 1, 0
		c.DeadSpace, c.UDeadSpace = sum/float64(len(shown)), line.ResidualSD/math.Sqrt(float64(len(shown)))
	case !c.DeadSpaceFound:
		if c.Gain, err = fit.ThroughOrigin(delivered, shown); err != nil {
			return c, err
		}
		c.DeadSpace, c.UDeadSpace = 0, 0
	}
	return c, nil
}

// Apply corrects a reading, with the standard uncertainty that the correction leaves. relative is the standard uncertainty
// of the syringe's volume over that: it is the same in every stroke, and so in every volume.
func (c Correction) Apply(indicated, relative float64) (volume, u float64) {
	volume = (indicated - c.DeadSpace) / c.Gain
	fitted := math.Hypot(math.Hypot(c.UDeadSpace, c.ResidualSD)/c.Gain, volume*c.UGain/c.Gain)
	return volume, math.Hypot(fitted, volume*relative)
}

// bagMeter tells the dead space of the tubing from an error of the meter.
func bagMeter(in procedure.FindingInput) procedure.Diagnosis {
	points := in.Points
	var delivered, shown []float64
	limit := 0.0
	for _, p := range points {
		delivered, shown = append(delivered, p.Reference), append(shown, p.Reference+p.Error)
		limit = math.Max(limit, p.U)
	}
	c, err := MeterCorrection(delivered, shown)
	if err != nil {
		return procedure.Diagnosis{Shape: "unknown",
			Words: "Too few volumes: several levels are needed to tell dead space from gain."}
	}
	top := points[len(points)-1]
	_, u := c.Apply(shown[len(shown)-1], top.U/2/top.Reference)
	correction := fmt.Sprintf("Corrected volume = (shown − %.3f L) ÷ %.4f, U %.3f L.", c.DeadSpace, c.Gain, 2*u)
	switch {
	case c.ResidualSD > 2*limit && c.ResidualSD > 0.03:
		return procedure.Diagnosis{Shape: "scatter",
			Words: fmt.Sprintf("The volumes scatter by %.2f L about any line: taps, leaks, or strokes drawn with a bag open.", c.ResidualSD), Investigate: true}
	case c.GainFound:
		return procedure.Diagnosis{Shape: "gain", Words: fmt.Sprintf("The meter is off by %+.1f %%. %s", 100*(c.Gain-1),
			correction)}
	case c.DeadSpaceFound || math.Abs(c.DeadSpace) > 2*c.UDeadSpace:
		return procedure.Diagnosis{Shape: "offset",
			Words: fmt.Sprintf("Dead space %.3f L (± %.3f), the gain cannot be told from 1: subtract it, do not adjust the meter. %s", c.DeadSpace, 2*c.UDeadSpace, correction)}
	}
	return procedure.Diagnosis{Shape: "none",
		Words: "Neither a dead space nor an error of the meter can be told from none."}
}
