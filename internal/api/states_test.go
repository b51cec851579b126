package api_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"northneedle/core/device"
	"northneedle/core/run"
	"northneedle/core/runview"
	"northneedle/internal/workshop"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A device stands the same wherever it is shown: one that failed and waits for review, and those whose newest run rested on
// a reference that was found out.
func TestEveryPlaceSaysTheSameOfADevice(t *testing.T) {
	h := newHouse(t)
	c := h.signedIn("Tamsin Orrery")
	_, register := c.call("GET", "/api/lists/equipment?format=csv", nil)
	_, due := c.call("GET", "/api/lists/due?format=csv", nil)
	type standing struct {
		state device.State
		words string
		label string
	}
	all := map[string]standing{}
	for _, r := range get[workshop.TodayView](c, "/api/today").Review {
		if r.Result == run.Fails {
			all[r.Tag] = standing{device.NotToBeUsed, "not countersigned yet", "NOT TO BE USED"}
		}
	}
	for _, touched := range get[workshop.LookBackView](c, "/api/look-backs/look-back-HG-19").Touched {
		newest := get[workshop.AssetView](c, "/api/assets/"+touched.Tag)
		at := slices.IndexFunc(newest.History,
			func(h workshop.HistoryView) bool { return h.Title != "Electrical safety in service" })
		if touched.Changed > 0 && at >= 0 && newest.History[at].ID == touched.Run && !newest.Stop {
			all[touched.Tag] = standing{device.InDoubt, "HG-19", "IN DOUBT"}
		}
	}
	require.Len(t, all, 2, "one of each: %v", all)
	for tag, want := range all {
		page := get[workshop.AssetView](c, "/api/assets/"+tag)
		assert.Equal(t, want.state, page.State, "%s: %s", tag, page.Words)
		assert.Contains(t, page.Words, want.words, tag)
		listed := get[workshop.AssetPageView](c, "/api/assets?search="+tag)
		require.Len(t, listed.Assets, 1)
		assert.Equal(t, page.Standing, listed.Assets[0].Standing)
		for name, csv := range map[string]string{"register": string(register), "due": string(due)} {
			for line := range strings.Lines(csv) {
				if strings.HasPrefix(line, tag+",") {
					assert.Contains(t, line, string(want.state), "%s of %s", name, tag)
				}
			}
		}
		if _, pdf := c.call("GET", "/api/labels.pdf?tag="+tag, nil); words(t, pdf) != "" {
			assert.Contains(t, words(t, pdf), want.label, tag)
			_, history := c.call("GET", "/api/assets/"+tag+"/history.pdf", nil)
			assert.Contains(t, words(t, history), string(want.state), tag)
			_, round := c.call("GET", "/api/inspection.pdf?site="+strings.ReplaceAll(page.Site, " ", "+"), nil)
			assert.Contains(t, strings.Join(strings.Fields(words(t, round)), " "), want.words, tag)
		}
	}
	_, calendar := c.call("GET", posted[workshop.NewToken](c, "/api/tokens", order{"kind": "calendar"}).Secret, nil)
	events := strings.Split(strings.ReplaceAll(string(calendar), "\r\n ", ""), "BEGIN:VEVENT")
	for tag, want := range all {
		for _, event := range events {
			if strings.Contains(event, "SUMMARY:"+tag+" ") {
				assert.Contains(t, event, string(want.state), tag)
			}
		}
		page := get[workshop.AssetView](c, "/api/assets/"+tag)
		bench := get[runview.View](c, "/api/runs/"+page.History[0].ID)
		require.NotNil(t, bench.Stands)
		assert.Equal(t, page.Standing, *bench.Stands, "on the bench")
	}
	today := get[workshop.TodayView](c, "/api/today")
	require.NotEmpty(t, today.Review)
	for _, r := range today.Review {
		assert.Equal(t, get[workshop.AssetView](c, "/api/assets/"+r.Asset).Standing, *r.Stands)
	}
	for _, d := range append(today.Overdue, today.Due...) {
		assert.Equal(t, get[workshop.AssetView](c, "/api/assets/"+d.Asset).Standing, d.Standing)
	}
	counted := 0
	for _, s := range get[workshop.ReportView](c, "/api/report").States {
		counted += s.Devices
	}
	assert.Positive(t, counted)

	// That its reviewer gives a failed run back lifts nothing, nor that it is given up then.
	for tag, want := range all {
		failed := get[workshop.AssetView](c, "/api/assets/"+tag)
		if want.state != device.NotToBeUsed {
			continue
		}
		v := get[runview.View](c, "/api/runs/"+failed.History[0].ID)
		v = c.send(v, order{"kind": "return", "reason": "The third point again, please."})
		back := get[workshop.AssetView](c, "/api/assets/"+tag)
		assert.Equal(t, device.NotToBeUsed, back.State, back.Words)
		assert.Contains(t, back.Words, "given back by its reviewer and not signed again")
		h.signedIn(v.OpenedBy.Name).send(v, order{"kind": "abandon", "reason": "I do not like it."})
		back = get[workshop.AssetView](c, "/api/assets/"+tag)
		assert.Equal(t, device.NotToBeUsed, back.State, back.Words)
	}

	// What is not to be used is opened by what can lift it, and by nothing else.
	vent := firstOf(t, c, "ventilator", 2)
	posted[workshop.AssetView](c, "/api/assets/"+vent+"/events", map[string]any{"id": c.id() + "-repair", "kind": "repair",
		"text": "a valve was changed"})
	order := map[string]any{"id": c.id() + "-open", "asset": vent, "procedure": "ventilator-pre-use"}
	refused := c.problem("/api/runs", order, 409)
	assert.Contains(t, refused.Detail, "is not to be used")
	assert.Contains(t, refused.Detail, "opened: Ventilator, performance verification")
	order["procedure"] = "ventilator-performance"
	status, body := c.call("POST", "/api/runs", order)
	assert.Equal(t, 200, status, string(body))
}

