package conformity

import (
	"fmt"
	"math"

	"gonum.org/v1/gonum/integrate/quad"
	"gonum.org/v1/gonum/stat/distuv"
)

// GlobalRisk is how often a decision goes wrong over a whole population of devices,
// as joint probabilities.
type GlobalRisk struct {
	Consumer float64 `json:"consumer_risk"` // accepted although truly outside
	Producer float64 `json:"producer_risk"` // refused although truly inside
}

// Global computes the risks for a population whose true errors are normal about zero
// with standard deviation prior, measured with standard uncertainty u (both above
// zero), for a tolerance and an acceptance interval. JCGM 106:2012, 9.5.
func Global(prior, u float64, tolerance, acceptance Limits) (GlobalRisk, error) {
	switch {
	case !(prior > 0) || math.IsInf(prior, 0):
		return GlobalRisk{}, fmt.Errorf("the spread of the devices' true errors must be above zero, it is %g", prior)
	case !(u > 0) || math.IsInf(u, 0):
		return GlobalRisk{}, fmt.Errorf("the standard uncertainty must be above zero, it is %g", u)
	case !(tolerance.Low < tolerance.High):
		return GlobalRisk{}, fmt.Errorf("the tolerance limits %g and %g are reversed or not numbers", tolerance.Low,
			tolerance.High)
	case !(acceptance.Low < acceptance.High):
		return GlobalRisk{}, fmt.Errorf("the acceptance limits %g and %g leave nothing to accept", acceptance.Low,
			acceptance.High)
	}
	n := distuv.UnitNormal
	accepted := func(truth float64) float64 {
		return n.CDF((acceptance.High-truth)/u) - n.CDF((acceptance.Low-truth)/u)
	}
	density := distuv.Normal{Mu: 0, Sigma: prior}.Prob
	wrongly := func(truth float64) float64 { return density(truth) * accepted(truth) }
	rightly := func(truth float64) float64 { return density(truth) * (1 - accepted(truth)) }
	reach := 12 * prior
	var r GlobalRisk
	r.Consumer = integrate(wrongly, -reach, math.Min(tolerance.Low, reach), math.Min(u, prior)) +
		integrate(wrongly, math.Max(tolerance.High, -reach), reach, math.Min(u, prior))
	r.Producer = integrate(rightly, math.Max(tolerance.Low, -reach), math.Min(tolerance.High, reach),
		math.Min(u, prior))
	return r, nil
}

// integrate sums Gauss quadratures over panels no wider than the finest feature.
func integrate(f func(float64) float64, from, to, feature float64) float64 {
	if to <= from {
		return 0
	}
	panels := min(4000, 1+int((to-from)/feature))
	width := (to - from) / float64(panels)
	sum := 0.0
	for i := range panels {
		a := from + float64(i)*width
		sum += quad.Fixed(f, a, a+width, 12, quad.Legendre{}, 1)
	}
	return sum
}
