package spirometer_test

import (
	"math"
	"testing"

	"northneedle/core/procedure"
	"northneedle/core/signal"
	"northneedle/families/spirometer"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// strokes are six points of a spirometer with errors in percent: slow, medium and fast, injected and withdrawn in turn.
func strokes(percent ...float64) (points []procedure.JudgedPoint) {
	for i, e := range percent {
		points = append(points, procedure.JudgedPoint{
			Label:     "p",
			Reference: 3,
			Error:     0.03 * e,
			U:         0.015,
			With:      map[string]float64{"low": []float64{0.5, 1.5, 5}[i/2], "direction": []float64{1, -1}[i%2]},
		})
	}
	return points
}

func TestWhatStrokesLookLike(t *testing.T) {
	for shape, points := range map[string][]procedure.JudgedPoint{
		"none":       strokes(0.1, -0.2, 0.3, 0, 0.2, 0.1),
		"alike":      strokes(-3, -3.2, -3.1, -2.9, -3.3, -3),
		"conditions": strokes(9, 9.2, 8.9, 9.1, 8.8, 9),
		"direction":  strokes(0.2, -6, 0.1, -6.2, 0, -5.9),
		"fast":       strokes(0.2, 0.1, 0.3, 0, -6, -6.3),
		"mixed":      strokes(3, -4, 5, 1, -6, 2),
	} {
		seen, ok := spirometer.Catalogue.Patterns["strokes"].Diagnose(procedure.FindingInput{Points: points})
		require.True(t, ok)
		assert.Equal(t, shape, seen.Shape, seen.Words)
	}
	_, ok := spirometer.Catalogue.Patterns["strokes"].Diagnose(procedure.FindingInput{})
	assert.False(t, ok)
	_, ok = spirometer.Catalogue.Patterns["no such"].Diagnose(procedure.FindingInput{Points: strokes(1)})
	assert.False(t, ok)
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
	reader := spirometer.Catalogue.Captures["strokes"]
	in := procedure.CaptureInput{
		Channels: []string{"FLOW"},
		Traces:   map[string][]signal.Sample{"FLOW": trace},
		Rate:     100,
		Count:    3,
		Limit:    0.045,
		With:     map[string]float64{"low": 0.5, "high": 1.5, "direction": 1, "pause": 0.5},
	}
	whole := reader.Read(in)
	require.True(t, whole.Steady, whole.Why)
	assert.InDelta(t, 3, *whole.Value, 0.01)
	off := make([]signal.Sample, len(trace)) // it shows 0.004 L/s at rest, and makes 12 mL more of a stroke of 3 s
	for i, s := range trace {
		off[i] = signal.Sample{T: s.T, V: s.V + 0.004}
	}
	in.Traces["FLOW"] = off
	carried := reader.Read(in)
	assert.InDelta(t, *whole.Value+0.012, *carried.Value, 0.002, "as the device integrates it")
	assert.Contains(t, carried.Detail, "flow at rest +0.0040 L/s left in, up to 0.4 % of a stroke")
	in.With["direction"] = -1
	for i, s := range trace {
		off[i] = signal.Sample{T: s.T, V: 0.004 - s.V}
	}
	assert.InDelta(t, *whole.Value-0.012, *reader.Read(in).Value, 0.002, "and less of one that is withdrawn")
	in.With["direction"] = 1
	in.Traces["FLOW"] = append(trace[:250:250], trace[310:]...) // in the middle of the first
	broken := reader.Read(in)
	assert.False(t, broken.Steady)
	assert.Len(t, broken.Values, 2, "the strokes after the gap count")
	assert.InDelta(t, 3, *broken.Value, 0.01)
}
