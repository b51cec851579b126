package fit_test

import (
	"math"
	"testing"

	"northneedle/core/fit"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// errors makes points of u 0.05 and limit 0.4 from a function of the level.
func errorsAt(e func(level float64) float64, levels ...float64) (points []fit.PointError) {
	for _, x := range levels {
		points = append(points, fit.PointError{Level: x, Error: e(x), U: 0.05, Limit: 0.4})
	}
	return points
}

func ways(points []fit.PointError, directions ...string) []fit.PointError {
	for i, d := range directions {
		points[i].Direction = d
	}
	return points
}

func TestDissect(t *testing.T) {
	levels := []float64{0, 2.5, 5, 7.5, 10}
	for name, c := range map[string]struct {
		points []fit.PointError
		shape  fit.Shape
	}{
		"nothing":   {errorsAt(func(float64) float64 { return 0.04 }, levels...), fit.NoError},
		"an offset": {errorsAt(func(float64) float64 { return 0.3 }, levels...), fit.Offset},
		"a gain":    {errorsAt(func(x float64) float64 { return -0.06 * x }, levels...), fit.Gain},
		"both":      {errorsAt(func(x float64) float64 { return 0.5 - 0.08*x }, levels...), fit.Both},
		"a bend": {errorsAt(func(x float64) float64 { return 0.03 * (x - 5) * (x - 5) }, levels...),
			fit.Bent},
		"one level": {errorsAt(func(float64) float64 { return 0.3 }, 5), fit.Unknown},
		"scatter at a level": {append(errorsAt(func(float64) float64 { return 0.3 }, 5),
			errorsAt(func(float64) float64 { return -0.3 }, 5)...), fit.Scatter},
		"other on the way up": {ways(append(errorsAt(func(float64) float64 { return 0.3 }, 5),
			errorsAt(func(float64) float64 { return 0 }, 5, 0)...), "falling", "rising", "rising"), fit.Hysteresis},
	} {
		t.Run(name, func(t *testing.T) {
			a, err := fit.DecomposeErrors(c.points)
			require.NoError(t, err)
			assert.Equal(t, c.shape, a.Shape)
			for _, p := range a.Parts {
				assert.InDelta(t, p.Size/0.4, p.Share, 1e-9, p.Shape)
			}
		})
	}
}

func TestPartsHaveTheirSizes(t *testing.T) {
	a, err := fit.DecomposeErrors(errorsAt(func(x float64) float64 { return 0.2 - 0.05*x }, 0, 5, 10))
	require.NoError(t, err)
	require.Len(t, a.Parts, 3)
	assert.Equal(t, fit.Offset, a.Parts[0].Shape)
	assert.InDelta(t, 0.2, a.Parts[0].Size, 1e-9)
	assert.True(t, a.Parts[0].Significant)
	assert.Equal(t, fit.Gain, a.Parts[1].Shape)
	assert.InDelta(t, 0.5, a.Parts[1].Size, 1e-9, "at the highest level")
	assert.InDelta(t, 1.25, a.Parts[1].Share, 1e-9)
	assert.False(t, a.Parts[2].Significant, "nothing is left for a bend")
}

func TestDissectRefusesNonsense(t *testing.T) {
	for _, bad := range []fit.PointError{{Error: math.NaN(), U: 1}, {Level: math.Inf(1), U: 1}, {U: 0}, {U: -1},
		{U: math.NaN()}, {U: 1, Limit: -1}} {
		_, err := fit.DecomposeErrors([]fit.PointError{{Level: 1, U: 1}, bad})
		assert.ErrorContains(t, err, "point 2")
	}
	_, err := fit.DecomposeErrors(nil)
	assert.Error(t, err)
}

func TestAnatomyDoesNotDependOnTheUnit(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		n := rapid.IntRange(1, 8).Draw(t, "n")
		scale := math.Pow(2, float64(rapid.IntRange(-20, 20).Draw(t, "scale"))) // exact in binary
		points, other := make([]fit.PointError, n), make([]fit.PointError, n)
		for i := range points {
			p := fit.PointError{Level: float64(rapid.IntRange(0, 5).Draw(t, "level")),
				Error: rapid.Float64Range(-1, 1).Draw(t, "error"), U: rapid.Float64Range(0.01, 0.5).Draw(t, "u"),
				Limit: 0.4, Direction: rapid.SampledFrom([]string{"", "rising", "falling"}).Draw(t, "way")}
			points[i] = p
			p.Level, p.Error, p.U, p.Limit = p.Level*scale, p.Error*scale, p.U*scale, p.Limit*scale
			other[i] = p
		}
		a, err := fit.DecomposeErrors(points)
		require.NoError(t, err)
		b, err := fit.DecomposeErrors(other)
		require.NoError(t, err)
		require.Equal(t, a.Shape, b.Shape)
		require.InDelta(t, a.Gain, b.Gain, 1e-9)
		require.InDelta(t, a.Offset*scale, b.Offset, 1e-9*scale)
		for i := range a.Parts {
			require.InDelta(t, a.Parts[i].Share, b.Parts[i].Share, 1e-9)
			require.Equal(t, a.Parts[i].Significant, b.Parts[i].Significant)
		}
	})
}

