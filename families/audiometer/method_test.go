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

// Steps that are right one by one add up to a level that is not; and two series that do not agree are not joined.
func TestWhatNoSingleStepShows(t *testing.T) {
	of := func(step, jump float64, electric bool) procedure.FindingInput {
		var c procedure.FindingInput
		read := func(from, to, offset float64, wired bool) {
			for dial := from; dial >= to; dial -= 5 {
				with := map[string]float64{"dial": dial, "level": 3, "join": 1}
				if wired {
					with["electric"] = 1
				}
				level := dial + offset - (90-dial)/5*step
				if wired && dial < 35 {
					level += jump
				}
				error := 0.0
				if dial < from {
					error = -step
				}
				c.Points = append(c.Points, procedure.JudgedPoint{Label: "step", With: with, Reference: level - error, Error: error, ErrorToLimit: error})
			}
		}
		read(90, 30, 7, false)
		if electric {
			read(40, -10, 31, true)
		}
		return c
	}
	seen := func(c procedure.FindingInput) procedure.Diagnosis {
		d, ok := audiometer.Catalogue.Patterns["attenuator"].Diagnose(c)
		require.True(t, ok)
		return d
	}
	good := seen(of(0.05, 0, true))
	assert.Equal(t, "none", good.Shape)
	assert.Empty(t, good.Fails)
	assert.Contains(t, good.Words, "joined over 3 settings, to within 0.0 dB")
	lost := seen(of(0.54, 0, true)) // 16 steps below 70 dB, each within 1 dB
	assert.Equal(t, "level", lost.Shape, lost.Words)
	assert.Equal(t, "at −10 dB the level is −8.6 dB off the dial, more than 3 dB", lost.Fails)
	assert.True(t, lost.Investigate)
	jump := seen(of(0.05, 15, true))
	assert.Equal(t, "join", jump.Shape, jump.Words)
	assert.NotEmpty(t, jump.Fails)
	assert.Contains(t, seen(of(0.05, 0, false)).Words, "not joined")
}
