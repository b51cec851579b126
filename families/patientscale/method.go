// Package patientscale is the family of patient scales.
package patientscale

import (
	"cmp"
	"fmt"
	"math"
	"math/bits"
	"slices"
	"strings"

	"northneedle/core/conformity"
	"northneedle/core/procedure"
	"northneedle/core/quantity"
	"northneedle/core/reference"
	"northneedle/core/uncertainty"
)

// Catalogue is what the family computes of its own.
var Catalogue = procedure.Catalogue{
	Methods: map[string]procedure.Method{
		"weights": {Compute: weights,
			Words: "a load made of pieces of a set of weights, beside what the scale shows", Kit: true, Division: "division", Typed: changeover},
	},
	Patterns: map[string]procedure.Pattern{"load": {Read: loadPattern, Params: []string{"corner", "empty"}}},
	Tables: map[string]procedure.LimitsFunc{
		string(R76InService):    R76InService.limits,
		string(R76Initial):      R76Initial.limits,
		string(HB44Maintenance): HB44Maintenance.limits,
		string(HB44Acceptance):  HB44Acceptance.limits,
	},
}

func (r Regime) limits(load float64, plate map[string]float64) (conformity.Limits, error) {
	limit, err := ScaleLimit(r, load, plate["division"])
	return conformity.Limits{Low: -limit, High: limit}, err
}

// changeover is [Changeover] where a reading was typed with small weights added: "50.0 + 0.03".
func changeover(typed string, division float64) (procedure.TypedReading, bool, error) {
	if !strings.Contains(strings.TrimLeft(typed, " +-−"), "+") {
		return procedure.TypedReading{}, false, nil
	}
	v, step, err := Changeover(typed, division)
	return procedure.TypedReading{Value: v, Step: step, Detail: "by its changeover point"}, true, err
}

// weights loads a scale with pieces from a kit: the subset that comes nearest to
// the target, and no heavier than the kit. The reference is the sum of the pieces'
// certified masses; their uncertainties are added outright, since pieces of one
// kit were calibrated together (fully correlated).
func weights(in procedure.Input) (procedure.Outcome, error) {
	factor, err := quantity.Scale(in.Unit, in.Shown)
	if err != nil {
		return procedure.Outcome{}, err
	}
	pieces, load, err := nearestLoad(in.Certified, in.Target*factor, in.Shown)
	if err != nil {
		return procedure.Outcome{}, err
	}
	if err := reaches(in, load/factor); err != nil {
		return procedure.Outcome{}, err
	}
	out := procedure.Outcome{
		Unit:    in.Shown,
		Factor:  factor,
		Formula: "error = shown − sum of the weights",
		Do:      "Nothing on the platform",
	}
	total, drift, nominal, off := 0.0, 0.0, 0.0, 0.0
	names := make([]string, 0, len(pieces))
	for _, p := range pieces {
		per, _ := quantity.Scale(p.Unit, in.Shown)
		total += p.U / p.K * per
		nominal += Nominal(p.Value) * per
		drift += p.DriftPerYear * per
		off += p.Shift * per
		names = append(names, p.Piece)
	}
	out.LimitBase, out.Reference = nominal, load+off
	out.Terms = []uncertainty.Term{{Name: "Weights, from their certificate", Distribution: uncertainty.Normal,
		Width: total, K: 1}}
	if drift > 0 && in.Years > 0 {
		out.Terms = append(out.Terms, uncertainty.Drift("Weights, drift since their certificate", drift, in.Years))
	}
	if len(names) > 0 {
		out.Do = "Load " + gather(names)
	}
	return out, nil
}

// How far a load may be from what a point asks for: a share of that, and of the capacity.
const (
	ofTarget   = 0.1
	ofCapacity = 0.015
)

