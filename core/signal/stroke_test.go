package signal_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"northneedle/core/signal"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// pushes makes a trace at 100 Hz: a second at rest, then strokes of 3 L as half sines
// (positive and negative in turn) with pauses after them. A bang ends a stroke at once.
func pushes(seconds, pause float64, bang bool, n int) []float64 {
	trace := make([]float64, 100)
	sign := 1.0
	for range n {
		samples := int(seconds * 100)
		seconds := float64(samples) / 100
		for i := range samples {
			share := float64(i) / float64(samples)
			if bang {
				share *= 0.5 // the flow is at its peak when the piston hits the stop
			}
			trace = append(trace, sign*3*math.Pi/2/seconds*math.Sin(math.Pi*share))
		}
		trace = append(trace, make([]float64, int(pause*100))...)
		sign = -sign
	}
	return trace
}

func TestStrokesAreCountedOrSayWhyNot(t *testing.T) {
	want := signal.Technique{Low: 0.4, High: 4, Pause: 0.5, Impact: 0.6, LeastVolume: 2}
	for name, c := range map[string]struct {
		trace []float64
		why   string
	}{
		"good":     {pushes(1.5, 1, false, 4), ""},
		"too slow": {pushes(9, 1, false, 2), "too slow"},
		"too fast": {pushes(0.5, 1, false, 2), "too fast"},
		"no pause": {pushes(1.5, 0.1, false, 2), "no pause"},
		"a bang":   {pushes(1.5, 1, true, 2), "a bang at the end stop"},
	} {
		t.Run(name, func(t *testing.T) {
			s, err := signal.FindStrokes(c.trace, 100, want)
			require.NoError(t, err)
			first := s.Strokes[0]
			assert.Equal(t, c.why == "", first.Counted, first.Why)
			if c.why != "" {
				assert.Contains(t, first.Why[0], c.why)
			}
			assert.True(t, first.Positive)
			assert.False(t, s.Strokes[1].Positive)
		})
	}
	short, err := signal.FindStrokes(pushes(1.5, 1, false, 1)[:160], 100, want)
	require.NoError(t, err)
	assert.Contains(t, short.Strokes[0].Why[0], "not a whole stroke")
}

// A sensor's noise hides no pause, and is no stroke.
func TestNoiseIsNoStroke(t *testing.T) {
	want := signal.Technique{Low: 0.4, High: 4, Pause: 0.5, Impact: 0.6, LeastVolume: 2}
	for seed := range uint64(20) {
		noise := rand.New(rand.NewPCG(seed, 1))
		trace := pushes(1.5, 1, false, 6)
		for i := range trace {
			trace[i] += 0.015 * noise.NormFloat64()
		}
		s, err := signal.FindStrokes(trace, 100, want)
		require.NoError(t, err)
		require.Len(t, s.Strokes, 6)
		for i, stroke := range s.Strokes {
			assert.True(t, stroke.Counted, "%d, %d: %v", seed, i, stroke.Why)
			assert.InDelta(t, 3, stroke.Volume, 0.03)
			if stroke.Pause != nil {
				assert.InDelta(t, 1, *stroke.Pause, 0.1)
			}
		}
	}
}

func TestAStrokesVolumeDoesNotDependOnItsSpeedOrTheZero(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		trace := pushes(rapid.Float64Range(0.6, 6).Draw(t, "seconds"), 1, false, 3)
		zero := rapid.Float64Range(-0.05, 0.05).Draw(t, "zero")
		for i := range trace {
			trace[i] += zero
		}
		s, err := signal.FindStrokes(trace, 100, signal.Technique{})
		require.NoError(t, err)
		require.Len(t, s.Strokes, 3)
		require.InDelta(t, zero, s.ZeroOffset, 1e-9)
		for _, one := range s.Strokes {
			require.InDelta(t, 3, one.Volume, 0.02)
		}
		require.Nil(t, s.Strokes[2].Pause)
	})
}

func TestStrokesRefuseNonsense(t *testing.T) {
	for _, c := range []struct {
		flow []float64
		rate float64
	}{{nil, 100}, {make([]float64, 200), 0}, {make([]float64, 100), 100},
		{append(make([]float64, 200), math.NaN()), 100}} {
		_, err := signal.FindStrokes(c.flow, c.rate, signal.Technique{})
		assert.Error(t, err)
	}
}

func TestATone(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		hertz := rapid.Float64Range(120, 2000).Draw(t, "hertz")
		second := rapid.Float64Range(0, 0.05).Draw(t, "second")
		amplitude := rapid.Float64Range(0.01, 10).Draw(t, "amplitude")
		phase := rapid.Float64Range(0, 6).Draw(t, "phase")
		samples := make([]float64, 4096)
		for i := range samples {
			at := 2*math.Pi*hertz*float64(i)/48000 + phase
			samples[i] = 0.3 + amplitude*(math.Sin(at)+second*math.Sin(2*at+1))
		}
		tone, err := signal.AnalyseTone(samples, 48000)
		require.NoError(t, err)
		require.InEpsilon(t, hertz, tone.Frequency, 0.002)
		require.InEpsilon(t, amplitude, tone.Amplitude, 0.01)
		require.InDelta(t, 100*second, tone.Distortion, 0.6)
	})
}

func TestNoTone(t *testing.T) {
	_, err := signal.AnalyseTone(make([]float64, 1000), 48000)
	assert.ErrorContains(t, err, "no tone")
	_, err = signal.AnalyseTone(make([]float64, 10), 48000)
	assert.ErrorContains(t, err, "64 samples")
}
