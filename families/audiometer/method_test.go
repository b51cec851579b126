package audiometer_test

import (
	"math"
	"testing"

	"northneedle/core/procedure"
	"northneedle/core/reference"
	"northneedle/core/signal"
	"northneedle/families/audiometer"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestALevelIsStatedAboveTheEarphonesThreshold(t *testing.T) {
	tone := func(reading float64) procedure.Outcome {
		out, err := audiometer.Catalogue.Methods["tone-level"].Evaluate(procedure.Input{Target: 70, Unit: "dB[SPL]",
			Shown: "dB[SPL]", Readings: []float64{reading}, Resolution: 0.1, With: map[string]float64{"retspl": 7},
			Certified: []reference.Certified{{Quantity: "level", From: 20, To: 130, Unit: "dB[SPL]", U: 0.4, K: 2}}})
		require.NoError(t, err)
		return out
	}
	out := tone(78.5)
	assert.InDelta(t, audiometer.LevelError(78.5, 70, 7), out.Indicated-out.Reference, 1e-9)
}

func TestAttenuatorStepsBySteps(t *testing.T) {
	dial, level := []float64{90, 85, 80, 75}, []float64{97.1, 92.0, 88.2, 83.1}
	steps, _, err := audiometer.StepErrors(dial, level)
	require.NoError(t, err)
	for i := 1; i < len(dial); i++ {
		out, err := audiometer.Catalogue.Methods["attenuator-step"].Evaluate(procedure.Input{Target: dial[i],
			Unit: "dB[SPL]", Shown: "dB[SPL]", Readings: []float64{level[i]},
			Before:    &procedure.EarlierPoint{Target: dial[i-1], Reading: level[i-1]},
			Certified: []reference.Certified{{Quantity: "level", From: 20, To: 130, Unit: "dB[SPL]", U: 0.4, K: 2}}})
		require.NoError(t, err)
		assert.InDelta(t, steps[i-1], out.Indicated-out.Reference, 1e-9, "the same as the whole series gives")
	}
}

func TestRiseAndFallOfATone(t *testing.T) {
	var envelope []signal.Sample
	for i := range 300 {
		t, v := float64(i)/50, -60.0
		switch phase := math.Mod(t, 1.5); {
		case phase < 0.2:
			v = -60 + 300*phase
		case phase < 0.8:
			v = 0
		case phase < 1:
			v = -300 * (phase - 0.8)
		}
		envelope = append(envelope, signal.Sample{T: t, V: v})
	}
	r := audiometer.Catalogue.Captures["tone-times"]
	for _, fall := range []float64{0, 1} {
		live := r.Look(procedure.CaptureInput{
			Channels: []string{"E"},
			Traces:   map[string][]signal.Sample{"E": envelope},
			Count:    3,
			With:     map[string]float64{"fall": fall},
		}, 1)
		require.True(t, live.Steady, live.Why)
		assert.InDelta(t, 1000*19/300.0, *live.Value, 3, "from −20 to −1 dB at 300 dB a second")
	}
}
