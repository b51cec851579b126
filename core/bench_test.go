package core_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"northneedle/core/conformity"
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
		return uncertainty.Quantity{Name: name, Value: value, Terms: []uncertainty.Term{{Distribution: uncertainty.Normal, Width: u, K: 2}}}
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
		budget, err := uncertainty.Combine(uncertainty.Term{Name: "gas", Distribution: uncertainty.Normal, Width: 0.05, K: 2}, uncertainty.Resolution("display", 0.01), uncertainty.Term{Name: "readings", Distribution: uncertainty.Normal, Width: 0.004, K: 1, DOF: 4})
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
	points := make([]fit.ErrorAt, 10_000)
	for i := range points {
		level := math.Floor(random.Float64() * 50)
		points[i] = fit.ErrorAt{Level: level, Error: 0.02*level + 0.05*random.NormFloat64(), U: 0.1, Limit: 1}
	}
	b.ReportAllocs()
	for b.Loop() {
		if _, err := fit.Dissect(points); err != nil {
			b.Fatal(err)
		}
	}
}
