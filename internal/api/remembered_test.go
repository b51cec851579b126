package api_test

import (
	"testing"

	"northneedle/internal/ledger"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Whatever is remembered, and whatever plan stands, a server that has been asked before
// says what one that was started anew says: after every kind of change that they rest on,
// made through this server or beside it.
func TestWhatIsRememberedIsWhatAServerStartedAnewSays(t *testing.T) {
	h := newHouse(t)
	lead := h.signedIn("Tamsin Orrery")
	day := h.now.AddDate(0, 0, 1).Format("2006-01-02")
	addresses := []string{"/api/today", "/api/assets", "/api/assets?search=ostrel", "/api/standards", "/api/look-backs",
		"/api/intervals", "/api/rounds/" + day, "/api/workload", "/api/report"}
	said := func() map[string]string {
		all := map[string]string{}
		for _, address := range addresses {
			status, text := lead.call("GET", address, nil)
			require.Equal(t, 200, status, address)
			all[address] = string(text)
		}
		return all
	}
	before := said()
	changed, act := map[string]bool{}, ledger.Act{Kind: "changed", By: ledger.Nobody, At: h.now}
	for name, change := range map[string]func(){
		"the ways": func() {
			var lab map[string]any
			require.NoError(t, h.ledger.Setting("day", &lab))
			lab["within"] = 17
			require.NoError(t, h.ledger.SetSetting(act, "day", lab))
		},
		"the prices": func() {
			require.NoError(t, h.ledger.SetSetting(act, "prices",
				map[string]any{"currency": "x", "hour": 99, "litre": 1, "certificate": 5}))
		},
		"a due day": func() {
			due, err := h.ledger.DueUntil(ledger.DueFilter{}, h.now.AddDate(0, 1, 0), 3)
			require.NoError(t, err)
			a := due[0].Activity
			a.DueOn = h.now.AddDate(2, 0, 0)
			require.NoError(t, h.ledger.Save(&a))
		},
		"a reference": func() {
			s, err := h.ledger.Standard("HG-22")
			require.NoError(t, err)
			require.NoError(t, h.ledger.SetStandardStatus(act, s.ID, "quarantined", "dropped"))
		},
		"a device": func() {
			a, err := h.ledger.Asset("MB-0417")
			require.NoError(t, err)
			a.Place = "Theatre 9"
			require.NoError(t, h.ledger.Save(&a))
		},
		"a look-back closed": func() {
			open, err := h.ledger.LookBacks(false, 1)
			require.NoError(t, err)
			require.NotEmpty(t, open)
			open[0].ClosedAt = &h.now
			require.NoError(t, h.ledger.SaveLookBack(act, &open[0].LookBack))
		},
		"somebody who left": func() {
			everyone, err := h.ledger.People()
			require.NoError(t, err)
			for _, p := range everyone {
				if p.Name == "Noor Bexley" {
					p.Active = false
					require.NoError(t, h.ledger.Save(&p))
				}
			}
		},
		"a device that another program entered": func() {
			beside, err := ledger.Open(h.folder)
			require.NoError(t, err)
			defer beside.Close()
			a := ledger.Asset{
				ID:     "beside",
				Tag:    "AA-0001",
				Maker:  "Ostrel",
				Model:  "C2 capnograph",
				Family: "capnograph",
				Status: ledger.InUse,
				Risk:   3,
				Search: "aa-0001 ostrel",
			}
			require.NoError(t, beside.Save(&a))
		},
	} {
		change()
		warm := said()
		again, err := ledger.Open(h.folder)
		require.NoError(t, err)
		anew := houseOf(t, t.TempDir(), again).signedIn("Tamsin Orrery")
		for _, address := range addresses {
			_, fresh := anew.call("GET", address, nil)
			assert.True(t, string(fresh) == warm[address], "%s: %s is not what a new server says", name, address)
			changed[address] = changed[address] || warm[address] != before[address]
		}
		before = warm
		require.NoError(t, again.Close())
	}
	for _, address := range []string{"/api/today", "/api/assets", "/api/standards", "/api/look-backs",
		"/api/rounds/" + day, "/api/report"} {
		assert.True(t, changed[address], "%s: nothing here changes it", address)
	}
}
