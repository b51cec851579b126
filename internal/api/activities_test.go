package api_test

import (
	"fmt"
	"net/url"
	"strings"
	"testing"
	"time"

	"northneedle/core/device"
	"northneedle/core/duty"
	"northneedle/core/reference"
	"northneedle/core/run"
	"northneedle/internal/workshop"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// recurring finds one of a device's activities by its title.
func recurring(t *testing.T, v workshop.AssetView, title string) workshop.ActivityView {
	t.Helper()
	for _, a := range v.Activities {
		if a.Title == title {
			return a
		}
	}
	require.FailNow(t, "no such activity", "%s: %+v", title, v.Activities)
	return workshop.ActivityView{}
}

func TestWhatRecursIsDonePutOffOrMovedAndNeverDismissed(t *testing.T) {
	h := newHouse(t)
	idris, tamsin, odile, fenn := h.signedIn("Idris Vail"), h.signedIn("Tamsin Orrery"), h.signedIn("Odile Marsh"), h.signedIn("Fenn Castellan")
	tag := firstOf(t, idris, "audiometer", 0)
	v := get[workshop.AssetView](idris, "/api/assets/"+tag)
	check := recurring(t, v, "Audiometer, objective check")
	path := "/api/activities/" + check.ID
	on := func(days int) string { return h.now.AddDate(0, 0, days).Format(time.DateOnly) }

	assert.Equal(t, "reason", idris.problem(path, map[string]any{"id": "order-0001", "kind": "defer", "on": on(20)},
		422).Field)
	assert.Equal(t, "on", idris.problem(path, map[string]any{
		"id":     "order-0001",
		"kind":   "defer",
		"on":     on(-2),
		"reason": "ward closed",
	}, 422).Field)
	fenn.problem(path, map[string]any{"id": "order-0001", "kind": "defer", "on": on(20), "reason": "ward closed"}, 403)
	put := posted[workshop.AssetView](idris, path, map[string]any{
		"id":     "order-0002",
		"kind":   "defer",
		"on":     on(20),
		"reason": "ward closed",
	})
	deferred := recurring(t, put, check.Title)
	assert.Contains(t, deferred.Words, "by Idris Vail: ward closed")
	assert.Equal(t, 20, deferred.Days)
	again := posted[workshop.AssetView](idris, path, map[string]any{
		"id":     "order-0002",
		"kind":   "defer",
		"on":     on(90),
		"reason": "sent again",
	})
	assert.Equal(t, 20, recurring(t, again, check.Title).Days, "sent again it changes nothing")

	h.now = h.now.Add(time.Minute)
	idris.problem(path, map[string]any{
		"id":     "order-0003",
		"kind":   "re-plan",
		"on":     on(9),
		"reason": "with the ferry",
	}, 403)
	moved := posted[workshop.AssetView](odile, path, map[string]any{
		"id":     "order-0003",
		"kind":   "re-plan",
		"on":     on(9),
		"reason": "with the ferry",
	})
	assert.Contains(t, recurring(t, moved, check.Title).Reason, "re-planned by Odile Marsh")

	h.now = h.now.Add(time.Minute)
	assert.Equal(t, "reason", tamsin.problem(path, map[string]any{"id": "order-0004", "kind": "done", "on": on(0)},
		422).Field)
	done := posted[workshop.AssetView](tamsin, path, map[string]any{
		"id":     "order-0004",
		"kind":   "done",
		"on":     on(-1),
		"reason": "objective check by the meter, in the booth",
	})
	assert.Equal(t, duty.Valid, recurring(t, done, check.Title).Status)
	assert.Equal(t, []string{"done", "re-planned", "deferred"},
		[]string{done.Notes[0].What, done.Notes[1].What, done.Notes[2].What})
	whole := recurring(t, done, "Audiometer, exhaustive calibration")
	assert.Equal(t, "kind", tamsin.problem("/api/activities/"+whole.ID, map[string]any{
		"id":     "order-0005",
		"kind":   "done",
		"on":     on(0),
		"reason": "by heart",
	}, 422).Field)
}

func TestWhatHappensToADeviceMakesWhatItUndoesDue(t *testing.T) {
	h := newHouse(t)
	c := h.signedIn("Noor Bexley")
	scale := firstOf(t, c, "patient-scale", 2)
	v := posted[workshop.AssetView](c, "/api/assets/"+scale+"/events",
		map[string]any{"id": "event-0001", "kind": "seal broken", "text": "span adjusted at the workshop"})
	legal := recurring(t, v, "Legal re-verification")
	assert.Equal(t, duty.Invalid, legal.Status)
	assert.True(t, legal.Outside && legal.Stops)
	assert.Contains(t, v.Words, "Legal re-verification: Invalid: seal broken")
	assert.NotEqual(t, duty.Invalid, recurring(t, v, "Patient scale, verification").Status,
		"the seal has no part in it")
	assert.Contains(t, c.problem("/api/activities/"+legal.ID,
		map[string]any{"id": "order-0011", "kind": "done", "on": h.now.Format(time.DateOnly)}, 422).Detail,
		"Name the body")
	v = posted[workshop.AssetView](c, "/api/activities/"+legal.ID, map[string]any{
		"id":     "order-0011",
		"kind":   "done",
		"on":     h.now.Format(time.DateOnly),
		"reason": "Office of Weights, Merrowby, no. 112",
	})
	assert.Equal(t, duty.Valid, recurring(t, v, "Legal re-verification").Status)

	gas := firstOf(t, c, "blood-gas-analyser", 0)
	pump := recurring(t, get[workshop.AssetView](c, "/api/assets/"+gas), "Peristaltic pump")
	v = posted[workshop.AssetView](c, "/api/activities/"+pump.ID,
		map[string]any{"id": "order-0012", "kind": "use", "amount": 6001})
	assert.Equal(t, duty.Expired, recurring(t, v, "Peristaltic pump").Status)
	assert.Equal(t, "amount", c.problem("/api/activities/"+legal.ID,
		map[string]any{"id": "order-0013", "kind": "use", "amount": 5}, 422).Field)
	late := h.now.AddDate(3, 0, 0).Format(time.DateOnly)
	assert.Contains(t, c.problem("/api/activities/"+pump.ID, map[string]any{
		"id":     "order-0014",
		"kind":   "defer",
		"on":     late,
		"reason": "no part",
	}, 422).Detail, "A rule binds this one")
}

func TestAStrongerActivityDoesTheWeakerToo(t *testing.T) {
	h := newHouse(t)
	c := h.signedIn("Idris Vail")
	tag := firstOf(t, c, "blood-gas-analyser", 0)
	v := posted[workshop.AssetView](c, "/api/assets/"+tag+"/events",
		map[string]any{"id": "event-0021", "kind": "repair", "text": "sensor block"})
	assert.True(t, recurring(t, v, "Electronic reference").Stops &&
		recurring(t, v, "Liquid controls, three levels").Stops)
	a, err := h.ledger.Asset(tag)
	require.NoError(t, err)
	h.work(t, a, "blood-gas-checks")
	v = get[workshop.AssetView](c, "/api/assets/"+tag)
	for _, title := range []string{"Liquid controls, three levels", "Electronic reference"} {
		assert.False(t, recurring(t, v, title).Stops, title)
		assert.NotEqual(t, duty.Invalid, recurring(t, v, title).Status)
	}
	assert.Contains(t, recurring(t, v, "Electronic reference").Reason, "done with: Liquid controls")
}

func TestARejectedControlPutsTheCalibrationInDoubt(t *testing.T) {
	h := newHouse(t)
	c := h.signedIn("Idris Vail")
	asset := get[[]workshop.ControlState](c, "/api/controls")[0].Asset // its glucose was rejected
	chart := get[workshop.ControlChart](c, "/api/controls/"+asset+"?analyte=glucose")
	require.NotNil(t, chart.Calibration)
	assert.Equal(t, duty.Invalid, chart.Calibration.Status)
	assert.True(t, chart.Calibration.Stops)
	a, err := h.ledger.Asset(asset)
	require.NoError(t, err)
	h.work(t, a, "photometer-calibration")
	chart = get[workshop.ControlChart](c, "/api/controls/"+asset+"?analyte=glucose")
	assert.False(t, chart.Calibration.Stops, chart.Calibration.Words)
	assert.Nil(t, get[workshop.ControlChart](c, "/api/controls/"+asset+"?analyte="+
		url.QueryEscape("cholesterol")).Calibration, "it is calibrated elsewhere")

	// After a calibration the rules count only the control runs since then, so that good controls are accepted.
	values, good := []map[string]string{}, []map[string]string{}
	for _, l := range chart.Levels {
		values = append(values, map[string]string{"lot_id": l.LotID, "text": "99"})
		good = append(good, map[string]string{"lot_id": l.LotID, "text": fmt.Sprint(l.Mean + 0.2*l.SD)})
	}
	h.now = h.now.Add(time.Hour)
	chart = posted[workshop.ControlChart](c, "/api/controls/"+asset,
		map[string]any{"id": "control-after-it", "analyte": "glucose", "values": good})
	last := chart.Runs[len(chart.Runs)-1]
	assert.Equal(t, "calibrated", last.Begins)
	assert.False(t, chart.Blocked, chart.Words)
	h.now = h.now.Add(time.Hour)
	chart = posted[workshop.ControlChart](c, "/api/controls/"+asset, map[string]any{"id": "control-new-lamp",
		"analyte": "glucose", "values": good, "action": "lamp changed"})
	assert.Equal(t, "lamp changed", chart.Runs[len(chart.Runs)-1].Begins)

	posted[workshop.ControlChart](c, "/api/controls/"+asset,
		map[string]any{"id": "control-far-off", "analyte": "glucose", "values": values})
	chart = get[workshop.ControlChart](c, "/api/controls/"+asset+"?analyte=glucose")
	assert.Equal(t, duty.Invalid, chart.Calibration.Status, "the next rejected one undoes it again")
}

func TestLotsComeInByTheirLabels(t *testing.T) {
	h := newHouse(t)
	c := h.signedIn("Noor Bexley")
	label := "(01)09999999000010(17)" + h.now.AddDate(0, 5, 0).Format("060102") + "(10)C-9001"
	lot := map[string]any{
		"id":    "lot-00001",
		"tag":   "ct-40",
		"name":  "Blood-gas cartridges",
		"kind":  "cartridge",
		"label": label,
	}
	v := posted[workshop.ReferenceView](c, "/api/lots", lot)
	assert.Equal(t, "C-9001", v.Lot)
	posted[workshop.ReferenceView](c, "/api/lots", lot)
	lot["id"] = "lot-00002"
	assert.Equal(t, "tag", c.problem("/api/lots", lot, 422).Field)
	assert.Equal(t, "label", c.problem("/api/lots/label", map[string]string{"label": "(99)12"}, 422).Field)
	missing := c.problem("/api/lots", with(lot, "tag", ""), 422)
	assert.Equal(t, "“tag” is missing. Nothing was recorded.", missing.Detail)
	assert.Equal(t, "tag", missing.Field)
	typed := with(with(lot, "label", ""), "lot", "C-9002")
	assert.Contains(t, c.problem("/api/lots", typed, 422).Detail, "its last day")
	assert.Contains(t, c.problem("/api/lots", with(typed, "expires", "2026-02-30"), 422).Detail, "“expires” is no day")
	h.signedIn("Fenn Castellan").problem("/api/lots", lot, 403)

	run := c.openBy(firstOf(t, c, "blood-gas-analyser", 0), "blood-gas-checks")
	offers := get[[]reference.Candidate](c, "/api/runs/"+run.ID+"/roles/cartridge")
	require.GreaterOrEqual(t, len(offers), 3)
	for i := range offers[1:] {
		assert.False(t, offers[i+1].Standard.Certificate.DueOn.Before(offers[i].Standard.Certificate.DueOn),
			"what expires first is offered first")
	}

	asset := get[[]workshop.ControlState](c, "/api/controls")[0].Asset
	open := map[string]any{
		"id":      "clot-0001",
		"analyte": "glucose",
		"level":   1,
		"lot":     "C1-NEW",
		"unit":    "mmol/L",
		"mean":    "5,1",
		"sd":      "0.1",
		"allowed": "10",
		"expires": h.now.AddDate(0, 6, 0).Format(time.DateOnly),
	}
	assert.Equal(t, "sd", c.problem("/api/controls/"+asset+"/lots", with(open, "sd", "0"), 422).Field)
	assert.Equal(t, "mean", c.problem("/api/controls/"+asset+"/lots", with(open, "mean", "x"), 422).Field)
	chart := posted[workshop.ControlChart](c, "/api/controls/"+asset+"/lots", open)
	assert.Equal(t, "C1-NEW", chart.Levels[0].Lot)
	posted[workshop.ControlChart](c, "/api/controls/"+asset+"/lots", open)
	assert.Equal(t, "lot", c.problem("/api/controls/"+asset+"/lots", with(open, "id", "clot-0002"), 422).Field)
}

// with is an order with one thing changed.
func with(order map[string]any, key string, value any) map[string]any {
	next := map[string]any{key: value}
	for k, v := range order {
		if _, changed := next[k]; !changed {
			next[k] = v
		}
	}
	return next
}

// spanned is a scale whose span is off, and answers to its control.
type spanned struct{ factor float64 }

func (s *spanned) Read(_, _ string, expected float64) float64 { return expected * s.factor }
func (s *spanned) Turn(_, _ string, percent float64)          { s.factor *= 1 + percent/100 }

// A regulated scale that was opened to be adjusted conforms, and is not to be used before it was verified again by law.
func TestABrokenSealMakesLegalVerificationDue(t *testing.T) {
	h := newHouse(t)
	c := h.signedIn("Idris Vail")
	a, err := h.ledger.Asset(firstOf(t, c, "patient-scale", 3))
	require.NoError(t, err)
	r := h.workWith(t, a, "patient-scale-verification", &spanned{1.004})
	assert.Equal(t, run.ConformsAdjusted, r.Signature.Result)
	v := get[workshop.AssetView](c, "/api/assets/"+a.Tag)
	assert.Equal(t, device.NotToBeUsed, v.State)
	assert.Contains(t, v.Words, "Legal re-verification: Invalid: seal broken")
	_, pdf := c.call("GET", "/api/runs/"+r.ID+"/certificate.pdf", nil)
	if said := strings.Join(strings.Fields(words(t, pdf)), " "); said != "" {
		assert.Contains(t, said, "legal re-verification by the body entitled to it is due")
	}

	other, err := h.ledger.Asset(firstOf(t, c, "patient-scale", 5))
	require.NoError(t, err)
	assert.Equal(t, run.Conforms, h.workWith(t, other, "patient-scale-verification", &spanned{1}).Signature.Result)
	assert.NotEqual(t, device.NotToBeUsed, get[workshop.AssetView](c, "/api/assets/"+other.Tag).State)
}
