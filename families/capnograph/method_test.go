package capnograph_test

import (
	"math"
	"testing"

	"northneedle/core/procedure"
	"northneedle/core/signal"
	"northneedle/families/capnograph"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Plateaus that were alike stay in the trace for a minute after the breaths have stopped: they are not the device's value.
func TestBreathsThatStoppedAreNotSteady(t *testing.T) {
	var trace []signal.Sample
	for i := range 25 * 50 {
		at, v := float64(i)/25, 0.04
		if at < 30 && math.Mod(at, 5) < 2.5 {
			v = 5
		}
		trace = append(trace, signal.Sample{T: at, V: v})
	}
	for _, kind := range []string{"capnogram", "rate"} {
		look := func(seconds int) procedure.LiveReading {
			return capnograph.Catalogue.Captures[kind].Look(procedure.CaptureInput{
				Channels: []string{"CO2"}, Traces: map[string][]signal.Sample{"CO2": trace[:25*seconds]},
				Count: 4, Limit: 0.1, Floor: 0.5, Reference: 5,
			}, 1)
		}
		require.True(t, look(31).Steady, look(31).Why)
		stopped := look(45)
		assert.False(t, stopped.Steady)
		assert.Contains(t, stopped.Why, "no breath for 17 s", "since the last one ended at 27.5 s")
		assert.Contains(t, stopped.Why, "cylinder empty?")
	}
}
