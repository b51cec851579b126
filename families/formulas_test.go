package families_test

import (
	"math"
	"northneedle/families/audiometer"
	"northneedle/families/infusionpump"
	"northneedle/families/patientscale"
	"northneedle/families/photometer"
	"testing"

	"github.com/stretchr/testify/assert"
)

func refused[T any](_ T, err error) error { return err }

func TestFormulasRefuseNonsense(t *testing.T) {
	nan := math.NaN()
	for name, err := range map[string]error{
		"no time": refused(infusionpump.Weighing{
			Minutes:           0,
			WaterTemperatureC: 20,
			AirTemperatureC:   20,
			PressureHPa:       1000,
		}.Delivered()),
		"cold water": refused(infusionpump.Weighing{
			Minutes:           1,
			WaterTemperatureC: 2,
			AirTemperatureC:   20,
			PressureHPa:       1000,
		}.Delivered()),
		"pressure in kPa": refused(infusionpump.Weighing{
			Minutes:           1,
			WaterTemperatureC: 20,
			AirTemperatureC:   20,
			PressureHPa:       101,
		}.Delivered()),
		"percent of zero":  refused(infusionpump.PercentError(1, 0)),
		"no flows":         refused(infusionpump.TrumpetCurve(nil, 0.5, 1, []float64{1})),
		"a window between": refused(infusionpump.TrumpetCurve([]float64{1, 2, 3}, 0.5, 1, []float64{0.7})),
		"a long window":    refused(infusionpump.TrumpetCurve([]float64{1, 2, 3}, 0.5, 1, []float64{2})),
		"a flow unknown":   refused(infusionpump.TrumpetCurve([]float64{1, nan, 3}, 0.5, 1, []float64{1})),
		"no such place":    refused(patientscale.Spot{LatitudeDeg: 91}.Gravity()),
		"one step":         failed3(audiometer.StepErrors([]float64{1}, []float64{1})),
		"no such table":    refused(audiometer.RoomTable("x").Judge(nil)),
		"a band missing":   refused(audiometer.OSHATableD1.Judge(map[int]float64{500: 30})),
		"no rise": refused(photometer.TwoPoint(photometer.Calibrator{Concentration: 1, Absorbance: 0.2},
			photometer.Calibrator{Concentration: 2, Absorbance: 0.2})),
		"nothing sampled": refused(photometer.EffectiveLevel(1, 100, 0)),
	} {
		assert.Error(t, err, name)
	}
}

func failed3[A, B any](_ A, _ B, err error) error { return err }
