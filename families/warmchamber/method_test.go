package warmchamber_test

import (
	"math"
	"testing"

	"northneedle/core/procedure"
	"northneedle/core/signal"
	"northneedle/families/warmchamber"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

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
	look := func(kind string, trace []signal.Sample, with map[string]float64) procedure.LiveReading {
		r := warmchamber.Catalogue.Captures[kind]
		return r.Look(procedure.CaptureInput{
			Channels: []string{"T"},
			Traces:   map[string][]signal.Sample{"T": trace},
			Seconds:  60,
			Limit:    0.01,
			With:     with,
		}, 1)
	}
	live := look("stability", wavy, nil)
	require.True(t, live.Steady)
	assert.InDelta(t, 0.04, *live.Value, 0.001)
	assert.Contains(t, look("stability", wavy[:50], nil).Why, "watching for")
	moved := make([]signal.Sample, len(wavy)) // the probe comes from a cooler place, and the zone itself hardly wanders
	for i, s := range wavy {
		moved[i] = signal.Sample{T: s.T, V: 37 + 0.01*math.Sin(s.T) - 2*math.Exp(-s.T/10)}
	}
	settle := map[string]float64{"settle": 120}
	assert.Contains(t, look("stability", moved[:310], settle).Why, "watching for", "60 s, of which the probe took most")
	live = look("stability", moved, settle)
	require.True(t, live.Steady, live.Why)
	assert.InDelta(t, 0.01, *live.Value, 0.005, "what is still to go is within what is near enough")
	band := map[string]float64{"band": 0.1, "patience": 300}
	back := look("recovery", opened, band)
	require.True(t, back.Steady, back.Why)
	assert.InDelta(t, 2+20*math.Log(15), *back.Value, 0.5)
	assert.Contains(t, look("recovery", wavy, band).Why, "open the lid")
	assert.Contains(t, look("recovery", opened[:100], band).Why, "on its way back")
}
