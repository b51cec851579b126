package uncertainty

import (
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
)

// Quantity is an input of a model: its estimate and the terms of its uncertainty, in
// its own unit (a term's sensitivity and degrees of freedom do not matter here).
type Quantity struct {
	Name  string  `json:"name"`
	Value float64 `json:"value"`
	Terms []Term  `json:"terms"`
}

// Propagated is the distribution of a model's result.
type Propagated struct {
	Trials   int     `json:"trials"`
	Mean     float64 `json:"mean"`
	Standard float64 `json:"standard"` // standard deviation
	Low      float64 `json:"low"`      // ends of the shortest interval of the stated coverage
	High     float64 `json:"high"`
}

// maxTrials keeps a mistyped number from taking the afternoon.
const maxTrials = 20_000_000

// Propagate draws the inputs again and again and summarises the model's results: the
// mean, the standard deviation and the shortest interval of the stated coverage
// (above 0, below 1). The same seed gives the same result. A model may give NaN where
// a draw has no result; more than one in a thousand is an error. JCGM 101:2008, 7.
func Propagate(model func(x []float64) float64, inputs []Quantity, coverage float64, trials int,
	seed uint64) (Propagated, error) {
	draws, err := samplers(inputs)
	switch {
	case err != nil:
		return Propagated{}, err
	case trials < 1000 || trials > maxTrials:
		return Propagated{}, fmt.Errorf("the number of trials must be 1000 to %d, it is %d", maxTrials, trials)
	case !(coverage > 0 && coverage < 1):
		return Propagated{}, fmt.Errorf("the coverage must lie between 0 and 1, it is %g", coverage)
	}
	random := rand.New(rand.NewPCG(seed, 101))
	results := make([]float64, 0, trials)
	x := make([]float64, len(inputs))
	for range trials {
		for i := range draws {
			x[i] = draws[i].draw(random)
		}
		if y := model(x); !math.IsNaN(y) && !math.IsInf(y, 0) {
			results = append(results, y)
		}
	}
	if lost := trials - len(results); lost*1000 > trials {
		return Propagated{}, fmt.Errorf("%d of %d draws have no result: an input's uncertainty reaches where the formula does not hold", lost, trials)
	}
	return summarise(results, coverage), nil
}

func summarise(results []float64, coverage float64) Propagated {
	p := Propagated{Trials: len(results)}
	n := float64(len(results))
	for _, y := range results {
		p.Mean += y / n
	}
	for _, y := range results {
		p.Standard += (y - p.Mean) * (y - p.Mean) / (n - 1)
	}
	p.Standard = math.Sqrt(p.Standard)
	slices.Sort(results)
	inside := int(coverage*n + 0.5)
	shortest := 0
	for i := 1; i+inside < len(results); i++ {
		if results[i+inside]-results[i] < results[shortest+inside]-results[shortest] {
			shortest = i
		}
	}
	p.Low, p.High = results[shortest], results[min(shortest+inside, len(results)-1)]
	return p
}

// sampler draws one input: its normal terms add up to one normal term.
type sampler struct {
	value, normal float64
	others        []Term
}

func samplers(inputs []Quantity) ([]sampler, error) {
	all := make([]sampler, len(inputs))
	for i, q := range inputs {
		if math.IsNaN(q.Value) || math.IsInf(q.Value, 0) {
			return nil, fmt.Errorf("%s: the value is not a number", q.Name)
		}
		all[i].value = q.Value
		for _, t := range q.Terms {
			u, err := t.Standard()
			if err != nil {
				return nil, fmt.Errorf("%s: %w", q.Name, err)
			}
			if t.Distribution == Normal {
				all[i].normal = math.Hypot(all[i].normal, u)
			} else {
				all[i].others = append(all[i].others, t)
			}
		}
	}
	return all, nil
}

func (s sampler) draw(r *rand.Rand) float64 {
	v := s.value
	if s.normal > 0 {
		v += s.normal * r.NormFloat64()
	}
	for _, t := range s.others {
		switch t.Distribution {
		case Rectangular:
			v += t.Width * (2*r.Float64() - 1)
		case Triangular:
			v += t.Width * (r.Float64() + r.Float64() - 1)
		case UShaped:
			v += t.Width * math.Sin(2*math.Pi*r.Float64())
		}
	}
	return v
}
