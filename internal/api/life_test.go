package api_test

import (
	"fmt"
	"testing"
	"time"

	"northneedle/core/device"
	"northneedle/core/duty"
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
	h.agrees(t)
}

// What a device is made of and how it was bought is kept; another version of its software is an event that makes due what
// depends on it; back from a repair it waits for its acceptance, and a signed run alone gives that.
func TestADeviceIsAcceptedAndDescribed(t *testing.T) {
	h := newHouse(t)
	h.shop.Duties = append(h.shop.Duties, duty.Template{Family: "patient-scale", Model: "Ostrel P2",
		Duties: []duty.Duty{{ID: "verification",
			Title: "Verification", Procedure: "patient-scale-verification", Months: 12, On: []duty.Event{duty.NewSoftware}}}})
	c := h.signedIn("Tamsin Orrery")
	v := posted[workshop.AssetView](c, "/api/assets", order{"tag": "AB-1", "serial": "7", "maker": "Ostrel", "model": "P2",
		"family": "patient-scale", "site": "Merrowby General", "place": "Ward 3", "risk": 3, "owner": "Nursing", "keeper": "Noor Bexley"})
	assert.Equal(t, device.NotYetAccepted, v.State)
	assert.True(t, v.Stop)
	assert.Contains(t, v.Words, "to be signed: Verification")
	c.takesIn(t, "histories", "tag,on,title,result\nAB-1,"+h.now.Format(time.DateOnly)+",Verification,conforms\n")
	assert.Equal(t, device.NotYetAccepted, get[workshop.AssetView](c, "/api/assets/AB-1").State, "no paper accepts a device")
	asset, err := h.ledger.Asset("AB-1")
	require.NoError(t, err)
	h.now = h.now.Add(time.Minute)
	h.work(t, asset, "patient-scale-verification")
	accepted := get[workshop.AssetView](c, "/api/assets/AB-1")
	assert.Equal(t, device.InUse, accepted.State, accepted.Words)

	about := order{"id": "about-0001", "software": "2.1", "set_up": "Load cell LC-2, no. 4471", "supplier": "Fenwick & Dray",
		"bought": "2025-06-01", "price": 2400, "warranty": "2027-06-01"}
	v = posted[workshop.AssetView](c, "/api/assets/AB-1/about", about)
	assert.Equal(t, workshop.About{Software: "2.1", SetUp: "Load cell LC-2, no. 4471", Supplier: "Fenwick & Dray",
		Bought: "2025-06-01", Price: 2400, Warranty: "2027-06-01"}, v.About)
	assert.Equal(t, device.InUse, v.State, "the first time it is said, nothing changed")
	about["id"], about["software"] = "about-0002", "2.2"
	v = posted[workshop.AssetView](c, "/api/assets/AB-1/about", about)
	assert.Equal(t, device.InDoubt, v.State)
	assert.Contains(t, v.Words, "software changed")
	assert.Contains(t, v.Words, "from 2.1 to 2.2")
	again := posted[workshop.AssetView](c, "/api/assets/AB-1/about", about)
	assert.Len(t, again.Notes, len(v.Notes), "sent again it changes nothing")
	for field, value := range map[string]any{"bought": "2099-01-01", "warranty": "2020-01-01", "price": -1} {
		wrong := order{"id": "about-0003", "bought": "2025-06-01"}
		wrong[field] = value
		status, body := c.call("POST", "/api/assets/AB-1/about", wrong)
		assert.Equal(t, 422, status, string(body))
	}

	h.now = h.now.AddDate(0, 0, 1)
	h.work(t, asset, "patient-scale-verification")
	assert.Equal(t, device.InUse, get[workshop.AssetView](c, "/api/assets/AB-1").State)
	posted[workshop.AssetView](c, "/api/assets/AB-1/whereabouts", order{"to": "lent", "whom": "the maker",
		"reason": "a loose cable"})
	h.now = h.now.AddDate(0, 0, 3)
	v = posted[workshop.AssetView](c, "/api/assets/AB-1/whereabouts", order{"to": "back", "opened": true,
		"reason": "cable replaced"})
	assert.Equal(t, device.NotYetAccepted, v.State)
	h.now = h.now.Add(time.Hour)
	h.work(t, asset, "patient-scale-verification")
	assert.Equal(t, device.InUse, get[workshop.AssetView](c, "/api/assets/AB-1").State)
	h.agrees(t)
}
