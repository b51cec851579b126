package api_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"northneedle/core/device"
	"northneedle/core/duty"
	"northneedle/core/run"
	"northneedle/core/runview"
	"northneedle/internal/ledger"
	"northneedle/internal/workshop"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// cuvettes are what an analyser shows, by measure and point; what is not named it shows as expected.
type cuvettes map[string]float64

func (c cuvettes) Read(measure, point string, expected float64) float64 {
	if v, named := c[measure+"/"+point]; named {
		return v
	}
	return expected
}
func (cuvettes) Turn(string, string, float64) {}

// testOf is one test of an analyser.
func testOf(t *testing.T, v workshop.AssetView, name string) workshop.TestView {
	t.Helper()
	at := slices.IndexFunc(v.Tests, func(one workshop.TestView) bool { return one.Test == name })
	require.GreaterOrEqual(t, at, 0, "%s has no test %s", v.Tag, name)
	return v.Tests[at]
}

// Each test of an analyser has a calibration of its own: what it was made with is listed, its controls go onto their chart, and
// where one fails, that test is stopped and no other.
func TestATestOfAnAnalyserStandsByItself(t *testing.T) {
	h := newHouse(t)
	c, lead := h.signedIn("Idris Vail"), h.signedIn("Tamsin Orrery")
	tag := firstOf(t, c, "chemistry-analyser", 0)
	path := "/api/assets/" + tag
	a, err := h.ledger.Asset(tag)
	require.NoError(t, err)
	for _, test := range []string{"glucose", "urea", "uric-acid", "alt"} {
		h.workWith(t, a, "chemistry-"+test, cuvettes{"blank/b1": 0.11, "calibrator/c1": 0.65, "speed/c1": 0.053, "first/water": 0.09,
			"first/calibrator": 0.09, "second/water": 0.08, "second/calibrator": 0.52})
	}
	v := get[workshop.AssetView](c, path)
	glucose := testOf(t, v, "glucose")
	assert.Equal(t, duty.Valid, glucose.Status)
	assert.False(t, glucose.Stopped)
	require.NotEmpty(t, glucose.Figures)
	assert.InDelta(t, 10.4/(0.65-0.11*1000/1010), glucose.Figures[0].Value, 1e-9, "concentration over the absorbance above its blank")
	assert.Equal(t, "mmol/L", glucose.Figures[0].Unit)
	assert.InDelta(t, 402/((0.52-0.09*1020/1220)-(0.08-0.09*1020/1220)), testOf(t, v, "uric acid").Figures[0].Value, 1e-6)
	assert.Equal(t, "/min", testOf(t, v, "ALT").Figures[1].Unit)
	var lots []string
	for _, l := range glucose.Lots {
		lots = append(lots, l.Lot)
	}
	assert.Equal(t, []string{"GL-4120", "K-2607", "N1-2608", "N2-2608"}, lots)

	chart := get[workshop.ControlChart](c, "/api/controls/"+tag+"?analyte=glucose")
	last := chart.Runs[len(chart.Runs)-1]
	assert.Contains(t, last.Note, "measured in the run")
	assert.Contains(t, last.Begins, "calibrated")
	require.Len(t, last.Points, 2)
	assert.InDelta(t, 0, last.Points[0].Z, 0.1)

	h.workWith(t, a, "chemistry-glucose", cuvettes{"blank/b1": 0.11, "calibrator/c1": 0.65, "controls/l1": 4.1, "controls/l2": 12.2})
	v = get[workshop.AssetView](c, path)
	glucose = testOf(t, v, "glucose")
	assert.True(t, glucose.Stopped)
	assert.Equal(t, duty.Invalid, glucose.Status)
	assert.False(t, testOf(t, v, "urea").Stopped)
	assert.Equal(t, device.NotEveryTest, v.State, v.Words)
	assert.False(t, v.Stop)
	assert.Contains(t, v.Words, "No patient sample for glucose")
	row, err := h.ledger.Asset(tag)
	require.NoError(t, err)
	assert.Equal(t, ledger.InUse, row.Status, "the device stays in use")
	opened := posted[runview.View](c, "/api/runs", order{"id": "another-test-1", "asset": tag, "procedure": "chemistry-urea"})
	assert.Equal(t, "urea", opened.Procedure.Test)
	_, pdf := c.call("GET", "/api/runs/"+opened.ID+"/steps/cuvettes-into-the-wells/labels.pdf", nil)
	if said := words(t, pdf); said != "" {
		for _, written := range []string{"cuvette 1", "level 1", "level 2", "Controls", tag} {
			assert.Contains(t, said, written, "cuvettes are labelled before they are filled")
		}
	}
	status, _ := c.call("GET", "/api/runs/"+opened.ID+"/steps/cautions/labels.pdf", nil)
	assert.Equal(t, 404, status, "that step fills nothing")

	// A correction is set by a lead, with the samples it rests on.
	var pairs []string
	for i := range 24 {
		x := 3 + 0.6*float64(i)
		pairs = append(pairs, fmt.Sprintf("%.2f\t%.2f", x, 1.08*x+0.02*float64(i%5-2)))
	}
	set := order{"id": "correction-1", "pairs": strings.Join(pairs[:12], "\n"), "against": "central laboratory, hexokinase", "why": "factor 1.08 entered"}
	status, _ = c.call("POST", path+"/tests/urea/correction", set)
	assert.Equal(t, 403, status)
	assert.Contains(t, lead.problem(path+"/tests/urea/correction", set, 422).Detail, "20 samples at least")
	set["pairs"] = strings.Join(pairs, "\n")
	urea := testOf(t, posted[workshop.AssetView](lead, path+"/tests/urea/correction", set), "urea")
	require.NotNil(t, urea.Correction)
	assert.Contains(t, urea.Correction.Words, "÷ 1.08")
	assert.Contains(t, urea.Correction.Words, "24 samples")
}

