package uncertainty_test

import (
	"math"
	"testing"

	"northneedle/core/gas"
	"northneedle/core/uncertainty"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func normal(name string, value, u float64) uncertainty.Quantity {
	return uncertainty.Quantity{Name: name, Value: value,
		Terms: []uncertainty.Term{{Distribution: uncertainty.Normal, Width: u, K: 1}}}
}

func TestPropagationAgreesWithTheBudgetWhereTheModelIsALine(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		kinds := []uncertainty.Distribution{uncertainty.Normal, uncertainty.Rectangular, uncertainty.Triangular,
			uncertainty.UShaped}
		var inputs []uncertainty.Quantity
		var terms []uncertainty.Term
		slopes := []float64{1, -2, 0.5}
		for _, c := range slopes {
			term := uncertainty.Term{
				Name:         "t",
				Distribution: rapid.SampledFrom(kinds).Draw(t, "kind"),
				Width:        rapid.Float64Range(0.5, 2).Draw(t, "width"),
				K:            2,
			}
			inputs = append(inputs, uncertainty.Quantity{Value: 1, Terms: []uncertainty.Term{term}})
			term.Sensitivity = new(c)
			terms = append(terms, term)
		}
		budget, err := uncertainty.Combine(terms...)
		require.NoError(t, err)
		p, err := uncertainty.Propagate(func(x []float64) float64 {
			return slopes[0]*x[0] + slopes[1]*x[1] +
				slopes[2]*x[2]
		}, inputs, 0.95, 40000, 7)
		require.NoError(t, err)
		require.InEpsilon(t, budget.Combined, p.Standard, 0.03)
		require.InDelta(t, -0.5, p.Mean, 0.05*budget.Combined)
		require.Less(t, p.Low, p.Mean)
		require.Greater(t, p.High, p.Mean)
	})
}

func TestPropagationOfOxygenUptake(t *testing.T) {
	model, err := gas.Exchange{TemperatureC: 22, PressureHPa: 1008, FIO2: 0.2093, FICO2: 0.0004}.Model()
	require.NoError(t, err)
	inputs := []uncertainty.Quantity{normal("VE", 60, 0.6), normal("FEO2", 0.168, 0.0003),
		normal("FECO2", 0.037, 0.0003)}
	a, err := uncertainty.Propagate(model, inputs, 0.95, 100000, 1)
	require.NoError(t, err)
	assert.InDelta(t, 2.289, a.Mean, 0.01)
	assert.Greater(t, a.Standard, 0.02)
	b, err := uncertainty.Propagate(model, inputs, 0.95, 100000, 1)
	require.NoError(t, err)
	assert.Equal(t, a, b, "the same seed gives the same")
}

func TestPropagationRefusesNonsense(t *testing.T) {
	same := func(x []float64) float64 { return x[0] }
	fine := []uncertainty.Quantity{normal("x", 1, 0.1)}
	for name, err := range map[string]error{
		"no number": failure(uncertainty.Propagate(same, []uncertainty.Quantity{normal("x", math.NaN(), 1)}, 0.95,
			1000, 1)),
		"negative u": failure(uncertainty.Propagate(same, []uncertainty.Quantity{normal("x", 1, -1)}, 0.95, 1000, 1)),
		"few trials": failure(uncertainty.Propagate(same, fine, 0.95, 10, 1)),
		"coverage":   failure(uncertainty.Propagate(same, fine, 1, 1000, 1)),
		"no result": failure(uncertainty.Propagate(func([]float64) float64 { return math.NaN() }, fine, 0.95, 1000,
			1)),
		"often none": failure(uncertainty.Propagate(func(x []float64) float64 { return math.Log(x[0] - 1) }, fine,
			0.95, 1000, 1)),
		"no coverage": failure(uncertainty.CombineCorrelated([]uncertainty.Term{{Distribution: uncertainty.Normal,
			Width: 1}}, nil, 0)),
	} {
		assert.Error(t, err, name)
	}
}

func failure[T any](_ T, err error) error { return err }

func TestWhatVariesTogetherCountsTogether(t *testing.T) {
	terms := []uncertainty.Term{{Name: "a", Distribution: uncertainty.Normal, Width: 3},
		{Name: "b", Distribution: uncertainty.Normal, Width: 4}}
	for r, want := range map[float64]float64{-1: 1, 0: 5, 1: 7} {
		b, err := uncertainty.CombineCorrelated(terms, []uncertainty.Correlation{{A: 0, B: 1, Coefficient: r}},
			uncertainty.Coverage)
		require.NoError(t, err)
		assert.InDelta(t, want, b.Combined, 1e-12, "coefficient %g", r)
	}
	for _, bad := range []uncertainty.Correlation{{A: 0, B: 0, Coefficient: 1}, {A: 0, B: 2, Coefficient: 1},
		{A: 0, B: 1, Coefficient: 1.5}, {A: 0, B: 1, Coefficient: math.NaN()}} {
		_, err := uncertainty.CombineCorrelated(terms, []uncertainty.Correlation{bad}, uncertainty.Coverage)
		assert.Error(t, err)
	}
	wide, err := uncertainty.CombineCorrelated(terms, nil, 0.99)
	require.NoError(t, err)
	assert.InDelta(t, 2.5758, wide.K, 1e-3)
}
