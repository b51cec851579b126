package uncertainty_test

import (
	"math"
	"testing"

	"northneedle/core/uncertainty"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/stat/distuv"
	"pgregory.net/rapid"
)

func TestCombineRefusesNonsense(t *testing.T) {
	for _, terms := range [][]uncertainty.Term{nil, {{Name: "x", Distribution: uncertainty.Normal, Width: -1}},
		{{Name: "x", Distribution: "guess", Width: 1}},
		{{Name: "x", Distribution: uncertainty.Normal, Width: 1, K: -2}},
		{{Name: "x", Distribution: uncertainty.Rectangular, Width: math.NaN()}},
		{{Name: "x", Distribution: uncertainty.Rectangular, Width: 1, DOF: -1}}} {
		_, err := uncertainty.Combine(terms...)
		assert.Error(t, err)
	}
}

// An input that the result does not hang on adds nothing; one of which nothing is said counts as it is.
func TestASensitivityOfZeroIsZero(t *testing.T) {
	term := func(width float64, c *float64) uncertainty.Term {
		return uncertainty.Term{Name: "t", Distribution: uncertainty.Normal, Width: width, K: 1, Sensitivity: c}
	}
	budget, err := uncertainty.Combine(term(3, new(0.0)), term(4, nil))
	require.NoError(t, err)
	assert.Equal(t, 4.0, budget.Combined)
	assert.Equal(t, []float64{0, 4}, []float64{budget.Lines[0].Contribution, budget.Lines[1].Contribution})
}

func TestRepeatabilityNeedsTwoReadings(t *testing.T) {
	_, ok := uncertainty.Repeatability([]float64{5})
	assert.False(t, ok)
	term, ok := uncertainty.Repeatability([]float64{1, 2, 3})
	require.True(t, ok)
	assert.InDelta(t, 1/math.Sqrt(3), term.Width, 1e-12)
	assert.Equal(t, 2.0, term.DOF)
}

func TestManyDegreesOfFreedomMeetTheExactFactor(t *testing.T) {
	for _, dof := range []float64{1, 7, 100, 101, 150, 1000, 1e6} {
		term := uncertainty.Term{Name: "t", Distribution: uncertainty.Normal, Width: 1, DOF: dof}
		b, err := uncertainty.Combine(term)
		require.NoError(t, err)
		exact := distuv.StudentsT{Mu: 0, Sigma: 1, Nu: dof}.Quantile(0.97725)
		assert.InEpsilon(t, exact, b.K, 2e-8, "%g degrees of freedom", dof)
	}
}

func TestUncertaintyNeverShrinksWhenATermGrows(t *testing.T) {
	kinds := []uncertainty.Distribution{uncertainty.Normal, uncertainty.Rectangular, uncertainty.Triangular,
		uncertainty.UShaped}
	rapid.Check(t, func(t *rapid.T) {
		n := rapid.IntRange(1, 5).Draw(t, "n")
		terms := make([]uncertainty.Term, n)
		for i := range terms {
			terms[i] = uncertainty.Term{
				Name:         "t",
				Distribution: rapid.SampledFrom(kinds).Draw(t, "kind"),
				Width:        rapid.Float64Range(0, 10).Draw(t, "width"),
				K:            2,
			}
		}
		before, err := uncertainty.Combine(terms...)
		require.NoError(t, err)
		terms[rapid.IntRange(0, n-1).Draw(t, "which")].Width *= rapid.Float64Range(1, 3).Draw(t, "more")
		after, err := uncertainty.Combine(terms...)
		require.NoError(t, err)
		require.GreaterOrEqual(t, after.Expanded, before.Expanded*(1-1e-12))
		share := 0.0
		for _, line := range after.Lines {
			share += line.Share
		}
		if after.Combined > 0 {
			require.InDelta(t, 1, share, 1e-9)
		}
	})
}
