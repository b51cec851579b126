package chemistryanalyser_test

import (
	"math"
	"testing"

	"northneedle/core/procedure"
	"northneedle/core/signal"
	"northneedle/families/chemistryanalyser"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// reaction is absorbance over time, in s, at five samples a second.
func reaction(seconds float64, at func(t float64) float64) (trace []signal.Sample) {
	for t := 0.0; t <= seconds; t += 0.2 {
		trace = append(trace, signal.Sample{T: t, V: at(t)})
	}
	return trace
}

func TestTheSpeedOfAReactionIsItsSlope(t *testing.T) {
	straight, err := chemistryanalyser.Speed(reaction(120, func(t float64) float64 { return 0.14 + 0.053*t/60 }))
	require.NoError(t, err)
	assert.InDelta(t, 0.053, straight.PerMinute, 1e-12)
	assert.False(t, straight.Bends())
	// One that runs out: the second half is slower by exp(−1/τ).
	used, err := chemistryanalyser.Speed(reaction(120, func(t float64) float64 { return 0.14 + 0.2*(1-math.Exp(-t/90)) }))
	require.NoError(t, err)
	assert.InEpsilon(t, math.Exp(-60./90), used.Second/used.First, 0.01)
	assert.True(t, used.Bends())
	_, err = chemistryanalyser.Speed(reaction(1, func(float64) float64 { return 0 }))
	assert.ErrorContains(t, err, "ten at least")
}

func TestAKineticReadingWaitsForItsLagAndItsWindow(t *testing.T) {
	method := chemistryanalyser.Catalogue.Captures["kinetic"]
	look := func(seconds float64) procedure.LiveReading {
		// It begins late: what comes before the lag is no part of the speed.
		trace := reaction(seconds, func(t float64) float64 { return 0.14 + 0.04*math.Max(0, t-25)/60 })
		return method.Look(procedure.CaptureInput{Channels: []string{"A"}, Traces: map[string][]signal.Sample{"A": trace}, Seconds: 120,
			Limit: 0.002, With: map[string]float64{"lag": 30}}, 1)
	}
	assert.Contains(t, look(100).Why, "the reaction runs: 5")
	for _, seconds := range []float64{150.2, 200} { // looked at later it is the same
		live := look(seconds)
		require.True(t, live.Steady, live.Why)
		assert.InDelta(t, 0.04, *live.Value, 1e-9)
	}
	bent := method.Look(procedure.CaptureInput{Channels: []string{"A"}, Seconds: 120, Limit: 0.002, With: map[string]float64{"lag": 30},
		Traces: map[string][]signal.Sample{"A": reaction(200, func(t float64) float64 { return 0.2 * (1 - math.Exp(-t/90)) })}}, 1)
	assert.False(t, bent.Steady, "a speed that falls is none to calibrate by")
	assert.Contains(t, bent.Why, "the reaction bends")
}

// The factor follows from what was read, blank and earlier reagent taken off as they were diluted; worked out by hand.
func TestTheFactorOfATest(t *testing.T) {
	read := chemistryanalyser.Catalogue.Patterns["chemistry-calibration"].Read
	at := func(value float64, with map[string]float64) procedure.JudgedPoint {
		return procedure.JudgedPoint{Label: "point", With: with, Reference: 0, Error: value, U: 0.003, Pass: true}
	}
	blank := at(0.11, map[string]float64{"blank": 1, "cuvette": 1})
	calibrator := func(value, cuvette float64) procedure.JudgedPoint {
		return at(value, map[string]float64{"calibrator": 1, "cuvette": cuvette, "reagent": 1000, "sample": 10})
	}
	plate := map[string]float64{"concentration": 10.4}
	d := read(procedure.FindingInput{Points: []procedure.JudgedPoint{blank, calibrator(0.65, 1)}, Plate: plate})
	require.Len(t, d.Figures, 3)
	rise := 0.65 - 0.11*1000/1010
	assert.InDelta(t, 10.4/rise, d.Figures[0].Value, 1e-9)
	assert.InEpsilon(t, 10.4/rise*math.Hypot(0.003, 0.003*1000/1010)/rise, d.Figures[0].U, 1e-9, "without what the calibrator is uncertain by")
	assert.Equal(t, "none", d.Shape)

	apart := read(procedure.FindingInput{Points: []procedure.JudgedPoint{blank, calibrator(0.65, 1), calibrator(0.60, 2)}, Plate: plate})
	assert.Equal(t, "apart", apart.Shape)
	assert.NotEmpty(t, apart.Fails, "no single point is outside, and it is not accepted")
	close := read(procedure.FindingInput{Points: []procedure.JudgedPoint{blank, calibrator(0.65, 1), calibrator(0.64, 2)}, Plate: plate})
	assert.Equal(t, "none", close.Shape)
	assert.InDelta(t, 10.4/(0.645-0.11*1000/1010), close.Figures[0].Value, 1e-9)

	low := read(procedure.FindingInput{Points: []procedure.JudgedPoint{blank, calibrator(0.10, 1)}, Plate: plate})
	assert.Equal(t, "exchanged", low.Shape)
	assert.Contains(t, low.Fails, "reads less than")
	none := read(procedure.FindingInput{Points: []procedure.JudgedPoint{blank, calibrator(0.65, 1)}})
	assert.Contains(t, none.Fails, "not recorded")
}
