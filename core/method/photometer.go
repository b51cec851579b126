package method

import (
	"fmt"
	"math"
)

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
		return Curve{}, fmt.Errorf("blank or calibrators have the same absorbance (%g): no curve goes through them", low.Absorbance)
	}
	slope := (high.Concentration - low.Concentration) / rise
	return Curve{Intercept: low.Concentration - slope*low.Absorbance, Slope: slope}, nil
}

// Recovery is what was found, in percent of what is assigned (not zero).
func Recovery(found, assigned float64) (float64, error) {
	e, err := PercentError(found, assigned)
	return 100 + e, err
}

// EffectiveLevel is what share of its true level a result reads when multiple times
// the usual sample volume goes into the reagent volume (volumes in one unit, above
// zero). Conservation of mass.
func EffectiveLevel(multiple, reagent, sample float64) (float64, error) {
	if !(multiple > 0 && reagent > 0 && sample > 0) {
		return 0, fmt.Errorf("the multiple (%g), the reagent volume (%g) and the sample volume (%g) must be above zero", multiple, reagent, sample)
	}
	return multiple * (reagent + sample) / (reagent + multiple*sample), nil
}
