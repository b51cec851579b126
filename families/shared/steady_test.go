package shared_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"northneedle/core/procedure"
	"northneedle/core/signal"
	"northneedle/families/shared"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// sensor is a trace of one step, through a transport delay and a first-order sensor.
type sensor struct{ delay, tau, from, to, noise float64 }

func (s sensor) after(seconds, rate float64) []signal.Sample {
	random := rand.New(rand.NewPCG(7, uint64(s.tau)))
	var trace []signal.Sample
	for i := range int(seconds * rate) {
		t := float64(i) / rate
		trace = append(trace, signal.Sample{T: t, V: s.at(t) + s.noise*random.NormFloat64()})
	}
	return trace
}

func (s sensor) at(t float64) float64 {
	if t < s.delay {
		return s.from
	}
	return s.to + (s.from-s.to)*math.Exp((s.delay-t)/s.tau)
}

// The window and the limit are those of the shipped procedures; with slow sensors they alone would let more than the whole
// tolerance be still to go.
func TestAReadingIsReadyWhenItHasArrived(t *testing.T) {
	method := shared.Catalogue.Captures["steady"]
	for name, c := range map[string]struct {
		sensor
		in procedure.CaptureInput
	}{
		"chamber, probe of 4 s":   {sensor{0, 4, 22, 37, 0.002}, procedure.CaptureInput{Seconds: 12, Limit: 0.015, Tolerance: 0.1}},
		"chamber, probe of 60 s":  {sensor{0, 60, 22, 37, 0.002}, procedure.CaptureInput{Seconds: 12, Limit: 0.015, Tolerance: 0.1}},
		"chamber, probe of 120 s": {sensor{0, 120, 22, 37, 0.002}, procedure.CaptureInput{Seconds: 12, Limit: 0.015, Tolerance: 0.1}},
		"oxygen cell of 20 s":     {sensor{0, 20, 21, 100, 0.02}, procedure.CaptureInput{Seconds: 3, Limit: 0.3, Tolerance: 1}},
		"oxygen cell of 30 s":     {sensor{0, 30, 21, 100, 0.02}, procedure.CaptureInput{Seconds: 3, Limit: 0.3, Tolerance: 1}},
		"CO₂ of 20 s, 6 s away":   {sensor{6, 20, 0.04, 4, 0.003}, procedure.CaptureInput{Seconds: 5, Limit: 0.03, Tolerance: 0.1, Delay: 7}},
	} {
		t.Run(name, func(t *testing.T) {
			c.in.Channels, c.in.Share = []string{"X"}, 0.25
			for now := 1.0; ; now++ {
				require.Less(t, now, 12*c.tau+c.delay+60, "it is never ready")
				trace := c.after(now, 5)
				for len(trace) > 0 && trace[0].T < now-c.in.Span() {
					trace = trace[1:]
				}
				c.in.Traces = map[string][]signal.Sample{"X": trace}
				live := method.Look(c.in, 1)
				if !live.Steady {
					continue
				}
				left := math.Abs(c.to - c.at(now))
				assert.Less(t, left, 1.3*0.25*c.in.Tolerance, "ready after %.0f s", now)
				assert.InDelta(t, left, live.Left, 0.1*c.in.Tolerance)
				break
			}
		})
	}
}

// A transport delay that nobody knows of: the old gas stands, and is not the point's.
func TestTheGasOfBeforeIsNotSteady(t *testing.T) {
	before := 20.93
	in := procedure.CaptureInput{Channels: []string{"O2"}, Seconds: 3, Limit: 0.3, Tolerance: 1, Share: 0.25, Reference: 100,
		Before: &before, Unmoved: 30}
	look := func(seconds float64) procedure.LiveReading {
		in.Traces = map[string][]signal.Sample{"O2": sensor{8, 2, 20.93, 100, 0.02}.after(seconds, 10)}
		return shared.Catalogue.Captures["steady"].Look(in, 1)
	}
	for _, seconds := range []float64{4, 7.9} {
		assert.False(t, look(seconds).Steady)
		assert.Contains(t, look(seconds).Why, "what it did before")
	}
	arrived := look(30)
	require.True(t, arrived.Steady, arrived.Why)
	assert.InDelta(t, 100, *arrived.Value, 0.3)
	in.Reference = 20.5 // within the tolerance of what it showed: there is nothing to wait for
	assert.True(t, look(7.9).Steady)
	in.Reference, in.Unmoved = 100, 5 // one that does not move at all is taken in the end: the device hangs
	assert.True(t, look(7.9).Steady)
}

func TestAGasThatRunsOutIsSaid(t *testing.T) {
	in := procedure.CaptureInput{Channels: []string{"O2"}, Seconds: 5, Limit: 0.03, Tolerance: 0.2, Share: 0.25, Reference: 16}
	look := func(trace []signal.Sample) procedure.LiveReading {
		in.Traces = map[string][]signal.Sample{"O2": trace}
		return shared.Catalogue.Captures["gas-step"].Look(in, 1)
	}
	trace := sensor{0, 0.4, 20.93, 16, 0.002}.after(20, 25)
	require.True(t, look(trace).Steady)
	for _, s := range (sensor{0, 0.4, 16, 20.93, 0.002}).after(20, 25) {
		trace = append(trace, signal.Sample{T: 20 + s.T, V: s.V})
	}
	empty := look(trace)
	assert.False(t, empty.Steady, "it stands, in room air")
	assert.Contains(t, empty.Why, "cylinder empty?")
}

// What a reading permits in one unit it permits in another: readiness and what is to go do not hang on the unit shown.
func TestReadinessIsTheSameInEveryUnit(t *testing.T) {
	method := procedure.CaptureMethod{RawUnits: true, Read: shared.Steady}
	trace := sensor{0, 30, 21, 100, 0.02}.after(60, 5)
	for _, factor := range []float64{1, 10, 0.001} {
		in := procedure.CaptureInput{Channels: []string{"X"}, Traces: map[string][]signal.Sample{"X": trace},
			Seconds: 3, Limit: factor * 5, Tolerance: factor, Share: 0.25}
		live := method.Look(in, factor)
		assert.False(t, live.Steady)
		assert.Contains(t, live.Why, fmt.Sprintf("%.2g is near enough", factor/4))
		require.NotNil(t, live.Final)
		assert.InEpsilon(t, 100*factor, *live.Final, 0.01)
		assert.InEpsilon(t, 79*math.Exp(-2)*factor, live.Left, 0.1)
	}
}
