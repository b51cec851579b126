package api_test

import (
	"fmt"
	"testing"
	"time"

	"northneedle/core/run"
	"northneedle/internal/ledger"
	"northneedle/internal/workshop"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A day is the day where the workshop is, however far from Greenwich, also when the server
// was started anew, and wherever the browser is: days travel as dates.
func TestADayIsTheDayWhereTheWorkshopIs(t *testing.T) {
	for _, hours := range []int{13, 1, -8} {
		t.Run(fmt.Sprintf("%+d h", hours), func(t *testing.T) {
			zone := time.FixedZone("", hours*3600)
			before := time.Local
			time.Local = zone
			defer func() { time.Local = before }()
			h := newHouse(t)
			h.now = time.Date(2026, 6, 10, 7, 30, 0, 0, zone)
			lead := h.signedIn("Tamsin Orrery")

			tag := firstOf(t, lead, "audiometer", 0)
			check := recurring(t, get[workshop.AssetView](lead, "/api/assets/"+tag), "Audiometer, objective check")
			put := recurring(t, posted[workshop.AssetView](lead, "/api/activities/"+check.ID, map[string]any{
				"id":     "order-0001",
				"kind":   "defer",
				"on":     "2026-06-20",
				"reason": "ward closed",
			}), check.Title)
			assert.Contains(t, put.Words, "to 2026-06-20 by")
			assert.Equal(t, 10, put.Days)
			done := posted[workshop.AssetView](lead, "/api/activities/"+check.ID, map[string]any{
				"id":     "order-0002",
				"kind":   "done",
				"on":     "2026-06-10",
				"reason": "by the meter",
			})
			assert.Equal(t, "Valid until 2026-09-10", recurring(t, done, check.Title).Words)

			body := certificate("K-9001", 360, co2(5.02, 0.05))
			body["on"], body["due_on"] = "2026-06-01", "2026-06-11"
			posted[any](lead, "/api/standards/HG-22/certificates",
				map[string]any{"id": "certificate-9001", "certificate": body})
			for _, s := range get[[]workshop.StandardView](lead, "/api/standards?kind=gas") {
				if s.Tag == "HG-22" {
					assert.Equal(t, "2026-06-01 to 2026-06-11",
						s.Certificate.On.Format(time.DateOnly)+" to "+s.Certificate.DueOn.Format(time.DateOnly))
					assert.Equal(t, 1, s.Days)
				}
			}

			scale := firstOf(t, lead, "patient-scale", 1)
			device, err := h.ledger.Asset(scale)
			require.NoError(t, err)
			h.work(t, device, "patient-scale-verification")
			r := get[workshop.AssetView](lead, "/api/assets/"+scale).History[0]
			_, first := lead.call("GET", "/api/runs/"+r.ID+"/certificate.pdf", nil)
			next := recurring(t, get[workshop.AssetView](lead, "/api/assets/"+scale), "Patient scale, verification")
			assert.Equal(t, "Valid until 2027-06-10", next.Words)

			again, err := ledger.Open(h.folder) // as a server that was started anew
			require.NoError(t, err)
			defer again.Close()
			signed, err := again.Run(r.ID)
			require.NoError(t, err)
			assert.Equal(t, "2026-06-10", signed.Signature.At.Format(time.DateOnly))
			assert.Equal(t, run.Signed, signed.Status)
			anew := houseOf(t, h.folder, again).signedIn("Tamsin Orrery")
			_, second := anew.call("GET", "/api/runs/"+r.ID+"/certificate.pdf", nil)
			assert.Equal(t, first, second, "the certificate has the same days, and the same bytes")
		})
	}
}
