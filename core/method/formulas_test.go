package method_test

import (
	"math"
	"testing"

	"northneedle/core/method"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func refused[T any](_ T, err error) error { return err }

func TestFormulasRefuseNonsense(t *testing.T) {
	nan := math.NaN()
	for name, err := range map[string]error{
		"no time":          refused(method.Weighing{Minutes: 0, WaterTemperatureC: 20, AirTemperatureC: 20, PressureHPa: 1000}.Delivered()),
		"cold water":       refused(method.Weighing{Minutes: 1, WaterTemperatureC: 2, AirTemperatureC: 20, PressureHPa: 1000}.Delivered()),
		"pressure in kPa":  refused(method.Weighing{Minutes: 1, WaterTemperatureC: 20, AirTemperatureC: 20, PressureHPa: 101}.Delivered()),
		"percent of zero":  refused(method.PercentError(1, 0)),
		"no flows":         refused(method.TrumpetCurve(nil, 0.5, 1, []float64{1})),
		"a window between": refused(method.TrumpetCurve([]float64{1, 2, 3}, 0.5, 1, []float64{0.7})),
		"a long window":    refused(method.TrumpetCurve([]float64{1, 2, 3}, 0.5, 1, []float64{2})),
		"a flow unknown":   refused(method.TrumpetCurve([]float64{1, nan, 3}, 0.5, 1, []float64{1})),
		"no such place":    refused(method.Spot{LatitudeDeg: 91}.Gravity()),
		"one step":         failed3(method.StepErrors([]float64{1}, []float64{1})),
		"no such table":    refused(method.RoomTable("x").Judge(nil)),
		"a band missing":   refused(method.OSHATableD1.Judge(map[int]float64{500: 30})),
		"no rise":          refused(method.TwoPoint(method.Calibrator{Concentration: 1, Absorbance: 0.2}, method.Calibrator{Concentration: 2, Absorbance: 0.2})),
		"nothing sampled":  refused(method.EffectiveLevel(1, 100, 0)),
	} {
		assert.Error(t, err, name)
	}
}

func failed3[A, B any](_ A, _ B, err error) error { return err }

func TestATrumpetNarrows(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		flow := make([]float64, 120)
		for i := range flow {
			flow[i] = rapid.Float64Range(5, 15).Draw(t, "flow")
		}
		curve, err := method.TrumpetCurve(flow, 0.5, 10, []float64{1, 5, 30, 60})
		require.NoError(t, err)
		for i := range curve.WindowsMin {
			require.GreaterOrEqual(t, curve.Max[i], curve.Mean-1e-9, "some stretch is at least the mean")
			require.LessOrEqual(t, curve.Min[i], curve.Mean+1e-9)
		}
		require.InDelta(t, curve.Mean, curve.Max[3], 1e-9, "the longest window is the whole")
	})
}
