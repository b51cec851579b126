package method_test

import (
	"math"
	"testing"

	"northneedle/core/method"
	"northneedle/core/signal"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestAGramIsNotAMillilitre(t *testing.T) {
	flow := func(plate map[string]float64, readings ...float64) (method.Outcome, error) {
		return method.Evaluate("delivered-flow", method.Input{Target: 100, Unit: "mL/h", Shown: "mL/h", Readings: readings, Resolution: 0.01, Ambient: room, Plate: plate, With: map[string]float64{"minutes": 10},
			Certified: []method.Certified{{Quantity: "mass", From: 0, To: 2, Unit: "kg", U: 5e-6, K: 2}}})
	}
	out, err := flow(map[string]float64{"water_temperature": 24, "evaporation": 0.1}, 99.5)
	require.NoError(t, err)
	want, err := method.Weighing{MassEndG: 99.6, Minutes: 60, WaterTemperatureC: 24, AirTemperatureC: 21.4, PressureHPa: 1008, HumidityPercent: 46}.Delivered()
	require.NoError(t, err)
	assert.InDelta(t, want.VolumeML, out.Reference, 1e-9, "evaporation added back, then density and buoyancy")
	assert.InDelta(t, 1.004, out.Per, 0.0006, "about 0.4 % at 24 °C")
	assert.Equal(t, 100.0, out.Indicated)
	_, err = flow(nil, 99.5)
	assert.ErrorContains(t, err, "one gram is not one millilitre")
}

// mass is a trace of an even flow in g/h, in drops where a drop is given.
func mass(perHour, drop, seconds float64) (trace []signal.Sample) {
	for t := 0.0; t <= seconds; t += 0.2 {
		m := perHour * t / 3600
		if drop > 0 {
			m = drop * math.Floor(m/drop)
		}
		trace = append(trace, signal.Sample{T: t, V: m})
	}
	return trace
}

func TestWeighing(t *testing.T) {
	with := map[string]float64{"minutes": 5, "settle": 20, "jump": 0.3}
	weigh := func(trace []signal.Sample) method.Live {
		r, _ := method.ReaderOf("weighing")
		return r.Look(method.Looking{Channels: []string{"M"}, Traces: map[string][]signal.Sample{"M": trace}, Reference: 100, With: with}, 1)
	}
	even := weigh(mass(98, 0, 330))
	require.True(t, even.Steady, even.Why)
	assert.InDelta(t, 98, *even.Value, 0.1)
	require.NotNil(t, even.Trumpet)
	assert.Equal(t, []float64{1, 2, 5}, even.Trumpet.WindowsMin[:3])
	assert.InDelta(t, -2, even.Trumpet.Mean, 0.05)
	assert.Contains(t, weigh(mass(98, 0, 10)).Why, "starting up")
	assert.Contains(t, weigh(mass(98, 0, 100)).Why, "weighing:")
	drops := weigh(mass(98, 0.05, 330))
	assert.Equal(t, "50 mg", drops.Facts[1].Text, "the size of a drop is seen")
	bubble := mass(98, 0, 330)
	for i := range bubble {
		bubble[i].V -= 98.0 / 3600 * min(max(bubble[i].T-150, 0), 20) // nothing came for 20 s
	}
	assert.Contains(t, weigh(bubble).Detail, "a bubble?")
	assert.NotContains(t, even.Detail+drops.Detail, "bubble")
	touched := mass(98, 0, 330)
	for i := 900; i < len(touched); i++ {
		touched[i].V += 0.8
	}
	assert.Contains(t, weigh(touched).Why, "jumped by 0.8")
}

func TestWhatDeliveryLooksLike(t *testing.T) {
	c := func(low, high float64) method.Case {
		at := func(name string, set, percent float64) method.Placed {
			return method.Placed{Label: name, With: map[string]float64{name: 1}, Reference: set * (1 + percent/100), Error: -set * percent / 100, U: 0.01 * set, Lean: -percent / 5}
		}
		return method.Case{Points: []method.Placed{at("low", 25, low), at("high", 400, high)}}
	}
	for _, x := range []struct {
		low, high float64
		shape     string
	}{{0.5, 0.3, "none"}, {8, 8.5, "set"}, {-7, -0.5, "low"}, {0.4, -8, "mixed"}} {
		seen, ok := method.See("delivery", c(x.low, x.high))
		require.True(t, ok)
		assert.Equal(t, x.shape, seen.Shape, seen.Words)
	}
}

func TestALevelIsStatedAboveTheEarphonesThreshold(t *testing.T) {
	tone := func(reading float64) method.Outcome {
		out, err := method.Evaluate("tone-level", method.Input{Target: 70, Unit: "dB[SPL]", Shown: "dB[SPL]", Readings: []float64{reading}, Resolution: 0.1, With: map[string]float64{"retspl": 7},
			Certified: []method.Certified{{Quantity: "level", From: 20, To: 130, Unit: "dB[SPL]", U: 0.4, K: 2}}})
		require.NoError(t, err)
		return out
	}
	out := tone(78.5)
	assert.InDelta(t, method.LevelError(78.5, 70, 7), out.Indicated-out.Reference, 1e-9)
}

func TestAttenuatorStepsBySteps(t *testing.T) {
	dial, level := []float64{90, 85, 80, 75}, []float64{97.1, 92.0, 88.2, 83.1}
	steps, _, err := method.StepErrors(dial, level)
	require.NoError(t, err)
	for i := 1; i < len(dial); i++ {
		out, err := method.Evaluate("attenuator-step", method.Input{Target: dial[i], Unit: "dB[SPL]", Shown: "dB[SPL]", Readings: []float64{level[i]}, Before: &method.Earlier{Target: dial[i-1], Reading: level[i-1]},
			Certified: []method.Certified{{Quantity: "level", From: 20, To: 130, Unit: "dB[SPL]", U: 0.4, K: 2}}})
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
	r, _ := method.ReaderOf("tone-times")
	for _, fall := range []float64{0, 1} {
		live := r.Look(method.Looking{Channels: []string{"E"}, Traces: map[string][]signal.Sample{"E": envelope}, Count: 3, With: map[string]float64{"fall": fall}}, 1)
		require.True(t, live.Steady, live.Why)
		assert.InDelta(t, 1000*19/300.0, *live.Value, 3, "from −20 to −1 dB at 300 dB a second")
	}
}

func TestStabilityAndRecovery(t *testing.T) {
	var wavy, opened []signal.Sample
	for i := range 600 {
		t := float64(i) / 5
		wavy = append(wavy, signal.Sample{T: t, V: 37 + 0.04*math.Sin(t)})
		v := 37.0
		if t > 2 {
			v -= 1.5 * math.Exp(-(t-2)/20)
		}
		opened = append(opened, signal.Sample{T: t, V: v})
	}
	look := func(kind string, trace []signal.Sample, with map[string]float64) method.Live {
		r, _ := method.ReaderOf(kind)
		return r.Look(method.Looking{Channels: []string{"T"}, Traces: map[string][]signal.Sample{"T": trace}, Seconds: 60, With: with}, 1)
	}
	live := look("stability", wavy, nil)
	require.True(t, live.Steady)
	assert.InDelta(t, 0.04, *live.Value, 0.001)
	assert.Contains(t, look("stability", wavy[:50], nil).Why, "watching for")
	band := map[string]float64{"band": 0.1, "patience": 300}
	back := look("recovery", opened, band)
	require.True(t, back.Steady, back.Why)
	assert.InDelta(t, 2+20*math.Log(15), *back.Value, 0.5)
	assert.Contains(t, look("recovery", wavy, band).Why, "open the lid")
	assert.Contains(t, look("recovery", opened[:100], band).Why, "on its way back")
}

func TestADilutionPlanChoosesPipettesAndKnowsTheRealLevel(t *testing.T) {
	pipettes := []method.Pipette{{Tag: "PP-1", From: 10, To: 100, U: 0.8}, {Tag: "PP-2", From: 100, To: 1000, U: 4}, {Tag: "PP-0", From: 2, To: 20, U: 0.2}}
	plan, err := method.DilutionPlan(5.61, 1000, 10, 5, []float64{1, 2, 4, 6}, pipettes)
	require.NoError(t, err)
	require.Len(t, plan, 5)
	assert.Zero(t, plan[0].Level, "a blank comes first")
	for i, c := range plan[1:] {
		share, err := method.EffectiveLevel(c.Multiple, 1000, 10)
		require.NoError(t, err)
		assert.InDelta(t, 5.61*share, c.Level, 1e-12)
		assert.Equal(t, []string{"PP-0", "PP-0", "PP-1", "PP-1"}[i], c.SampleBy)
		assert.Equal(t, "PP-2", c.ReagentBy)
	}
	assert.InDelta(t, 100*math.Hypot(1000./1010*0.2/10, 4./1010), plan[1].UPercent, 1e-9)
	assert.Less(t, plan[4].UPercent, plan[3].UPercent, "a larger volume is pipetted better")
	for words, bad := range map[string][]method.Pipette{"no pipette covers": {{Tag: "PP-2", From: 100, To: 1000, U: 4}}, "needs a range": {{Tag: "PP-9"}}} {
		_, err := method.DilutionPlan(5.61, 1000, 10, 5, []float64{1}, bad)
		assert.ErrorContains(t, err, words)
	}
}

func TestChangeoverReadsFinerThanTheDivision(t *testing.T) {
	// A scale of 0.1 kg that would show 50.03 shows 50.0 and changes after 20 g more.
	v, step, err := method.Changeover("50,0 + 0,02", 0.1)
	require.NoError(t, err)
	assert.InDelta(t, 50.03, v, 1e-12)
	assert.InDelta(t, 0.01, step, 1e-12)
	for _, bad := range []string{"50.0 + 0.2", "50.0 + -0.01", "x + 0.01", "50.0 +", "+"} {
		_, _, err := method.Changeover(bad, 0.1)
		assert.Error(t, err, bad)
	}
	assert.False(t, method.IsChangeover("+50.0"))
	assert.False(t, method.IsChangeover("50.0"))
}
