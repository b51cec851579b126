package api_test

import (
	"testing"

	"northneedle/internal/workshop"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A device that was entered twice becomes one: the entry that stays shows the runs of both and goes by what was done last; what
// stops either is settled first, and two devices never become one.
func TestADeviceThatWasEnteredTwiceBecomesOne(t *testing.T) {
	h := newHouse(t)
	lead, technician := h.signedIn("Tamsin Orrery"), h.signedIn("Idris Vail")
	enter := func(tag, serial, family string) string {
		return posted[workshop.AssetView](lead, "/api/assets", order{"tag": tag, "serial": serial, "maker": "Ostrel", "model": "C2 capnograph",
			"family": family, "site": "Merrowby General", "place": "Ward 3", "risk": 3, "in_use": true}).ID
	}
	one, two := enter("DB-1", "S 77", "capnograph"), enter("DB-2", "s77", "capnograph")
	enter("DB-3", "S 78", "capnograph")
	enter("DB-4", "S 77", "infusion-pump")
	for _, id := range []string{one, two} {
		device, err := h.ledger.Asset(id)
		require.NoError(t, err)
		h.work(t, device, "capnograph-oximeter-verification")
	}
	counted := func() int {
		for _, m := range get[workshop.ReportView](lead, "/api/report").Models {
			if m.Device == "Ostrel C2 capnograph" {
				return m.Devices
			}
		}
		return 0
	}
	before := counted()
	merge := func(c *client, tag, stays, why string) (int, []byte) {
		return c.call("POST", "/api/assets/"+tag+"/same-as", order{"stays": stays, "reason": why})
	}
	assert.Equal(t, 403, statusOf(merge(technician, "DB-2", "DB-1", "one plate")))
	for stays, words := range map[string]string{"DB-2": "this entry", "DB-3": "serial numbers differ", "DB-4": "infusion-pump", "DB-9": "not in the register"} {
		p := lead.problem("/api/assets/DB-2/same-as", order{"stays": stays, "reason": "one plate"}, 422)
		assert.Contains(t, p.Detail, words)
	}
	assert.Equal(t, "reason", lead.problem("/api/assets/DB-2/same-as", order{"stays": "DB-1", "reason": " "}, 422).Field)

	// A fault that is not judged would be out of sight.
	posted[workshop.AssetView](technician, "/api/assets/DB-2/faults", order{"id": "fault-0001", "what": "it smells"})
	assert.Equal(t, "unsettled", lead.problem("/api/assets/DB-2/same-as", order{"stays": "DB-1", "reason": "one plate"}, 409).Code)
	fault := get[workshop.AssetView](lead, "/api/assets/DB-2").Faults[0].ID
	lead.call("POST", "/api/faults/"+fault+"/judge", order{"outcome": "nothing found", "found": "dust on the fan"})

	due := func(id string) *workshop.ActivityView {
		for _, a := range get[workshop.AssetView](lead, "/api/assets/"+id).Activities {
			if a.Procedure == "capnograph-oximeter-verification" {
				return &a
			}
		}
		return nil
	}
	later := due(two)
	require.NotNil(t, later.LastOn)
	status, body := merge(lead, "DB-2", "db-1", "one plate, seen at the bed")
	require.Equal(t, 200, status, string(body))
	gone := get[workshop.AssetView](lead, "/api/assets/DB-2")
	assert.Equal(t, "DB-1", gone.SameAs)
	assert.EqualValues(t, "retired", gone.State)
	stays := get[workshop.AssetView](lead, "/api/assets/DB-1")
	assert.Equal(t, []string{"DB-2"}, stays.Doubles)
	require.Len(t, stays.History, 2)
	assert.Equal(t, before-1, counted(), "reports count it once")
	assert.Equal(t, "DB-2", stays.History[0].Tag, "the run says under which tag it was made")
	assert.Equal(t, later.LastOn, due(one).LastOn)
	assert.Equal(t, later.DueOn, due(one).DueOn)
	assert.Equal(t, 200, statusOf(merge(lead, "DB-2", "DB-1", "sent again")))
	assert.Equal(t, 409, statusOf(lead.call("POST", "/api/runs", order{"id": lead.id(), "asset": "DB-2"})), "no run is made on the double")
	h.agrees(t)
}
