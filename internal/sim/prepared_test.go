package sim_test

import (
	"slices"
	"strings"
	"testing"
	"time"

	"northneedle/core/reference"
	"northneedle/core/run"
	"northneedle/core/runview"
	"northneedle/core/uncertainty"
	"northneedle/internal/demo"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestWhatAPreparationLeftIsCarried: how an analyser was left by its preparation stands beside what is recorded of it later, and on
// the certificate where it differs.
func TestWhatAPreparationLeftIsCarried(t *testing.T) {
	prepare := technician(hands{t: t})
	prepare.Plate = map[string]string{"mixture_set": "air", "analyser_condition": "ATP"}
	prepared, _, err := prepare.Work(shipped(t, "flow-analyser-preparation"), opened(shipped(t, "flow-analyser-preparation")))
	require.NoError(t, err)
	w := technician(hands{t: t})
	w.At = monday.Add(4 * time.Hour)
	w.Until = "vt"
	w.Plate = map[string]string{"flowing": "air", "mixture_set": "air", "analyser_condition": "BTPS", "ventilator_condition": "BTPS"}
	w.Standard = func(_ run.Run, role reference.Role) reference.Standard {
		s := demo.Fitting(role, w.At)
		if role.Kind == "flow-analyser" {
			s.Prepared = prepared.Done(prepared.Device.Tag)
		}
		return s
	}
	r, _, err := w.Work(shipped(t, "ventilator-performance"), opened(shipped(t, "ventilator-performance")))
	require.NoError(t, err)
	v := runview.Of(r, w.At)
	at := slices.IndexFunc(v.Steps, func(s runview.StepView) bool { return s.Left["analyser_condition"] != "" })
	require.GreaterOrEqual(t, at, 0, "it stands beside the field")
	assert.Contains(t, v.Steps[at].Left["analyser_condition"], "was left at ATP: temperature, pressure and humidity as they are on 2026-03-02")
	said := strings.Join(v.Remarks, "\n")
	assert.Contains(t, said, "Gas condition of the analyser: BTPS: 37 °C, ambient pressure, saturated;")
	assert.Contains(t, said, "was left at ATP: temperature, pressure and humidity as they are when it was prepared")
	assert.NotContains(t, said, "Gas mixture set on the analyser", "what is as it was left needs no remark")
}

// TestSeveralAudiometersShareOneCheck: what the calibrator found of the analyser in one audiometer's run counts in the next one's
// for half a day, with the same share of the uncertainty; after that it is done anew.
func TestSeveralAudiometersShareOneCheck(t *testing.T) {
	p := shipped(t, "audiometer-calibration")
	work := func(after time.Duration, done []reference.Done) run.Run {
		w := technician(hands{t: t, fixed: map[string]float64{"reference/1-khz": 94.3}})
		w.At = monday.Add(after)
		w.Standard = func(_ run.Run, role reference.Role) reference.Standard {
			s := demo.Fitting(role, w.At)
			if role.ID == "analyser" {
				s.Prepared = done
			}
			return s
		}
		r, _, err := w.Work(p, opened(p))
		require.NoError(t, err)
		return r
	}
	tone := func(r run.Run) (*run.Verdict, int) {
		v, err := r.Judge(p.Measure("right"), p.Measure("right").Point("right-1000"), 0)
		require.NoError(t, err)
		return v, slices.IndexFunc(r.Readings, func(x run.Reading) bool { return x.Measure == "reference" })
	}
	first := work(0, nil)
	done := first.Done(first.Bound["analyser"].Standard.Tag)
	require.Len(t, done, 1)
	assert.True(t, done[0].Passed)
	assert.InDelta(t, 0.3, done[0].Found, 1e-9)
	assert.Empty(t, first.Done(first.Bound["coupler"].Standard.Tag), "it says nothing of the coupler")
	itself, read := tone(first)
	assert.GreaterOrEqual(t, read, 0)
	assert.True(t, slices.ContainsFunc(itself.Budget.Lines, func(p uncertainty.Line) bool {
		return p.Name == "Analyser, as its check found it" && p.Width == done[0].Found
	}), "%v", itself.Budget)
	shared, read := tone(work(4*time.Hour, done))
	assert.Negative(t, read, "it is not read again")
	assert.Equal(t, itself.U, shared.U)
	_, read = tone(work(20*time.Hour, done))
	assert.GreaterOrEqual(t, read, 0, "it counts for half a day")
}
