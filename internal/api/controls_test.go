package api_test

import (
	"testing"
	"time"

	"northneedle/internal/workshop"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestControlsOfAnAnalyser(t *testing.T) {
	h := newHouse(t)
	c := h.signedIn("Idris Vail")
	states := get[[]workshop.ControlState](c, "/api/controls")
	require.NotEmpty(t, states)
	assert.Equal(t, "glucose", states[0].Analyte, "what is rejected comes first")
	require.True(t, states[0].Rejected)
	assert.Equal(t, "systematic", states[0].Suggestion, states[0].Words)

	chart := get[workshop.ControlChart](c, "/api/controls/"+states[0].Asset+"?analyte=cholesterol&days=730")
	require.Len(t, chart.Levels, 2)
	assert.Greater(t, len(chart.Runs), 400, "two years of working days")
	require.NotNil(t, chart.Levels[0].Sigma)
	assert.InDelta(t, (chart.Levels[0].Allowed-max(chart.Levels[0].Bias, -chart.Levels[0].Bias))/chart.Levels[0].CV,
		*chart.Levels[0].Sigma, 1e-9)

	entry := func(id, text string) map[string]any {
		return map[string]any{"id": id, "analyte": "cholesterol",
			"values": []map[string]string{{"lot_id": chart.Levels[0].LotID, "text": text}}}
	}
	assert.Equal(t, "values", c.problem("/api/controls/"+chart.Asset, entry("control-run-1", "high"), 422).Field)
	far := posted[workshop.ControlChart](c, "/api/controls/"+chart.Asset, entry("control-run-1", "5,4"))
	require.True(t, far.Blocked, far.Words)
	again := posted[workshop.ControlChart](c, "/api/controls/"+chart.Asset, entry("control-run-1", "5,4"))
	assert.Len(t, again.Runs, len(far.Runs), "sent again it is one run")
	device := get[workshop.AssetView](c, "/api/assets/"+chart.Asset)
	assert.Len(t, device.Blocked, 2, "glucose and cholesterol")
	assert.Contains(t, device.Words, "Invalid: failed check", "and the calibration that hangs on glucose")
	fine := posted[workshop.ControlChart](c, "/api/controls/"+chart.Asset,
		map[string]any{"id": "control-run-2", "analyte": "cholesterol",
			"values": []map[string]string{{"lot_id": chart.Levels[1].LotID, "text": "7.1"}}})
	assert.False(t, fine.Blocked, fine.Words)
	assert.Equal(t, "not-yours", h.signedIn("Odile Marsh").problem("/api/controls/"+chart.Asset,
		entry("control-run-3", "4"), 403).Code)
	status, _ := c.call("GET", "/api/controls/MB-0417", nil)
	assert.Equal(t, 404, status, "a capnograph has no controls")

	lot := chart.Levels[1]
	h.now = lot.Expires.Add(15 * time.Hour)
	c = h.signedIn("Idris Vail")
	last := map[string]any{"id": "control-run-4", "analyte": "cholesterol",
		"values": []map[string]string{{"lot_id": lot.LotID, "text": "7.1"}}}
	posted[workshop.ControlChart](c, "/api/controls/"+chart.Asset, last)
	h.now = lot.Expires.AddDate(0, 0, 1)
	last["id"] = "control-run-5"
	assert.Contains(t, c.problem("/api/controls/"+chart.Asset, last, 422).Detail, "expired on",
		"a lot counts to the end of its last day")
}

func TestOnlyLinkedPointsReadByThemselves(t *testing.T) {
	h := newHouse(t)
	c := h.signedIn("Idris Vail")
	v := c.open(firstOf(t, c, "audiometer", 0))
	status, body := c.call("POST", "/api/runs/"+v.ID+"/sequence", map[string]bool{"on": true})
	assert.Equal(t, 409, status, string(body))
	assert.Contains(t, string(body), "no point to be read over a link now")
	status, _ = c.call("POST", "/api/runs/"+v.ID+"/sequence", map[string]bool{"on": false})
	assert.Equal(t, 200, status, "stopping what does not run is no mistake")
}