func TestACurveGoesThroughItsPoints(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		degree := rapid.IntRange(1, 4).Draw(t, "degree")
		base := rapid.Float64Range(-1e4, 1e4).Draw(t, "base")
		want := make([]float64, degree+1)
		for i := range want {
			want[i] = rapid.Float64Range(-5, 5).Draw(t, "c")
		}
		var x, y, w []float64
		for i := range degree + 3 {
			at, power, sum := float64(i), 1.0, 0.0
			for _, c := range want {
				sum += c * power
				power *= at
			}
			x, y, w = append(x, base+at), append(y, sum), append(w, rapid.Float64Range(0.1, 10).Draw(t, "weight"))
		}
		p, err := fit.Fit(x, y, w, degree)
		require.NoError(t, err)
		for i := range x {
			require.InDelta(t, y[i], p.At(x[i]), 1e-3*(1+math.Abs(y[i])))
		}
	})
}

func TestAWeightedLine(t *testing.T) {
	x, y := []float64{1, 2, 3, 4, 9}, []float64{2.1, 3.9, 6.2, 7.8, 40}
	plain, err := fit.LinearRegression(x[:4], y[:4])
	require.NoError(t, err)
	same, err := fit.WeightedRegression(x[:4], y[:4], []float64{7, 7, 7, 7})
	require.NoError(t, err)
	assert.InDelta(t, plain.Slope, same.Slope, 1e-9)
	assert.InDelta(t, plain.USlope, same.USlope, 1e-9)
	assert.InDelta(t, plain.UIntercept, same.UIntercept, 1e-9)
	light, err := fit.WeightedRegression(x, y, []float64{1, 1, 1, 1, 1e-9})
	require.NoError(t, err)
	assert.InDelta(t, plain.Slope, light.Slope, 1e-5, "a point of no weight moves nothing")
}

func TestLinesAndCurvesRefuseNonsense(t *testing.T) {
	one := []float64{1}
	for name, err := range map[string]error{
		"one point":      second(fit.LinearRegression(one, one)),
		"one level":      second(fit.LinearRegression([]float64{2, 2}, []float64{1, 3})),
		"lengths":        second(fit.LinearRegression([]float64{1, 2}, one)),
		"no number":      second(fit.LinearRegression([]float64{1, math.NaN()}, []float64{1, 2})),
		"degree":         second(fit.Fit([]float64{1, 2}, []float64{1, 2}, nil, 5)),
		"few points":     second(fit.Fit([]float64{1, 2}, []float64{1, 2}, nil, 2)),
		"few levels":     second(fit.Fit([]float64{1, 1, 2}, []float64{1, 2, 3}, nil, 2)),
		"weight of zero": second(fit.WeightedRegression([]float64{1, 2}, []float64{1, 2}, []float64{1, 0})),
	} {
		assert.Error(t, err, name)
	}
}

func second[T any](_ T, err error) error { return err }

func TestDemingTreatsBothMethodsAlike(t *testing.T) {
	// Without scatter the line is the truth, and its intervals close on it.
	x := []float64{2, 4, 6, 8, 10, 14}
	y := make([]float64, len(x))
	for i := range x {
		y[i] = 0.3 + 1.08*x[i]
	}
	c, err := fit.DemingRegression(x, y, 1)
	require.NoError(t, err)
	assert.InDelta(t, 1.08, c.Slope, 1e-9)
	assert.InDelta(t, 0.3, c.Intercept, 1e-9)
	assert.True(t, c.SlopeDiffers && c.OffsetDiffers)
	for _, bad := range [][2][]float64{{x[:4], y[:4]}, {x, y[:5]}, {{1, 1, 1, 1, 1}, y[:5]}} {
		_, err := fit.DemingRegression(bad[0], bad[1], 1)
		assert.Error(t, err)
	}
	rapid.Check(t, func(t *rapid.T) {
		n := rapid.IntRange(6, 30).Draw(t, "n")
		x, y := make([]float64, n), make([]float64, n)
		for i := range n {
			x[i] = float64(i+1) + rapid.Float64Range(-0.4, 0.4).Draw(t, "ex")
			y[i] = 2*float64(i+1) + rapid.Float64Range(-0.4, 0.4).Draw(t, "ey")
		}
		ratio := rapid.Float64Range(0.2, 5).Draw(t, "ratio")
		c, err := fit.DemingRegression(x, y, ratio)
		require.NoError(t, err)
		back, err := fit.DemingRegression(y, x, 1/ratio)
		require.NoError(t, err)
		assert.InEpsilon(t, 1/c.Slope, back.Slope, 1e-6, "seen from the other side it is the same line")
		assert.True(t, c.SlopeCI[0] <= c.Slope && c.Slope <= c.SlopeCI[1])
	})
}
