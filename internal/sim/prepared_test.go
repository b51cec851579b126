package sim_test

import (
	"slices"
	"strings"
	"testing"
	"time"

	"northneedle/core/reference"
	"northneedle/core/run"
	"northneedle/core/runview"
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
