package api_test

import (
	"strings"
	"testing"

	"northneedle/internal/workshop"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A reference is checked between its certificates as a duty: when it is due everybody sees it; what is found is held against the
// certificate by hand-computed limits; and where it does not hold nothing is measured with it any more.
func TestAReferenceIsCheckedBetweenItsCertificates(t *testing.T) {
	h := newHouse(t)
	lead, technician := h.signedIn("Tamsin Orrery"), h.signedIn("Idris Vail")
	posted[workshop.ReferenceView](lead, "/api/standards", order{"id": "new-ref-0001", "tag": "TH-7", "name": "Bench thermometer",
		"kind": "thermometer", "maker": "Kestmoor", "serial": "4", "place": "Workshop", "certificate": order{
			"number": "K-1", "issuer": "Calder Metrology", "on": "2026-01-02", "due_on": "2027-01-02", "accredited": true,
			"values": []order{{"quantity": "temperature", "unit": "Cel", "from": 20, "to": 45, "u": 0.06, "k": 2, "drift_per_year": 0.1}}}})
	path := "/api/standards/TH-7"
	rule := order{"days": 30, "how": "in the ice bath, beside TP-1", "why": "it travels"}
	assert.Equal(t, 403, statusOf(technician.call("POST", path+"/check-rule", rule)))
	v := posted[workshop.ReferenceView](lead, path+"/check-rule", rule)
	require.NotNil(t, v.CheckDue)
	assert.Equal(t, "2026-02-01", v.CheckDue.Format("2006-01-02"), "30 days after its certificate")
	overdue := func() bool {
		return strings.Contains(strings.Join(get[workshop.TodayView](lead, "/api/today").Troubles, " "), "TH-7 Bench thermometer: its check between certificates was due")
	}
	assert.True(t, overdue())

	check := func(id string, found order) order {
		return order{"id": id, "found": found, "against": "TP-1 in one bath"}
	}
	for field, found := range map[string]order{"found.u": {"quantity": "temperature", "at": 37, "value": 37.05, "u": 0},
		"found.quantity": {"quantity": "temperature", "at": 60, "value": 60, "u": 0.05}} {
		assert.Equal(t, field, technician.problem(path+"/checks", check("check-00001", found), 422).Field)
	}
	// 59 days of 0.1 a year are 0.0162; with √(0.06² + 0.08²) = 0.1 it may be 0.1162.
	v = posted[workshop.ReferenceView](technician, path+"/checks", check("check-00001", order{"quantity": "temperature", "at": 37,
		"value": 37.1, "u": 0.08}))
	require.Len(t, v.Checks, 1)
	assert.True(t, v.Checks[0].Held)
	assert.InDelta(t, 0.1162, v.Checks[0].Allowed, 0.0002)
	assert.Equal(t, "2026-04-01", v.CheckDue.Format("2006-01-02"))
	assert.False(t, overdue())
	v = posted[workshop.ReferenceView](technician, path+"/checks", check("check-00001", order{"quantity": "temperature", "at": 37,
		"value": 37.1, "u": 0.08}))
	assert.Len(t, v.Checks, 1, "sent again it is one")

	h.now = h.now.AddDate(0, 0, 20)
	h.signedIn("Idris Vail")
	v = posted[workshop.ReferenceView](h.signedIn("Idris Vail"), path+"/checks", check("check-00002", order{"quantity": "temperature",
		"at": 37, "value": 36.85, "u": 0.08}))
	assert.False(t, v.Checks[1].Held)
	assert.Equal(t, "quarantined", v.Status)
	assert.Contains(t, v.Note, "against TP-1 in one bath")
	_, err := h.ledger.Verify()
	require.NoError(t, err)
	h.agrees(t)
}
