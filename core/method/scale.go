package method

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"northneedle/core/conformity"
	"northneedle/core/quantity"
	"northneedle/core/uncertainty"
)

func init() {
	register("weights", weights)
	for _, school := range []Regime{R76InService, R76Initial, HB44Maintenance, HB44Acceptance} {
		registerLimits(string(school), func(load float64, plate map[string]float64) (conformity.Limits, error) {
			limit, err := ScaleLimit(school, load, plate["division"])
			return conformity.Limits{Low: -limit, High: limit}, err
		})
	}
}

// weights loads a scale with pieces from a kit: the subset that comes nearest to
// the target, and no heavier than the kit. The reference is the sum of the pieces'
// certified masses; their uncertainties are added outright, since pieces of one
// kit were calibrated together (fully correlated).
func weights(in Input) (Outcome, error) {
	pieces, load, err := nearestLoad(in.Certified, in.Target, in.Shown)
	if err != nil {
		return Outcome{}, err
	}
	factor, err := scale(in.Unit, in.Shown)
	if err != nil {
		return Outcome{}, err
	}
	out := Outcome{Reference: load, Unit: in.Shown, Factor: factor, Formula: "error = shown − sum of the weights", Do: "Nothing on the platform"}
	total, drift := 0.0, 0.0
	names := make([]string, 0, len(pieces))
	for _, p := range pieces {
		per, _ := scale(p.Unit, in.Shown)
		total += p.U / p.K * per
		drift += p.DriftPerYear * per
		names = append(names, p.Piece)
	}
	out.Terms = []uncertainty.Term{{Name: "Weights, from their certificate", Distribution: uncertainty.Normal, Width: total, K: 1}}
	if drift > 0 && in.Years > 0 {
		out.Terms = append(out.Terms, uncertainty.Drift("Weights, drift since their certificate", drift, in.Years))
	}
	if len(names) > 0 {
		out.Do = "Load " + gather(names)
	}
	return out, nil
}

// nearestLoad chooses pieces, heaviest first, so that their sum comes nearest to the target.
func nearestLoad(kit []Certified, target float64, unit string) ([]Certified, float64, error) {
	if len(kit) == 0 {
		return nil, 0, fmt.Errorf("the kit has no certified weights")
	}
	kit = slices.Clone(kit)
	mass := func(c Certified) float64 { m, _ := quantity.Convert(c.Value, c.Unit, unit); return m }
	for _, c := range kit {
		if _, err := quantity.Convert(c.Value, c.Unit, unit); err != nil {
			return nil, 0, fmt.Errorf("weight %s: %w", c.Piece, err)
		}
	}
	slices.SortStableFunc(kit, func(a, b Certified) int {
		switch {
		case mass(a) > mass(b):
			return -1
		case mass(a) < mass(b):
			return 1
		}
		return 0
	})
	var chosen []Certified
	sum := 0.0
	for _, c := range kit {
		if math.Abs(sum+mass(c)-target) < math.Abs(sum-target) {
			chosen, sum = append(chosen, c), sum+mass(c)
		}
	}
	return chosen, sum, nil
}

// gather writes "20 kg, 20 kg, 5 kg" as "2 × 20 kg + 5 kg".
func gather(names []string) string {
	var parts []string
	for i := 0; i < len(names); {
		n := i
		for n < len(names) && names[n] == names[i] {
			n++
		}
		if n-i > 1 {
			parts = append(parts, fmt.Sprintf("%d × %s", n-i, names[i]))
		} else {
			parts = append(parts, names[i])
		}
		i = n
	}
	return strings.Join(parts, " + ")
}

// Regime is a table of permissible errors for class III scales.
type Regime string

const (
	R76Initial      Regime = "r76 class III initial"
	R76InService    Regime = "r76 class III in service"
	HB44Acceptance  Regime = "hb44 class III acceptance"
	HB44Maintenance Regime = "hb44 class III maintenance"
)

// Divisions is the load in scale divisions, free of binary crumbs: 50.1 kg by 0.1 kg is 501.
func Divisions(load, division float64) (float64, error) {
	if !(division > 0) || math.IsInf(division, 0) {
		return 0, fmt.Errorf("the scale's division must be above zero, it is %g: read it from the data plate", division)
	}
	if !(load >= 0) || math.IsInf(load, 0) {
		return 0, fmt.Errorf("the load must not be negative, it is %g", load)
	}
	n := load / division
	if whole := math.Round(n); math.Abs(n-whole) < 1e-6 {
		return whole, nil
	}
	return n, nil
}

// ScaleLimit is the permissible error at a load for a class III scale with e = d =
// division, all in one unit. OIML R 76-1 table 6 (in service is twice initial);
// NIST Handbook 44 section 2.20 table 6 (acceptance is half maintenance).
func ScaleLimit(school Regime, load, division float64) (float64, error) {
	n, err := Divisions(load, division)
	if err != nil {
		return 0, err
	}
	step := func(bounds []float64, limits []float64) float64 {
		for i, b := range bounds {
			if n <= b {
				return limits[i] * division
			}
		}
		return limits[len(bounds)] * division
	}
	r76 := func() float64 { return step([]float64{500, 2000}, []float64{0.5, 1, 1.5}) }
	hb44 := func() float64 { return step([]float64{500, 2000, 4000}, []float64{1, 2, 3, 5}) }
	switch school {
	case R76Initial:
		return r76(), nil
	case R76InService:
		return 2 * r76(), nil
	case HB44Maintenance:
		return hb44(), nil
	case HB44Acceptance:
		return hb44() / 2, nil
	}
	return 0, fmt.Errorf("the table of limits %q is not known", school)
}
