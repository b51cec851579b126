package core_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"northneedle/core/adjust"
	"northneedle/core/conformity"
	"northneedle/core/dayplan"
	"northneedle/core/fit"
	"northneedle/core/gas"
	"northneedle/core/uncertainty"
)

// BenchmarkOxygenUptake propagates a million trials of the oxygen-uptake model.
func BenchmarkOxygenUptake(b *testing.B) {
	model, err := gas.Exchange{TemperatureC: 22, PressureHPa: 1008, FIO2: 0.2093, FICO2: 0.0004}.Model()
	if err != nil {
		b.Fatal(err)
	}
	input := func(name string, value, u float64) uncertainty.Quantity {
		return uncertainty.Quantity{Name: name, Value: value,
			Terms: []uncertainty.Term{{Distribution: uncertainty.Normal, Width: u, K: 2}}}
	}
	inputs := []uncertainty.Quantity{input("VE", 60, 1.2), input("FEO2", 0.168, 0.0006), input("FECO2", 0.037, 0.0006)}
	b.ReportAllocs()
	for b.Loop() {
		if _, err := uncertainty.Propagate(model, inputs, 0.95, 1_000_000, 1); err != nil {
			b.Fatal(err)
		}
	}
}

// BenchmarkVerdict combines a budget of three terms and places an error by it.
func BenchmarkVerdict(b *testing.B) {
	tolerance, err := conformity.ParseTolerance("±(0.43 + 8 % of reading)")
	if err != nil {
		b.Fatal(err)
	}
	rule := conformity.Rule{Kind: conformity.Guarded}
	b.ReportAllocs()
	for b.Loop() {
		budget, err := uncertainty.Combine(uncertainty.Term{
			Name:         "gas",
			Distribution: uncertainty.Normal,
			Width:        0.05,
			K:            2,
		}, uncertainty.Resolution("display", 0.01), uncertainty.Term{
			Name:         "readings",
			Distribution: uncertainty.Normal,
			Width:        0.004,
			K:            1,
			DOF:          4,
		})
		if err != nil {
			b.Fatal(err)
		}
		limits, err := tolerance.Limits(5.02)
		if err != nil {
			b.Fatal(err)
		}
		a, err := conformity.Assess(-0.31, limits, budget.Expanded, budget.K)
		if err != nil {
			b.Fatal(err)
		}
		rule.Accepts(a)
	}
	b.ReportMetric(float64(b.N)/b.Elapsed().Seconds(), "verdicts/s")
}

// BenchmarkAnatomy takes ten thousand points at fifty levels apart.
func BenchmarkAnatomy(b *testing.B) {
	random := rand.New(rand.NewPCG(1, 1))
	points := make([]fit.PointError, 10_000)
	for i := range points {
		level := math.Floor(random.Float64() * 50)
		points[i] = fit.PointError{Level: level, Error: 0.02*level + 0.05*random.NormFloat64(), U: 0.1, Limit: 1}
	}
	b.ReportAllocs()
	for b.Loop() {
		if _, err := fit.DecomposeErrors(points); err != nil {
			b.Fatal(err)
		}
	}
}

// BenchmarkChamberRounds trims made-up chambers of six coupled zones to ±0.05 °C, and says
// in how many rounds: learning how the zones move each other, and zone by zone.
func BenchmarkChamberRounds(b *testing.B) {
	random := rand.New(rand.NewPCG(37, 6))
	var together, alone, chambers float64
	for b.Loop() {
		own, next := 0.7+0.3*random.Float64(), 0.08+0.14*random.Float64()
		bias := make([]float64, 6)
		for i := range bias {
			bias[i] = 2*random.Float64() - 1
		}
		together += trimRounds(b, own, next, bias, true)
		alone += trimRounds(b, own, next, bias, false)
		chambers++
	}
	b.ReportMetric(together/chambers, "rounds/chamber")
	b.ReportMetric(alone/chambers, "rounds-zone-by-zone/chamber")
}

func trimRounds(b *testing.B, own, next float64, bias []float64, learn bool) (rounds float64) {
	trim := make([]float64, len(bias))
	off := func(i int) float64 {
		if i < 0 || i >= len(bias) {
			return 0
		}
		return bias[i] + trim[i]
	}
	points := func() (all []adjust.Point, worst float64) {
		for i := range bias {
			e := own*off(i) + next*(off(i-1)+off(i+1))
			worst = math.Max(worst, math.Abs(e))
			all = append(all, adjust.Point{
				ID:           string(rune('a' + i)),
				Label:        "zone",
				Level:        37 - e,
				Error:        e,
				ErrorToLimit: e / 0.1,
				Limit:        0.1,
				U:            0.02,
			})
		}
		return all, worst
	}
	control := []adjust.Control{{ID: "trim", Label: "trim", Kind: adjust.Zone, Step: 0.01}}
	var past []adjust.Round
	for ; rounds < 20; rounds++ {
		before, worst := points()
		if worst <= 0.05 {
			break
		}
		tried := adjust.Tried{Rounds: int(rounds), Before: math.Inf(1)}
		if learn {
			tried.Past = past
		}
		advice, err := adjust.Advise(before, adjust.Policy{School: adjust.Threshold, Threshold: 0.5, MaxRounds: 30},
			control, tried)
		if err != nil {
			b.Fatal(err)
		}
		made := adjust.Round{Trims: map[string]float64{}, Before: map[string]float64{}, After: map[string]float64{}}
		for _, m := range advice.Moves {
			trim[m.Point[0]-'a'] += m.Change
			made.Trims[m.Point] = m.Change
		}
		after, _ := points()
		for i := range before {
			made.Before[before[i].ID], made.After[after[i].ID] = before[i].Error, after[i].Error
		}
		past = append(past, made)
	}
	return rounds
}

// BenchmarkDayPlan orders a day of forty jobs at four places for one person, and says by
// how much it ends after a bound that no plan comes before.
func BenchmarkDayPlan(b *testing.B) {
	over, hands := 0.0, 0
	for n := range b.N {
		random := rand.New(rand.NewPCG(uint64(n), 40))
		day := dayplan.Day{People: []dayplan.Person{{Name: "Idris", Window: dayplan.Window{From: 480, Until: 3000}}},
			Travel: func(string, string) int { return 5 }}
		for i := range 40 {
			j := dayplan.Job{
				ID:     fmt.Sprint(i),
				Place:  fmt.Sprint(random.IntN(4)),
				Setup:  2 + random.IntN(10),
				Wait:   random.IntN(40),
				Finish: 5 + random.IntN(25),
				Risk:   1 + random.IntN(5),
			}
			if random.IntN(3) == 0 {
				j.References = []string{"FA-1"}
			}
			day.Jobs = append(day.Jobs, j)
		}
		plan, err := dayplan.Make(day)
		if err != nil {
			b.Fatal(err)
		}
		over += 100 * float64(plan.Ends-plan.Bound) / float64(plan.Bound-480)
		hands += plan.Hands
	}
	b.ReportMetric(over/float64(b.N), "%-over-bound/day")
	b.ReportMetric(float64(hands)/float64(b.N), "hands-min/day")
}