// reaches refuses a point of a data plate's share that the kit cannot load, in the measure's unit: another load would be taken
// for it, or the same one for two points.
func reaches(in procedure.Input, load float64) error {
	capacity, known := in.Plate["capacity"]
	if !known || !(in.Target > 0) || math.Abs(load-in.Target) <= max(ofTarget*in.Target, ofCapacity*capacity) {
		return nil
	}
	all := 0.0
	for _, p := range in.Certified {
		if per, err := quantity.Scale(p.Unit, in.Unit); err == nil {
			all += p.Value * per
		}
	}
	unit := quantity.ShowUnit(in.Unit)
	if all < in.Target {
		return fmt.Errorf("the kit carries %.6g %s, and this point needs %.6g %s: bring more, or leave it out; the statement is then limited to what was loaded",
			all, unit, in.Target, unit)
	}
	return fmt.Errorf("of this kit the nearest load to %.6g %s is %.6g %s: bring smaller pieces, or leave it out", in.Target, unit, load, unit)
}

// Nominal is what a weight is called, from its certified value above zero: the nearest value of three figures at most that
// lies within 0.06 %, more than the coarsest class of weights may be off (OIML R 111-1, M3); else the value itself. The
// permissible error goes by it: a few milligrams more choose no wider one.
func Nominal(certified float64) float64 {
	if !(certified > 0) {
		return certified
	}
	size := math.Floor(math.Log10(certified))
	for figures := range 3 {
		step := math.Pow(10, size-float64(figures))
		if n := math.Round(certified/step) * step; math.Abs(n-certified) <= 6e-4*certified {
			return n
		}
	}
	return certified
}

// Changeover reads a scale finer than its division (above zero): what it shows, and the
// small weights that were added until it just changed to the next division, typed as
// "50.0 + 0.03". The indication before rounding is then shown + division/2 − added. The
// step it is read to is a tenth of the division, which the small weights are taken to be.
// OIML R 76-1, A.4.4.3.
func Changeover(typed string, division float64) (indication, step float64, err error) {
	at := strings.LastIndex(typed, "+")
	shown, err := quantity.ParseNumber(typed[:max(0, at)])
	if err != nil {
		return 0, 0, err
	}
	added, err := quantity.ParseNumber(typed[at+1:])
	switch {
	case err != nil:
		return 0, 0, err
	case !(division > 0):
		return 0, 0, fmt.Errorf("the scale's division must be above zero, it is %g", division)
	case !(added >= 0 && added <= division*(1+1e-9)):
		return 0, 0, fmt.Errorf("the small weights added until it changes are between nothing and one division (%g), not %g", division, added)
	}
	return shown + division/2 - added, division / 10, nil
}

// Plate fields that say where a scale was adjusted and where it is used; all zero where
// it was not moved.
const (
	adjustedLatitude, adjustedHeight = "adjusted_latitude", "adjusted_height"
	usedLatitude, usedHeight         = "used_latitude", "used_height"
)

// loadPattern tells one corner from a span that is off everywhere, and that from the
// gravity of another place; and a scale that does not come back to zero. Points of corners
// say corner (1), the empty platform after unloading says empty (1).
func loadPattern(c procedure.FindingInput) procedure.Diagnosis {
	corners := procedure.Marked(c.Points, "corner")
	worst, sum := -1, 0.0
	for i, p := range corners {
		sum += p.Error
		if worst < 0 || math.Abs(p.Error) > math.Abs(corners[worst].Error) {
			worst = i
		}
	}
	if len(corners) > 2 && math.Abs(corners[worst].ErrorToLimit) > 1 {
		others := (sum - corners[worst].Error) / float64(len(corners)-1)
		if p := corners[worst]; math.Abs(p.Error-others) > 2*math.Abs(others) {
			return procedure.Diagnosis{Shape: "corner", Investigate: true,
				Words: fmt.Sprintf("Only %s is off, by %s more than the other corners: its cell, or its foot.", p.Label,
					quantity.FormatSigned(p.Error-others, 0.01))}
		}
	}
	for _, p := range procedure.Marked(c.Points, "empty") {
		if math.Abs(p.ErrorToLimit) > 1 {
			return procedure.Diagnosis{Shape: "zero", Investigate: true,
				Words: fmt.Sprintf("It does not come back to zero (%s): something touches the platform.",
					quantity.FormatSigned(p.Error, 0.01))}
		}
	}
	share, n, least, most := 0.0, 0.0, math.Inf(1), math.Inf(-1)
	for _, p := range c.Points {
		if p.Reference > 0 && p.Significant() {
			s := p.Percent()
			share, n, least, most = share+s, n+1, math.Min(least, s), math.Max(most, s)
		}
	}
	if n < 2 || most-least > math.Max(0.05, 0.5*math.Abs(share/n)) {
		return procedure.Diagnosis{Shape: "load", Words: "No one thing explains the errors: look at each load."}
	}
	share /= n
	words := fmt.Sprintf("The same share at every load: %s %%.", quantity.FormatSigned(share, 0.001))
	adjusted, used := Spot{c.Plate[adjustedLatitude], c.Plate[adjustedHeight]}, Spot{c.Plate[usedLatitude],
		c.Plate[usedHeight]}
	if moved, err := Moved(adjusted, used); err == nil && adjusted != used {
		words += fmt.Sprintf(" The gravity of this place makes %s %%.", quantity.FormatSigned(moved, 0.001))
		if math.Abs(moved-share) < 0.02 {
			return procedure.Diagnosis{Shape: "gravity",
				Words: words + " It was adjusted elsewhere: that is the whole of it. Adjust the span here."}
		}
	}
	return procedure.Diagnosis{Shape: "span", Words: words +
		" The span, a wrong unit, or a wrong weight entered when it was last adjusted."}
}

