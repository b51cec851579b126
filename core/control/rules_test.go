package control_test

import (
	"math"
	"strings"
	"testing"

	"northneedle/core/control"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func series(t *rapid.T) [][]float64 {
	runs := make([][]float64, rapid.IntRange(1, 30).Draw(t, "runs"))
	levels := rapid.IntRange(1, 3).Draw(t, "levels")
	for i := range runs {
		for range levels {
			runs[i] = append(runs[i], rapid.Float64Range(-4, 4).Draw(t, "z"))
		}
	}
	return runs
}

func TestRulesDoNotDependOnTheSide(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		runs := series(t)
		mirrored := make([][]float64, len(runs))
		for i, run := range runs {
			for _, z := range run {
				mirrored[i] = append(mirrored[i], -z)
			}
		}
		for _, rule := range control.Rules {
			a, fires := rule.First(runs)
			b, also := rule.First(mirrored)
			require.Equal(t, fires, also, rule)
			require.Equal(t, a, b, rule)
		}
	})
}

func TestARejectionIsAlwaysAlsoAWarning(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		runs := series(t)
		for i := range runs {
			for _, rule := range []control.Rule{control.R13s, control.R22s, control.R4s} {
				if rule.At(runs, i) {
					require.True(t, control.R12s.At(runs, i), rule)
				}
			}
		}
	})
}

func TestALevelThatWasNotMeasuredFiresNothing(t *testing.T) {
	nan := math.NaN()
	runs := [][]float64{{1.2, nan}, {1.3, nan}, {nan, nan}, {1.4, nan}, {1.2, nan}}
	for _, rule := range control.Rules {
		_, fires := rule.First(runs)
		assert.False(t, fires, rule)
	}
	_, fires := control.Rule("no such").First([][]float64{{9}})
	assert.False(t, fires)
}

func TestZ(t *testing.T) {
	z, err := control.Z(7.43, 7.40, 0.01)
	require.NoError(t, err)
	assert.InDelta(t, 3, z, 1e-9)
	for _, sd := range []float64{0, -1, math.NaN(), math.Inf(1)} {
		_, err := control.Z(1, 1, sd)
		assert.Error(t, err)
	}
}

func TestWhatARejectionSuggests(t *testing.T) {
	steady := [][]float64{{0.1, -0.3}, {0.4, 0.2}, {-0.5, 0.6}}
	for name, c := range map[string]struct {
		last       []float64
		rejected   bool
		suggestion string
	}{
		"fine":       {[]float64{0.3, -0.2}, false, ""},
		"a warning":  {[]float64{2.3, 0.4}, false, ""},
		"far out":    {[]float64{3.4, 0.4}, true, "random"},
		"both sides": {[]float64{2.4, -2.2}, true, "random"},
		"both above": {[]float64{2.4, 2.2}, true, "systematic"},
	} {
		t.Run(name, func(t *testing.T) {
			runs := append(append([][]float64{}, steady...), c.last)
			v := control.Judge(runs, 3)
			assert.Equal(t, c.rejected, v.Rejected, v.Words)
			assert.Equal(t, c.suggestion, v.Suggestion)
			assert.Equal(t, !c.rejected, strings.HasPrefix(v.Words, "Accepted"))
		})
	}
	drift := [][]float64{}
	for range 10 {
		drift = append(drift, []float64{0.4, math.NaN()})
	}
	assert.Equal(t, "systematic", control.Judge(drift, 9).Suggestion, "ten on one side, of the level that was measured")
}

func TestSigma(t *testing.T) {
	s, err := control.Sigma(10, -1, 1.5)
	require.NoError(t, err)
	assert.Equal(t, 6.0, s)
	assert.Contains(t, control.SigmaWords(s), "excellent")
	assert.Contains(t, control.SigmaWords(2.2), "not fit")
	_, err = control.Sigma(10, 0, 0)
	assert.Error(t, err)
}
