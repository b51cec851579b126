package photometer

import (
	"fmt"
	"math"
)

// Pipette is an adjustable pipette: the volumes it covers, and its expanded uncertainty
// (k = 2), all in µL.
type Pipette struct {
	Tag      string  `json:"tag"`
	From, To float64 `json:"-"`
	U        float64 `json:"u"`
}

// Cuvette is one level of a dilution plan.
type Cuvette struct {
	Multiple    float64 `json:"multiple"`
	SampleUL    float64 `json:"sample_ul"`
	ReagentUL   float64 `json:"reagent_ul"`
	SampleBy    string  `json:"sample_by"`  // pipette
	ReagentBy   string  `json:"reagent_by"` // pipette
	Strokes     int     `json:"strokes"`    // of the reagent's pipette
	Share       float64 `json:"share"`      // effective level over the calibrator's own
	Level       float64 `json:"level"`      // effective, in the unit of the assigned value
	UPercent    float64 `json:"u_percent"`  // what pipetting alone does to it, expanded (k = 2)
	OfTolerance float64 `json:"of_tolerance"`
}

// DilutionPlan says what goes into each cuvette for levels at multiples of a calibrator's
// usual volume, with the best pipette for each, the level that is really there, and how
// much of a tolerance (percent, above zero) the pipetting takes. Volumes in µL, above
// zero. Conservation of mass; ISO 8655-2 for the pipettes; JCGM 100.
func DilutionPlan(assigned, reagent, sample, tolerance float64, multiples []float64,
	pipettes []Pipette) ([]Cuvette, error) {
	switch {
	case !(assigned > 0):
		return nil, fmt.Errorf("the assigned value must be above zero, it is %g", assigned)
	case !(tolerance > 0):
		return nil, fmt.Errorf("the tolerance must be above zero percent, it is %g", tolerance)
	case len(multiples) == 0:
		return nil, fmt.Errorf("a plan needs one level at least")
	}
	reagentBy, strokes, uReagent, err := pipetted(pipettes, reagent, 3)
	if err != nil {
		return nil, fmt.Errorf("reagent: %w", err)
	}
	plan := []Cuvette{{ReagentUL: reagent, ReagentBy: reagentBy, Strokes: strokes}} // the blank
	for _, k := range multiples {
		share, err := EffectiveLevel(k, reagent, sample)
		if err != nil {
			return nil, err
		}
		volume := k * sample
		by, _, u, err := pipetted(pipettes, volume, 1)
		if err != nil {
			return nil, fmt.Errorf("level %g: %w", k, err)
		}
		c := Cuvette{
			Multiple:  k,
			SampleUL:  volume,
			ReagentUL: reagent,
			SampleBy:  by,
			ReagentBy: reagentBy,
			Strokes:   strokes,
			Share:     share,
			Level:     assigned * share,
		}
		c.UPercent = 100 * math.Hypot(reagent/(reagent+volume)*u/volume, uReagent/(reagent+volume))
		c.OfTolerance = c.UPercent / tolerance
		plan = append(plan, c)
	}
	return plan, nil
}

// pipetted is the pipette that delivers a volume best in so many strokes at most, in how
// many, and with what expanded uncertainty.
func pipetted(pipettes []Pipette, volume float64, most int) (tag string, strokes int, u float64, err error) {
	best := math.Inf(1)
	for _, p := range pipettes {
		if !(p.U > 0) || !(p.To >= p.From) || !(p.From > 0) {
			return "", 0, 0, fmt.Errorf("pipette %s needs a range above zero and an uncertainty", p.Tag)
		}
		n := int(math.Ceil(volume/p.To - 1e-9))
		each := volume / float64(n)
		if n < 1 || n > most || each < p.From*(1-1e-9) {
			continue
		}
		if total := p.U * math.Sqrt(float64(n)); total < best-1e-12 {
			tag, strokes, u, best = p.Tag, n, total, total
		}
	}
	if math.IsInf(best, 1) {
		return "", 0, 0, fmt.Errorf("no pipette covers %g µL in %d strokes or fewer", volume, most)
	}
	return tag, strokes, u, nil
}
