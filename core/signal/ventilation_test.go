package signal_test

import (
	"math"
	"testing"

	"northneedle/core/signal"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// ventilated makes breaths of constant inspiratory flow, a pause (a share of the inspiration) and exponential expiration, at
// 100 samples a second.
func ventilated(vt, rate, ratio, pause, peep, compliance, bias, seconds float64) (flow, pressure []signal.Sample) {
	whole := 60 / rate
	ti := whole / (1 + ratio)
	volume := 0.0
	for i := range int(seconds * 100) {
		t := float64(i) / 100
		phase := math.Mod(t+0.5*whole, whole)
		f := -volume / 0.2 * 60 / 1000
		switch flows := ti * (1 - pause); {
		case phase < flows:
			f = vt / flows * 60 / 1000
		case phase < ti:
			f = 0
		}
		volume = math.Max(0, volume+f*1000/60*0.01)
		flow = append(flow, signal.Sample{T: t, V: f + bias})
		pressure = append(pressure, signal.Sample{T: t, V: peep + volume/compliance})
	}
	return flow, pressure
}

func TestAVentilatorsBreathIsWhatWasDelivered(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		vt, rate := rapid.Float64Range(50, 800).Draw(rt, "vt"), rapid.Float64Range(8, 25).Draw(rt, "rate")
		ratio, peep := rapid.Float64Range(1, 3).Draw(rt, "ratio"), rapid.Float64Range(0, 20).Draw(rt, "peep")
		compliance, bias := rapid.Float64Range(20, 80).Draw(rt, "compliance"), rapid.Float64Range(0, 5).Draw(rt, "bias")
		pause := rapid.SampledFrom([]float64{0, 0.1, 0.2, 0.3}).Draw(rt, "pause")
		flow, pressure := ventilated(vt, rate, ratio, pause, peep, compliance, bias, 20)
		breaths := signal.Ventilation(flow, pressure, signal.Trigger{Start: 0.4, End: -0.2, Delay: 0.02, Bias: bias})
		require.NotEmpty(rt, breaths)
		for _, b := range breaths {
			ti := 60 / rate / (1 + ratio)
			assert.InDelta(rt, vt, b.VTi, 1.6*vt/(ti*(1-pause)*100)+1, "within a sample and a half of the flow")
			assert.InDelta(rt, rate, b.Rate, 0.02*rate)
			assert.InDelta(rt, ratio, b.Ratio, 0.08*ratio)
			assert.InDelta(rt, peep, b.PEEP, 0.3)
			assert.InDelta(rt, peep+vt/compliance, b.Peak, 0.03*vt/compliance+0.3)
			if pause == 0 {
				assert.Zero(rt, b.Pause+b.Plateau+b.Compliance, "without a pause there is no plateau, and no compliance")
			} else {
				assert.InDelta(rt, pause*ti, b.Pause, 0.03)
				assert.InDelta(rt, peep+vt/compliance, b.Plateau, 0.03*vt/compliance+0.3)
				assert.InDelta(rt, compliance, b.Compliance, 0.1*compliance)
			}
			assert.Less(rt, math.Abs(b.Leak), 6.0, "what went in comes out")
		}
	})
}

func TestNoVentilationIsNone(t *testing.T) {
	trigger := signal.Trigger{Start: 1, End: -0.5, Delay: 0.03}
	assert.Empty(t, signal.Ventilation(nil, nil, trigger))
	still, _ := ventilated(0, 12, 2, 0, 5, 50, 0.3, 20)
	assert.Empty(t, signal.Ventilation(still, nil, trigger), "below the threshold nothing breathes")
	flow, _ := ventilated(300, 12, 2, 0, 5, 50, 0, 20)
	blip := signal.Ventilation(flow, nil, signal.Trigger{Start: 1, End: -0.5, Delay: 5})
	assert.Empty(t, blip, "a flow shorter than the delay starts no breath")
}