// manyPieces is up to how many pieces every subset of a kit is looked at; of a larger kit
// the heaviest are taken first.
const manyPieces = 14

// nearestLoad chooses the pieces whose sum comes nearest to the target; of those that come
// as near, the fewest.
func nearestLoad(kit []reference.Certified, target float64, unit string) ([]reference.Certified, float64, error) {
	if len(kit) == 0 {
		return nil, 0, fmt.Errorf("the kit has no certified weights")
	}
	type piece struct {
		at   int // in the kit
		mass float64
	}
	pieces := make([]piece, len(kit))
	for i, c := range kit {
		mass, err := quantity.Convert(c.Value, c.Unit, unit)
		if err != nil {
			return nil, 0, fmt.Errorf("weight %s: %w", c.Piece, err)
		}
		pieces[i] = piece{i, mass}
	}
	slices.SortStableFunc(pieces, func(a, b piece) int { return cmp.Compare(b.mass, a.mass) })
	var chosen []reference.Certified
	sum := 0.0
	for _, p := range pieces {
		if math.Abs(sum+p.mass-target) < math.Abs(sum-target) {
			chosen, sum = append(chosen, kit[p.at]), sum+p.mass
		}
	}
	if len(kit) > manyPieces {
		return chosen, sum, nil
	}
	masses := make([]float64, len(kit))
	least := math.Inf(1) // what the lightest piece could still change
	for i, p := range pieces {
		masses[i] = p.mass
		least = math.Min(least, masses[i])
	}
	if math.Abs(sum-target) < least/1000 { // there already, but for the pieces' own errors
		return chosen, sum, nil
	}
	if best := nearestSubset(masses, target, sum, len(chosen)); best >= 0 {
		chosen, sum = nil, 0
		for i, p := range pieces {
			if best&(1<<i) != 0 {
				chosen, sum = append(chosen, kit[p.at]), sum+p.mass
			}
		}
	}
	return chosen, sum, nil
}

// nearestSubset is the subset of masses, as bits, that comes clearly nearer to a target
// than a sum that was found by so many pieces; -1 where none does. Subsets are looked at in
// Gray's order, so that each differs from the one before by a single piece.
func nearestSubset(masses []float64, target, found float64, pieces int) int {
	best, off, fewest := -1, math.Abs(found-target), pieces
	tolerance := 1e-4 * masses[len(masses)-1]
	sum, count, before := 0.0, 0, 0
	for n := 1; n < 1<<len(masses); n++ {
		gray := n ^ n>>1
		bit := bits.TrailingZeros(uint(gray ^ before))
		if gray > before {
			sum, count = sum+masses[bit], count+1
		} else {
			sum, count = sum-masses[bit], count-1
		}
		before = gray
		d := math.Abs(sum - target)
		if d < off-tolerance || d < off+tolerance && count < fewest {
			best, off, fewest = gray, d, count
		}
	}
	return best
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
