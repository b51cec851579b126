package sim_test

import (
	"fmt"
	"testing"

	"northneedle/core/run"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestOneInsertionReadsEveryAnalyte: three levels of a control are three insertions, whatever is read of each.
func TestOneInsertionReadsEveryAnalyte(t *testing.T) {
	p := shipped(t, "blood-gas-checks")
	w := technician(hands{t: t})
	w.Until = "electronic-ph"
	r, _, err := w.Work(p, opened(p))
	require.NoError(t, err)
	n := 0
	do := func(c run.Command) {
		n++
		events, err := r.Decide(fmt.Sprintf("do-%d", n), c, run.Order{At: w.At, By: w.Person})
		require.NoError(t, err)
		for _, e := range events {
			r = r.Apply(e)
		}
	}
	var samples []string
	for {
		m, point := r.NextPoint(w.At)
		if m == nil {
			break
		}
		if sample := point.Drive["sample"]; len(samples) == 0 || samples[len(samples)-1] != sample {
			samples = append(samples, sample)
		}
		e, err := r.Expect(m, point)
		require.NoError(t, err)
		do(run.CaptureReading{Reading: fmt.Sprintf("reading-%d", n), Measure: m.ID, Point: point.ID, Typed: fmt.Sprintf("%.4g", e.Reference)})
		if m.ID == "electronic-po2" && point.ID == "l3" { // on to the liquid ones
			do(run.DoStep{Step: "reference-cartridge-back-into-its-pouch-and-place"})
			do(run.AnswerCheck{Step: "ampoules-at-room-temperature-rotated-liquid-at-the-bottom-no-bubble", Answer: run.Fine})
		}
	}
	assert.Equal(t, []string{"electronic-1", "electronic-2", "electronic-3", "control-1", "control-2", "control-3"}, samples)
	assert.Len(t, r.Readings, 9+18, "pH, pCO2 and pO2 electronically; with sodium, potassium and haemoglobin in the liquid")
	assert.True(t, r.CanClose(p.Findings()[0]))
}