// A device in each state stands so in every place that shows it: its page, the register, the search, the list, its label, its
// history, the inspection, the calendar, the counts of the report, the bench, and the check of its certificate.
func TestEveryStateIsTheSameEverywhere(t *testing.T) {
	h := newHouse(t)
	c := h.signedIn("Tamsin Orrery")
	list := "tag,serial,maker,model,family,site,place,status,risk,last_done,months,next_due\n"
	for i, row := range []string{"retired,4,2025-11-20,12,2026-11-20", "out of use,4,2025-11-20,12,2026-11-20",
		"in use,4,2025-11-20,12,2026-11-20", "in use,4,2025-11-20,12,2026-11-20", "in use,4,2025-11-20,12,2026-11-20",
		"in use,4,2025-02-20,12,2026-02-20", "in use,4,2025-03-10,12,2026-03-10", "in use,4,2025-11-20,12,2026-11-20",
		"not yet accepted,4,,12,", "in use,4,2025-11-20,12,2026-11-20"} {
		list += fmt.Sprintf("ST-%d,S%d,Ostrel,C2 capnograph,capnograph,Quillet Island Clinic,Room %d,%s\n", i, i, i, row)
	}
	read := c.takesIn(t, "assets", list)
	require.Empty(t, read.Refused)
	posted[workshop.AssetView](c, "/api/assets/ST-2/faults", order{"id": "states-0001", "what": "no display"})
	posted[workshop.AssetView](c, "/api/assets/ST-3/events", order{"id": "states-0002", "kind": "fall",
		"text": "from a trolley"})
	posted[workshop.AssetView](c, "/api/assets/ST-4/whereabouts", order{"to": "lent", "whom": "Ward 12",
		"reason": "short of one"})
	waits, err := h.ledger.Asset("ST-7")
	require.NoError(t, err)
	h.until = "review"
	h.work(t, waits, "capnograph-oximeter-verification")
	want := map[string]device.State{"ST-0": device.Retired, "ST-1": device.OutOfUse, "ST-2": device.NotToBeUsed,
		"ST-3": device.InDoubt, "ST-4": device.AwayFrom, "ST-5": device.Overdue, "ST-6": device.Due,
		"ST-7": device.WaitingForReview, "ST-8": device.NotYetAccepted, "ST-9": device.InUse}
	for _, row := range h.rows(c, "equipment") {
		if row["stands"] == string(device.NotEveryTest) {
			want[row["tag"]] = device.NotEveryTest
		}
	}
	require.Len(t, want, len(device.States), "one of each: %v", want)

	listed := map[string]map[string]string{}
	for _, row := range h.rows(c, "equipment") {
		listed[row["tag"]] = row
	}
	_, calendar := c.call("GET", posted[workshop.NewToken](c, "/api/tokens", order{"kind": "calendar"}).Secret, nil)
	events := strings.Split(strings.ReplaceAll(string(calendar), "\r\n ", ""), "BEGIN:VEVENT")
	site := strings.Join(strings.Fields(words(t, h.text(c, "/api/inspection.pdf?site=Quillet+Island+Clinic"))), " ")
	counted := map[device.State]int{}
	for _, s := range get[workshop.ReportView](c, "/api/report").States {
		counted[s.State] = s.Devices
	}
	all := map[device.State]int{}
	for tag, state := range want {
		page := get[workshop.AssetView](c, "/api/assets/"+tag)
		require.Equal(t, state, page.State, "%s: %s", tag, page.Words)
		assert.Equal(t, state.Stop(), page.Stop, tag)
		found := get[workshop.AssetPageView](c, "/api/assets?search="+tag+"&state="+strings.ReplaceAll(string(state), " ", "+"))
		require.Len(t, found.Assets, 1, "%s by its state", tag)
		assert.Equal(t, page.Standing, found.Assets[0].Standing)
		assert.Equal(t, string(state), listed[tag]["stands"])
		if state != device.InUse {
			assert.Contains(t, listed[tag]["why"], page.Words)
		}
		label := strings.Join(strings.Fields(words(t, h.text(c, "/api/labels.pdf?tag="+tag))), " ")
		assert.Equal(t, page.Stop, strings.Contains(label, "NOT TO BE USED"), "%s: %s", tag, label)
		assert.Equal(t, state == device.InDoubt, strings.Contains(label, "IN DOUBT"), "%s: %s", tag, label)
		if page.Stop || state == device.InDoubt {
			assert.NotContains(t, label, "due", "%s has no day until which it holds: %s", tag, label)
		}
		assert.Contains(t, words(t, h.text(c, "/api/assets/"+tag+"/history.pdf")), string(state), tag)
		if page.Site == "Quillet Island Clinic" {
			assert.Equal(t, state != device.Retired, strings.Contains(site, tag), tag)
			if state != device.Retired && state != device.InUse {
				assert.Contains(t, site, string(state), tag)
			}
		}
		for _, event := range events {
			if strings.Contains(event, "SUMMARY:"+tag+" ") {
				assert.NotEqual(t, device.Retired, state, "nothing of what is gone is due")
				assert.Contains(t, strings.ReplaceAll(event, "\\,", ","), string(state), tag)
			}
		}
		if len(page.Procedures) > 0 && page.Procedures[0].ID == "capnograph-oximeter-verification" {
			status, body := c.call("POST", "/api/runs", order{"id": "states-open-" + tag, "asset": tag,
				"procedure": page.Procedures[0].ID})
			if state == device.Retired {
				assert.Equal(t, 409, status, string(body))
				continue
			}
			require.Equal(t, 200, status, "%s: %s", tag, body)
			bench := decoded[runview.View](t, string(body))
			require.NotNil(t, bench.Stands)
			assert.Equal(t, get[workshop.AssetView](c, "/api/assets/"+tag).Standing, *bench.Stands, "on the bench")
		}
	}
	for _, row := range listed {
		all[device.State(row["stands"])]++
	}
	for _, state := range device.States {
		if state != device.Retired {
			assert.Equal(t, all[state], counted[state], "in the report: %s", state)
		}
	}
}
