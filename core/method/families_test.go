package method_test

import (
	"math"
	"testing"

	"northneedle/core/method"
	"northneedle/core/signal"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func TestAMetersCorrectionGivesTheDeliveredVolumeBack(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		dead := rapid.Float64Range(-0.5, 0.5).Draw(t, "dead space")
		gain := rapid.SampledFrom([]float64{1, 0.97, 1.04}).Draw(t, "gain")
		var delivered, shown []float64
		for i := range 4 {
			v := 3.0 * float64(i+1)
			delivered = append(delivered, v)
			shown = append(shown, v*gain+dead+0.002*float64(i%2))
		}
		c, err := method.MeterCorrection(delivered, shown)
		require.NoError(t, err)
		require.Equal(t, gain != 1, c.GainFound)
		for i := range shown {
			volume, u := c.Apply(shown[i])
			require.InDelta(t, delivered[i], volume, 0.02)
			require.Positive(t, u)
		}
	})
	_, err := method.MeterCorrection([]float64{3, 6}, []float64{3.2, 6.2})
	assert.ErrorContains(t, err, "three volumes")
}

// strokes are six points of a spirometer with errors in percent: slow, medium and fast, injected and withdrawn in turn.
func strokes(percent ...float64) (points []method.Placed) {
	for i, e := range percent {
		points = append(points, method.Placed{Label: "p", Reference: 3, Error: 0.03 * e, U: 0.015, With: map[string]float64{"low": []float64{0.5, 1.5, 5}[i/2], "direction": []float64{1, -1}[i%2]}})
	}
	return points
}

func TestWhatStrokesLookLike(t *testing.T) {
	for shape, points := range map[string][]method.Placed{
		"none":       strokes(0.1, -0.2, 0.3, 0, 0.2, 0.1),
		"alike":      strokes(-3, -3.2, -3.1, -2.9, -3.3, -3),
		"conditions": strokes(9, 9.2, 8.9, 9.1, 8.8, 9),
		"direction":  strokes(0.2, -6, 0.1, -6.2, 0, -5.9),
		"fast":       strokes(0.2, 0.1, 0.3, 0, -6, -6.3),
		"mixed":      strokes(3, -4, 5, 1, -6, 2),
	} {
		seen, ok := method.See("strokes", method.Case{Points: points})
		require.True(t, ok)
		assert.Equal(t, shape, seen.Shape, seen.Words)
	}
	_, ok := method.See("strokes", method.Case{})
	assert.False(t, ok)
	_, ok = method.See("no such", method.Case{Points: strokes(1)})
	assert.False(t, ok)
}

func TestReadersSayWhatTheyWaitFor(t *testing.T) {
	require.Subset(t, method.Readers(), []string{"capnogram", "rate", "steady", "strokes"})
	for _, name := range method.Readers() {
		reader, ok := method.ReaderOf(name)
		require.True(t, ok)
		for _, in := range []method.Looking{{}, {Channels: []string{"X"}, Rate: 100, Count: 3, Limit: 1}} {
			live := reader.Read(in)
			assert.False(t, live.Steady, name)
			assert.NotEmpty(t, live.Why, name)
			assert.Empty(t, live.Values, name)
		}
	}
}

// TestAStrokeWithAGapIsNoStroke: samples that were lost on the way make no volume.
func TestAStrokeWithAGapIsNoStroke(t *testing.T) {
	var trace []signal.Sample
	add := func(seconds float64, flow func(share float64) float64) {
		n := int(seconds * 100)
		for i := range n {
			trace = append(trace, signal.Sample{T: float64(len(trace)) / 100, V: flow(float64(i) / float64(n))})
		}
	}
	rest := func(float64) float64 { return 0 }
	add(1, rest)
	for range 3 {
		add(3, func(share float64) float64 { return math.Pi / 2 * math.Sin(math.Pi*share) })
		add(1, rest)
	}
	reader, _ := method.ReaderOf("strokes")
	in := method.Looking{Channels: []string{"FLOW"}, Traces: map[string][]signal.Sample{"FLOW": trace}, Rate: 100, Count: 3, Limit: 0.045, With: map[string]float64{"low": 0.5, "high": 1.5, "direction": 1, "pause": 0.5}}
	whole := reader.Read(in)
	require.True(t, whole.Steady, whole.Why)
	assert.InDelta(t, 3, *whole.Value, 0.01)
	in.Traces["FLOW"] = append(trace[:250:250], trace[310:]...) // in the middle of the first
	broken := reader.Read(in)
	assert.False(t, broken.Steady)
	assert.Len(t, broken.Values, 2, "the strokes after the gap count")
	assert.InDelta(t, 3, *broken.Value, 0.01)
}

func TestFillsOfASyringe(t *testing.T) {
	syringe := method.Certified{Quantity: "volume", Value: 3.001, Unit: "L", U: 0.012, K: 2}
	out, err := method.Evaluate("syringe-fills", method.Input{Target: 9, Unit: "L", Shown: "L", Certified: []method.Certified{syringe}, Readings: []float64{9.2}})
	require.NoError(t, err)
	assert.InDelta(t, 9.003, out.Reference, 1e-9)
	assert.InDelta(t, 3, out.Terms[0].Sensitivity, 1e-9, "every stroke carries the same error")
	_, err = method.Evaluate("syringe-fills", method.Input{Target: 1, Unit: "L", Shown: "L", Certified: []method.Certified{syringe}})
	assert.ErrorContains(t, err, "less than one stroke")
	syringe.U = 0
	_, err = method.Evaluate("syringe-fills", method.Input{Target: 9, Unit: "L", Shown: "L", Certified: []method.Certified{syringe}})
	assert.ErrorContains(t, err, "no uncertainty")
}
