package control_test

import (
	"math"
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
