package api_test

import (
	"strings"
	"testing"

	"northneedle/internal/workshop"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestABadReferenceIsFollowedToEveryDeviceItTouched(t *testing.T) {
	h := newHouse(t)
	c := h.signedIn("Tamsin Orrery")
	v := get[workshop.LookBackView](c, "/api/look-backs/look-back-HG-19")
	require.NotEmpty(t, v.Touched, "capnographs were verified with it in its time")
	require.Equal(t, "HG-19", v.Reference)
	changed := 0
	for i, run := range v.Touched {
		if run.Changed > 0 {
			changed++
			assert.Equal(t, i, changed-1, "those whose verdicts change come first")
		}
		for _, p := range run.Points {
			assert.NotEqual(t, p.Before, p.After, "only what rested on it is seen again")
			assert.Contains(t, p.Label, "CO₂")
			assert.Greater(t, p.After, p.Before, "there was less CO₂ than was thought: it reads too high")
		}
	}
	require.Positive(t, changed)
	require.Len(t, v.Told, changed, "every owner whose verdict changes is told")
	assert.Positive(t, v.DeviceDays)

	path := "/api/look-backs/" + v.ID
	assert.Equal(t, "unanswered", c.problem(path+"/close", map[string]string{"conclusion": "done"}, 409).Code)
	for _, n := range v.Told {
		assert.Contains(t, n.Text, "HG-19")
		notice := path + "/notices/" + n.ID
		assert.Equal(t, "answer", c.problem(notice, map[string]string{"kind": "answered"}, 422).Field)
		posted[workshop.LookBackView](c, notice, map[string]string{"kind": "sent", "text": n.Text})
		posted[workshop.LookBackView](c, notice, map[string]string{"kind": "answered",
			"answer": "Nothing was decided by it alone."})
	}
	h.signedIn("Noor Bexley").problem(path+"/close", map[string]string{"conclusion": "done"}, 403)
	assert.Equal(t, "conclusion", c.problem(path+"/close", map[string]string{"conclusion": " "}, 422).Field)
	closed := posted[workshop.LookBackView](c, path+"/close",
		map[string]string{"conclusion": "Two capnographs were verified again."})
	require.NotNil(t, closed.ClosedAt)
	assert.Equal(t, "closed", c.problem(path+"/notices/"+v.Told[0].ID,
		map[string]string{"kind": "answered", "answer": "late"}, 409).Code)
	for _, b := range get[[]workshop.LookBackBrief](c, "/api/look-backs?closed=true") {
		assert.NotNil(t, b.ClosedAt)
	}
}

func TestAReferenceFoundOutOpensALookBack(t *testing.T) {
	h := newHouse(t)
	c := h.signedIn("Tamsin Orrery")
	found := map[string]any{
		"id":       "found-0001",
		"standard": "HG-22",
		"quantity": "CO2",
		"error":    "-0,5",
		"u":        "0.05",
		"unit":     "%{vol}",
		"remove":   true,
		"found":    "against HG-23, diluted",
	}
	h.signedIn("Idris Vail").problem("/api/look-backs", found, 403)
	assert.Equal(t, "error", c.problem("/api/look-backs", with(found, "error", "none"), 422).Field)
	assert.Equal(t, "quantity", c.problem("/api/look-backs", with(found, "quantity", "CO"), 422).Field)
	v := posted[workshop.LookBackView](c, "/api/look-backs", found)
	doubted := 0
	for _, touched := range v.Touched {
		device := get[workshop.AssetView](c, "/api/assets/"+touched.Tag)
		if touched.Changed == 0 || device.History[0].ID != touched.Run || device.Stop {
			continue
		}
		doubted++
		assert.Contains(t, device.Words, "HG-22", touched.Tag)
		assert.LessOrEqual(t, recurring(t, device, "Capnograph with pulse oximeter, verification").Days, 0, "%s is due now", touched.Tag)
	}
	assert.Positive(t, doubted)
	again := posted[workshop.LookBackView](c, "/api/look-backs", found)
	assert.Equal(t, len(v.Told), len(again.Told))
	wide := posted[workshop.LookBackView](c, "/api/look-backs", with(with(found, "id", "found-0002"), "remove", false))
	require.Equal(t, len(v.Touched), len(wide.Touched))
	assert.LessOrEqual(t, wide.Touched[0].Changed, v.Touched[0].Changed, "simple acceptance does not look at U")
}

// One piece of a kit was found out: what is seen again is the loads that it was in, and no others.
func TestAPieceOfAKitFoundOutOpensALookBack(t *testing.T) {
	h := newHouse(t)
	c := h.signedIn("Tamsin Orrery")
	device, err := h.ledger.Asset(firstOf(t, c, "patient-scale", 0))
	require.NoError(t, err)
	kit := h.workWith(t, device, "patient-scale-verification", exact{}).Bindings("weights")[0].Standard.Tag
	found := map[string]any{"id": "kit-0001", "standard": kit, "quantity": "mass", "piece": "10 kg", "error": "-0.4",
		"u": "0.001", "unit": "kg", "remove": true, "found": "by the laboratory"}
	assert.Equal(t, "piece", c.problem("/api/look-backs", with(found, "piece", "11 kg"), 422).Field)
	ten := posted[workshop.LookBackView](c, "/api/look-backs", found)
	require.Equal(t, "10 kg", ten.Known.Piece)
	changed := 0
	for _, touched := range ten.Touched {
		changed += touched.Changed
		assert.NotEmpty(t, touched.Points)
	}
	assert.Positive(t, changed, "0.4 kg is more than any scale may be off at 10 kg")
	twenty := posted[workshop.LookBackView](c, "/api/look-backs", with(with(found, "id", "kit-0002"), "piece", "20 kg"))
	for _, touched := range twenty.Touched {
		for _, p := range touched.Points {
			assert.InDelta(t, p.Before, p.After, 1e-9, "which of five it was is not known: %s", p.Sentence)
			assert.False(t, p.Changed)
		}
	}
	assert.NotEmpty(t, twenty.Touched)
}

func TestARejectedControlOpensALookBackToTheLastGoodOne(t *testing.T) {
	h := newHouse(t)
	c := h.signedIn("Idris Vail")
	asset := get[[]workshop.ControlState](c, "/api/controls")[0].Asset
	chart := get[workshop.ControlChart](c, "/api/controls/"+asset+"?analyte=creatinine")
	send := func(id, value string) {
		posted[workshop.ControlChart](c, "/api/controls/"+asset,
			map[string]any{"id": id, "analyte": "creatinine",
				"values": []map[string]string{{"lot_id": chart.Levels[0].LotID, "text": value}}})
	}
	send("control-off-1", "140")
	send("control-off-2", "141")
	opened := 0
	for _, b := range get[[]workshop.LookBackBrief](c, "/api/look-backs") {
		if b.Kind != "control" || !strings.Contains(b.Title, "creatinine") {
			continue
		}
		opened++
		v := get[workshop.LookBackView](c, "/api/look-backs/"+b.ID)
		assert.Equal(t, "creatinine", v.Analyte)
		require.Len(t, v.Told, 1)
		assert.Contains(t, v.Told[0].Text, "when its control was last accepted")
		assert.Contains(t, v.Told[0].Text, "% off its mean")
	}
	assert.Equal(t, 1, opened, "one is enough while it is open")
}

func TestAFailedAsFoundOpensALookBackToTheLastGoodRun(t *testing.T) {
	h := newHouse(t)
	c := h.signedIn("Odile Marsh")
	closed := get[[]workshop.LookBackBrief](c, "/api/look-backs?closed=true")
	require.NotEmpty(t, closed, "three years of history have a few")
	v := get[workshop.LookBackView](c, "/api/look-backs/"+closed[0].ID)
	require.Equal(t, "device", v.Kind)
	require.NotEmpty(t, v.Levels)
	assert.Regexp(t, `too (high|low)`, v.Levels[0])
	require.Len(t, v.Told, 1)
	assert.Contains(t, v.Told[0].Text, "tell us what you found")
	assert.NotEmpty(t, v.Asset)
}
