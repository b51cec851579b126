package api_test

import (
	"context"
	"testing"
	"time"

	"northneedle/internal/workshop"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A clock that was put back is noticed, recorded once and said on the House page, and the check of the record names each place
// where time goes back; an hour forward is nothing to say.
func TestTimeThatGoesBackIsSaid(t *testing.T) {
	h := emptyHouse(t)
	lead := h.signedIn("Tamsin Orrery")
	care := func() []string { return get[workshop.CareView](lead, "/api/house/care").Warnings }
	check := func() workshop.RecordCheck { return posted[workshop.RecordCheck](lead, "/api/house/check", order{}) }
	daily := func() {
		ctx, cancel := context.WithCancel(t.Context())
		cancel() // once, and no more
		h.shop.KeepDaily(ctx)
	}
	price := func(hour int) {
		posted[workshop.HouseView](lead, "/api/house/prices", order{"hour": hour, "litre": 1, "certificate": 1,
			"currency": "EUR"})
	}
	price(60)
	h.now = h.now.Add(time.Hour)
	price(61)
	daily()
	require.Empty(t, check().Backwards)
	before := len(care())

	h.now = h.now.Add(-40 * time.Minute)
	daily()
	price(62)
	daily()
	warned := care()
	require.Len(t, warned, before+1, "once")
	assert.Contains(t, warned[before], "The server's clock went back from 2026-03-02")
	found := check()
	assert.Empty(t, found.Broken, "it is said, and breaks nothing")
	require.Len(t, found.Backwards, 1)
	assert.Contains(t, found.Backwards[0], "This workshop's clock went back")
	assert.Contains(t, found.Backwards[0], "settings/prices")
	told, err := h.ledger.History(1, "record/clock")
	require.NoError(t, err)
	assert.Equal(t, "clock went back", told[0].Kind)

	h.now = h.now.AddDate(0, 2, 0)
	assert.Len(t, care(), before, "after a month it is in the log alone")
}
