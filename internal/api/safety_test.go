package api_test

import (
	"fmt"
	"net/url"
	"testing"

	"northneedle/core/device"
	"northneedle/internal/workshop"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestASafetyNoticeIsFollowedToEveryDevice(t *testing.T) {
	h := newHouse(t)
	lead, technician := h.signedIn("Tamsin Orrery"), h.signedIn("Idris Vail")
	notice := order{"id": "safety-ostrel-3", "number": "OS-3", "issuer": "Ostrel", "title": "Alarm not heard",
		"text":  "Exchange the board.",
		"dated": "2026-02-10", "until": "2026-03-20", "stops": true, "maker": "ostrel", "models": "V7 ventilator", "versions": "up to 2.3"}
	assert.Equal(t, 403, statusOf(technician.call("POST", "/api/safety", notice)))
	for field, wrong := range map[string]string{"dated": "2026-05-01", "until": "2026-01-01", "serials": "9 to 1",
		"versions": "3 to 2", "maker": " "} {
		bad := order{}
		for k, v := range notice {
			bad[k] = v
		}
		bad[field] = wrong
		assert.Equal(t, field, lead.problem("/api/safety", bad, 422).Field)
	}

	// Three ventilators: one is concerned by its version, one is not, and of one nobody knows.
	ventilators := h.all(t, lead, url.Values{"model": {"Ostrel V7 ventilator"}})
	require.GreaterOrEqual(t, len(ventilators), 3)
	state := func(tag string) device.State { return get[workshop.AssetView](lead, "/api/assets/"+tag).State }
	before := map[string]device.State{}
	for i, version := range []string{"2.1", "2.10", ""} {
		a := ventilators[i]
		if version != "" {
			posted[workshop.AssetView](technician, "/api/assets/"+a.ID+"/about", order{"id": "about-" + a.Tag,
				"software": version, "price": 0})
		}
		before[a.Tag] = state(a.Tag)
	}
	view := posted[workshop.SafetyView](lead, "/api/safety", notice)
	assert.Equal(t, view, posted[workshop.SafetyView](lead, "/api/safety", notice), "sent again it changes nothing")
	notice["id"] = "safety-ostrel-4"
	assert.Equal(t, "number", lead.problem("/api/safety", notice, 422).Field, "it is on record already")
	listed := map[string]workshop.SafetyListed{}
	for _, l := range view.List {
		listed[l.Tag] = l
	}
	concerned, spared, unknown := ventilators[0].Tag, ventilators[1].Tag, ventilators[2].Tag
	require.Contains(t, listed, concerned)
	assert.Empty(t, listed[concerned].Unsure)
	assert.NotContains(t, listed, spared)
	assert.Contains(t, listed[unknown].Unsure, "software version is not known")
	assert.Equal(t, device.NotToBeUsed, state(concerned))
	assert.Equal(t, device.NotToBeUsed, state(unknown), "until somebody looked")
	assert.Equal(t, before[spared], state(spared))
	assert.Contains(t, get[workshop.AssetView](lead, "/api/assets/"+concerned).Words,
		"Safety notice OS-3 of Ostrel (Alarm not heard) is open")
	assert.Contains(t, get[workshop.TodayView](lead, "/api/today").Troubles, "Safety notice OS-3 of Ostrel: "+
		fmt.Sprint(view.Open)+" of "+fmt.Sprint(view.Devices)+" devices open, to be done by 2026-03-20.")

	// Each is settled with what was done, or why it does not apply; the notice closes when none is open.
	path := "/api/safety/safety-ostrel-3"
	assert.Equal(t, "note", technician.problem(path+"/devices/"+concerned, order{"outcome": "done", "note": " "}, 422).Field)
	assert.Equal(t, "done", technician.problem(path+"/devices/"+concerned, order{"outcome": "done", "note": "Board 7",
		"done": "2026-01-02"}, 422).Field)
	assert.Equal(t, "tag", technician.problem(path+"/devices/"+spared, order{"outcome": "done", "note": "Board 7"}, 422).Field)
	assert.Equal(t, 409, statusOf(lead.call("POST", path+"/close", order{"conclusion": "Done."})))
	for tag := range listed {
		o := order{"outcome": "done", "note": "Board 7, lot 12"}
		if tag == unknown {
			o = order{"outcome": "does not apply", "note": "It shows 2.10."}
		}
		view = posted[workshop.SafetyView](technician, path+"/devices/"+tag, o)
	}
	assert.Zero(t, view.Open)
	assert.Equal(t, before[concerned], state(concerned))
	assert.Equal(t, before[unknown], state(unknown))
	posted[workshop.SafetyView](technician, path+"/devices/"+concerned, order{"outcome": "open",
		"note": "The board came back faulty."})
	assert.Equal(t, device.NotToBeUsed, state(concerned))
	posted[workshop.SafetyView](technician, path+"/devices/"+concerned, order{"outcome": "done", "note": "Board 8, lot 12"})
	assert.Equal(t, "%PDF", string(h.text(lead, path+"/paper")[:4]))
	view = posted[workshop.SafetyView](lead, path+"/close", order{"conclusion": "All boards exchanged."})
	require.NotNil(t, view.Closed)
	assert.Equal(t, 409, statusOf(technician.call("POST", path+"/devices/"+concerned, order{"outcome": "open",
		"note": "Again."})))
}
