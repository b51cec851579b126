package api_test

import (
	"fmt"
	"testing"

	"northneedle/core/device"
	"northneedle/core/runview"
	"northneedle/internal/workshop"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A device's life between its runs: corrected, moved, lent, faulty, mended, out of use, gone. Each has its reason in
// the history, and the one state says so everywhere.
func TestADevicesLife(t *testing.T) {
	h := newHouse(t)
	idris, lead, fenn := h.signedIn("Idris Vail"), h.signedIn("Tamsin Orrery"), h.signedIn("Fenn Castellan")
	tag := firstOf(t, idris, "ventilator", 3)
	path := "/api/assets/" + tag
	now := func() workshop.AssetView { return get[workshop.AssetView](idris, "/api/assets/"+tag) }
	was := now()
	other := firstOf(t, idris, "patient-scale", 1)

	// Corrected, with a reason; a tag stays one device's.
	for field, o := range map[string]order{"reason": {"serial": "SN-9", "reason": " "}, "tag": {"tag": other,
		"reason": "misread"},
		"maker": {"maker": " ", "reason": "misread"}, "limits.volume": {"limits": order{"volume": "about"},
			"reason": "misread"}} {
		assert.Equal(t, field, idris.problem(path+"/correct", o, 422).Field)
	}
	assert.Equal(t, was.Serial, now().Serial, "nothing of what was refused")
	fenn.problem(path+"/correct", order{"serial": "SN-9", "reason": "misread"}, 403)
	corrected := posted[workshop.AssetView](idris, path+"/correct", order{"tag": "MB-9001", "serial": "SN-9-4411", "risk": 2,
		"limits": order{"volume": "±5 % of reading"}, "reason": "the plate was misread"})
	assert.Equal(t, was.ID, corrected.ID)
	assert.Equal(t, []any{"MB-9001", "SN-9-4411", 2, was.Maker}, []any{corrected.Tag, corrected.Serial,
		corrected.Risk, corrected.Maker})
	tag, path = "MB-9001", "/api/assets/MB-9001"
	found := get[workshop.AssetPageView](idris, "/api/assets?search=sn-9-4411")
	require.Len(t, found.Assets, 1)
	assert.Len(t, corrected.History, len(was.History), "its runs stay its own")
	assert.Contains(t, fmt.Sprint(get[any](idris, "/api/history/device/"+tag)), "the plate was misread")

	// Moved: within a site, nothing is undone; to another height, what depends on it is due.
	heights := get[workshop.HouseView](lead, "/api/house").Day
	for i := range heights.Sites {
		if heights.Sites[i].Name == "Ardrennish Ridge Sanatorium" {
			up := 1240
			heights.Sites[i].Height = &up
		}
	}
	posted[workshop.HouseView](lead, "/api/house/day", heights)
	move := order{"id": "move-within", "site": was.Site, "place": "Theatre 2", "reason": "asked for"}
	moved := posted[workshop.AssetView](idris, path+"/move", move)
	assert.Equal(t, "Theatre 2", moved.Place)
	assert.Equal(t, corrected.Standing, moved.Standing)
	up := order{"id": "move-up-the-ridge", "site": "Ardrennish Ridge Sanatorium", "place": "Ward 1", "reason": "a bed there"}
	moved = posted[workshop.AssetView](idris, path+"/move", up)
	assert.Equal(t, device.NotToBeUsed, moved.State, "a ventilator's verification is undone by another height")
	notes := len(moved.Notes)
	moved = posted[workshop.AssetView](idris, path+"/move", up)
	assert.Len(t, moved.Notes, notes, "sent twice, moved once")
	assert.Contains(t, fmt.Sprint(moved.Notes[0].Text), "Ardrennish Ridge Sanatorium")

	// A fault, reported by anybody through a trainee, stops it until somebody judges it.
	faulty := "/api/assets/" + other
	before := get[workshop.AssetView](idris, faulty)
	report := order{"id": "fault-0001", "what": "the display flickers", "reporter": "Ward 3, night shift",
		"since": "2026-03-01"}
	for range 2 {
		v := posted[workshop.AssetView](fenn, faulty+"/faults", report)
		require.Len(t, v.Faults, len(before.Faults)+1, "once, also where it is sent again")
		assert.Equal(t, device.NotToBeUsed, v.State)
		assert.Contains(t, v.Words, "the display flickers (Ward 3, night shift, 2026-03-02). It is not judged yet.")
	}
	assert.Equal(t, "since", fenn.problem(faulty+"/faults", order{"id": "fault-0002", "what": "x",
		"since": "2027-01-01"}, 422).Field)
	fenn.problem("/api/faults/fault-0001/judge", order{"outcome": "nothing found", "found": "looked at"}, 403)
	assert.Equal(t, "found", idris.problem("/api/faults/fault-0001/judge", order{"outcome": "mended", "found": " "}, 422).Field)
	status, body := idris.call("POST", "/api/faults/fault-0001/judge", order{"outcome": "nothing found",
		"found": "the plug was loose; pressed in, ran an hour", "minutes": 70})
	require.Equal(t, 204, status, string(body))
	v := get[workshop.AssetView](idris, faulty)
	assert.Equal(t, before.State, v.State)
	assert.Equal(t, "Idris Vail", v.Faults[0].JudgedBy)
	assert.Equal(t, "outcome", idris.problem("/api/faults/fault-0001/judge", order{"outcome": "mended",
		"found": "again"}, 422).Field)

	// Withdrawn: out of use, and back by a signed run alone.
	posted[workshop.AssetView](idris, faulty+"/faults", order{"id": "fault-0003", "what": "one corner reads low"})
	status, _ = idris.call("POST", "/api/faults/fault-0003/judge", order{"outcome": "withdrawn", "found": "a cell is bent"})
	require.Equal(t, 204, status)
	v = get[workshop.AssetView](idris, faulty)
	assert.Equal(t, device.OutOfUse, v.State)
	assert.Contains(t, v.Words, "a cell is bent (Idris Vail, 2026-03-02).")
	asset, err := h.ledger.Asset(other)
	require.NoError(t, err)
	h.work(t, asset, "patient-scale-verification")
	v = get[workshop.AssetView](idris, faulty)
	assert.NotEqual(t, device.OutOfUse, v.State, v.Words)

	// Lent, and back; gone, and nothing is opened on it; taken in again, it waits for a signed run.
	assert.Equal(t, "whom", idris.problem(faulty+"/whereabouts", order{"to": "lent", "reason": "their own broke"}, 422).Field)
	assert.Equal(t, "until", idris.problem(faulty+"/whereabouts", order{"to": "lent", "whom": "Quillet", "until": "2026-02-01",
		"reason": "their own broke"}, 422).Field)
	v = posted[workshop.AssetView](idris, faulty+"/whereabouts", order{"to": "lent", "whom": "Quillet Island Clinic",
		"until": h.now.AddDate(0, 0, 7).Format("2006-01-02"), "reason": "their own broke"})
	assert.Equal(t, device.AwayFrom, v.State)
	assert.Contains(t, v.Words, "With Quillet Island Clinic since")
	v = posted[workshop.AssetView](idris, faulty+"/whereabouts", order{"to": "back", "reason": "with its cable"})
	assert.NotEqual(t, device.AwayFrom, v.State)
	idris.problem(faulty+"/whereabouts", order{"to": "retired", "reason": "worn"}, 403)
	open := posted[runview.View](idris, "/api/runs", order{"id": idris.id(), "asset": other})
	assert.Contains(t, lead.problem(faulty+"/whereabouts", order{"to": "retired", "reason": "worn"}, 422).Detail, "run is open")
	idris.send(open, order{"kind": "abandon", "reason": "it goes"})
	v = posted[workshop.AssetView](lead, faulty+"/whereabouts", order{"to": "retired", "reason": "worn out; sold for parts"})
	assert.Equal(t, device.Retired, v.State)
	assert.Contains(t, v.Words, "sold for parts (Tamsin Orrery")
	idris.problem("/api/runs", order{"id": idris.id(), "asset": other}, 409)
	idris.problem(faulty+"/whereabouts", order{"to": "lent", "whom": "x", "reason": "y"}, 422)
	v = posted[workshop.AssetView](lead, faulty+"/whereabouts", order{"to": "in the register again",
		"reason": "it was another"})
	assert.Equal(t, device.OutOfUse, v.State)

	_, err = h.ledger.Verify()
	require.NoError(t, err)
	differences, err := h.ledger.Differences()
	require.NoError(t, err)
	assert.Empty(t, differences)
}
