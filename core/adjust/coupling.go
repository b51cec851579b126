package adjust

import (
	"fmt"
	"math"
	"slices"

	"northneedle/core/quantity"

	"gonum.org/v1/gonum/mat"
)

// Round is one earlier round of trims: what each was changed by, and the errors before
// and after, by the points' ids.
type Round struct {
	Trims, Before, After map[string]float64
}

// zones are points by the trim that serves them, in the order they come.
type zones struct {
	first  []Point   // of each zone: names its trim
	error  []float64 // mean over the zone's points
	spread []float64 // between its points, from least to most
	of     []int     // the zone of each point
}

func byZone(points []Point) zones {
	z := zones{}
	var names []string
	var low, high []float64
	count := map[int]float64{}
	for _, p := range points {
		name := p.Zone
		if name == "" {
			name = p.id()
		}
		i := slices.Index(names, name)
		if i < 0 {
			i, names = len(names), append(names, name)
			z.first, z.error = append(z.first, p), append(z.error, 0)
			low, high = append(low, p.Error), append(high, p.Error)
		}
		count[i]++
		z.error[i] += p.Error
		low[i], high[i] = math.Min(low[i], p.Error), math.Max(high[i], p.Error)
		z.of = append(z.of, i)
	}
	for i := range z.error {
		z.error[i] /= count[i]
		z.spread = append(z.spread, high[i]-low[i])
	}
	return z
}

// response is by how much each zone's error changes for one unit of each trim, zone by
// zone. Before any round it is taken that a trim moves its own zone alone, and fully.
// After the first, own and neighbouring effect (zones in their order) are fitted to what
// happened, by least squares; what those two do not explain is put right by Broyden's
// rank-one update (Math. Comp. 19 (1965) 577), so that every round counts.
func (z zones) response(points []Point, rounds []Round) *mat.Dense {
	n := len(z.first)
	j := mat.NewDense(n, n, nil)
	own, next := z.fitted(points, rounds)
	for i := range n {
		j.Set(i, i, own)
		if i > 0 {
			j.Set(i, i-1, next)
			j.Set(i-1, i, next)
		}
	}
	for _, r := range rounds {
		trims, change := z.seen(points, r)
		length := 0.0
		for _, t := range trims {
			length += t * t
		}
		if length == 0 {
			continue
		}
		for i := range n {
			left := change[i]
			for k := range n {
				left -= j.At(i, k) * trims[k]
			}
			for k := range n {
				j.Set(i, k, j.At(i, k)+left*trims[k]/length)
			}
		}
	}
	return j
}

// fitted is the effect of a trim on its own zone and on its neighbours.
func (z zones) fitted(points []Point, rounds []Round) (own, next float64) {
	var aa, ab, bb, ad, bd float64
	for _, r := range rounds {
		trims, change := z.seen(points, r)
		for i := range trims {
			b := 0.0
			if i > 0 {
				b += trims[i-1]
			}
			if i+1 < len(trims) {
				b += trims[i+1]
			}
			a, d := trims[i], change[i]
			aa, ab, bb, ad, bd = aa+a*a, ab+a*b, bb+b*b, ad+a*d, bd+b*d
		}
	}
	det := aa*bb - ab*ab
	switch {
	case aa == 0:
		return 1, 0
	case det < 1e-9*aa*aa:
		return clamp(ad/aa, 0.3, 1.7), 0
	}
	return clamp((ad*bb-bd*ab)/det, 0.3, 1.7), clamp((bd*aa-ad*ab)/det, -0.6, 0.6)
}

func clamp(v, low, high float64) float64 { return math.Max(low, math.Min(high, v)) }

// seen are the trims of a round and the change of each zone's mean error.
func (z zones) seen(points []Point, r Round) (trims, change []float64) {
	trims, change = make([]float64, len(z.first)), make([]float64, len(z.first))
	count := make([]float64, len(z.first))
	for i, p := range points {
		zone := z.of[i]
		trims[zone] += r.Trims[p.id()]
		change[zone] += r.After[p.id()] - r.Before[p.id()]
		count[zone]++
	}
	for i := range change {
		change[i] /= count[i]
	}
	return trims, change
}

// trims are the changes of every trim that bring all zones in together, and the errors
// that should remain, in whole steps of the control.
func (z zones) trims(c Control, j *mat.Dense) (steps []int, left []float64) {
	n := len(z.first)
	var wanted mat.VecDense
	if err := wanted.SolveVec(j, mat.NewVecDense(n, slices.Clone(z.error))); err != nil {
		for i := range n {
			steps = append(steps, int(math.Round(-z.error[i]/c.Step)))
		}
	} else {
		for i := range n {
			steps = append(steps, int(math.Round(-wanted.AtVec(i)/c.Step)))
		}
	}
	for i := range n {
		e := z.error[i]
		for k := range n {
			e += j.At(i, k) * float64(steps[k]) * c.Step
		}
		left = append(left, e)
	}
	return steps, left
}

// zonePlan trims every zone together. Where the points that one trim serves differ by
// more than their band, no trim can bring both in: it says so.
func (a Advice) zonePlan(c Control, points []Point, rounds []Round, share string) Advice {
	z := byZone(points)
	for i, p := range z.first {
		if band := 2 * p.Limit; p.Limit > 0 && z.spread[i] > band {
			return a.say(Investigate,
				"the compartments that %s serves differ by %.2f, more than the band of %.2f: no trim can fix this. Look at the lid, the probe's seat and the heater", p.zoneName(), z.spread[i], band)
		}
	}
	steps, left := z.trims(c, z.response(points, rounds))
	a.After, a.Fine = make([]float64, len(points)), true
	words := ""
	for i, p := range z.first {
		if steps[i] == 0 {
			continue
		}
		m := Move{Control: c.ID, Label: c.Label, Point: p.id(), Steps: steps[i], Change: float64(steps[i]) * c.Step}
		if c.Range > 0 && math.Abs(m.Change) > c.Range {
			return a.say(Withdraw, "%s of %s would have to move by %.3g, more than the %.3g it can", c.Label,
				p.zoneName(), m.Change, c.Range)
		}
		m.Words = fmt.Sprintf("%s on %s of %s", Presses(steps[i]), c.Label, p.zoneName())
		if c.Sense == "value" {
			m.Words = fmt.Sprintf("enter %s as measured in %s", quantity.Format(p.Level-m.Change, c.Step),
				p.zoneName())
		}
		if words != "" {
			words += ", "
		}
		words += m.Words
		a.Moves = append(a.Moves, m)
	}
	for i, p := range points {
		a.After[i] = p.Error + left[z.of[i]] - z.error[z.of[i]]
		a.Fine = a.Fine && math.Abs(a.After[i]) <= p.Limit
		if p.Limit > 0 {
			a.HalfStep = math.Max(a.HalfStep, c.Step/2/p.Limit)
		}
	}
	if len(a.Moves) == 0 {
		return a.say(Leave, "%s, less than one step of a trim can mend", share)
	}
	how := "each zone by itself"
	if len(rounds) > 0 {
		how = "all zones together, by how they moved each other before"
	}
	a = a.say(Adjust, "%s; trimmed %s: %s", share, how, words)
	return a
}

func (p Point) zoneName() string {
	if p.Zone != "" {
		return p.Zone
	}
	return p.Label
}