// What a device gave at its first test is kept: a run that comes later says where it has jumped, also inside the limits; a check
// that reads the record is fine only where the record says so.
func TestAJumpInsideTheLimitsIsAFinding(t *testing.T) {
	h := newHouse(t)
	c := h.signedIn("Idris Vail")
	tag := firstOf(t, c, "ventilator", 1)
	a, err := h.ledger.Asset(tag)
	require.NoError(t, err)
	safe := cuvettes{"protective-earth/casing": 110, "equipment-leakage/mains": 140}
	h.workWith(t, a, "electrical-safety", safe)
	aged := cuvettes{"protective-earth/casing": 235, "equipment-leakage/mains": 150}
	opened := posted[runview.View](c, "/api/runs", order{"id": "safety-again-1", "asset": tag, "procedure": "electrical-safety"})
	stored, err := h.ledger.Run(opened.ID)
	require.NoError(t, err)
	require.NotEmpty(t, stored.Earlier)
	h.earlier = stored.Earlier
	signed := h.workWith(t, a, "electrical-safety", aged)
	v := runview.Of(signed, h.now)
	earth := v.Measures[0].Points[0]
	require.NotNil(t, earth.Found)
	assert.True(t, earth.Found.Pass)
	assert.Contains(t, earth.Found.Jump, "235 now (+114 %)")
	assert.Empty(t, v.Measures[1].Points[0].Found.Jump)
	assert.Equal(t, run.Fails, v.Result, "looked for and left to service by the book")
	assert.Contains(t, strings.Join(v.Remarks, " "), "A finding inside the limits, Protective earth casing to plug")

	// After a repair the next good test is the first.
	posted[workshop.AssetView](c, "/api/assets/"+tag+"/events", order{"id": "repaired-1", "kind": "repair", "text": "earth joint cleaned"})
	past, err := h.ledger.EarlierOf(a.ID, "electrical-safety")
	require.NoError(t, err)
	assert.Empty(t, past)

	pre := posted[runview.View](c, "/api/runs", order{"id": "performance-1", "asset": tag, "procedure": "ventilator-performance"})
	at := slices.IndexFunc(pre.Steps, func(s runview.StepView) bool { return s.Known != nil })
	require.GreaterOrEqual(t, at, 0)
	assert.False(t, pre.Steps[at].Known.Good)
	assert.Contains(t, pre.Steps[at].Known.Words, "Invalid: repair")
	c.refused(pre, order{"kind": "answer", "step": pre.Steps[at].ID, "answer": "fine"}, 409, "not-so", "the record does not say so")
}

// What a run found of a meter is taken out of every later reading, until the tubing changes: the result no longer counts then,
// and the run is due.
func TestADeadSpaceIsTakenOutOfLaterReadingsUntilTheTubingChanges(t *testing.T) {
	h := newHouse(t)
	c := h.signedIn("Idris Vail")
	tag := firstOf(t, c, "collection-bag-meter", 0)
	path := "/api/assets/" + tag
	a, err := h.ledger.Asset(tag)
	require.NoError(t, err)
	r := h.workWith(t, a, "collection-bags-and-meter", cuvettes{"volume/3-l": 3.241, "volume/6-l": 6.243, "volume/9-l": 9.238, "volume/12-l": 12.244})
	v := get[workshop.AssetView](c, path)
	require.Len(t, v.Kept, 1)
	line := v.Kept[0].Corrects
	require.NotNil(t, line)
	assert.Equal(t, 4, strings.Count(line.Text, "\n"))
	corrected := posted[workshop.CorrectionWorking](c, "/api/workings/correction", order{"text": line.Text, "reading": 8.4, "u": line.U})
	// By hand: the line through four points that far apart, each shown about 0.24 L more than was delivered.
	delivered := r.Bound["syringe"].Standard.Values[0].Value
	var x, y, xy, xx float64
	for i, shown := range []float64{3.241, 6.243, 9.238, 12.244} {
		n := float64(i+1) * delivered
		x, y, xy, xx = x+n/4, y+shown/4, xy+n*shown, xx+n*n
	}
	slope := (xy - 4*x*y) / (xx - 4*x*x)
	assert.InDelta(t, (8.4-(y-slope*x))/slope, corrected.Volume, 1e-9)
	assert.Positive(t, corrected.U)

	v = posted[workshop.AssetView](c, path+"/events", order{"id": "tubing-changed-1", "kind": "tubing changed", "text": "a longer hose"})
	assert.Empty(t, v.Kept, "the dead space was the old tubing's")
	assert.True(t, slices.ContainsFunc(v.Activities, func(a workshop.ActivityView) bool {
		return a.Procedure == "collection-bags-and-meter" && a.DueOn != nil && !a.DueOn.After(h.now)
	}), "and is measured anew")
}
