package api_test

import (
	"net/url"
	"slices"
	"strings"
	"testing"
	"time"

	"northneedle/core/device"
	"northneedle/core/duty"
	"northneedle/core/procedure"
	"northneedle/core/run"
	"northneedle/core/runview"
	"northneedle/internal/workshop"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// plates are what is typed at the steps that record something.
type plates map[string]map[string]string

// maintain makes a run of a procedure that measures nothing, and signs it: every check is fine but the one that is named, and
// what nothing is typed of is left out.
func (c *client) maintain(tag, id string, typed plates, notFine string) runview.View {
	c.t.Helper()
	v := posted[runview.View](c, "/api/runs", order{"id": c.id() + "-" + id, "asset": tag, "procedure": id})
	for range 40 {
		at := slices.IndexFunc(v.Steps, func(s runview.StepView) bool { return !s.Done })
		switch s := v.Steps[at]; s.Kind {
		case procedure.StepCautions:
			v = c.send(v, order{"kind": "answer", "step": s.ID, "answer": "fine"})
		case procedure.StepCheck:
			answer := order{"kind": "answer", "step": s.ID, "answer": "fine"}
			if s.ID == notFine {
				answer["answer"], answer["note"] = "not fine", "does not reach 95 vol%"
			}
			v = c.send(v, answer)
		case procedure.StepRecord:
			if typed[s.ID] == nil {
				v = c.send(v, order{"kind": "skip", "step": s.ID, "reason": "no time"})
				continue
			}
			v = c.send(v, order{"kind": "plate", "step": s.ID, "values": typed[s.ID]})
		case procedure.StepAct:
			v = c.send(v, order{"kind": "do", "step": s.ID})
		default:
			return c.send(v, order{"kind": "sign", "statement": v.Statement, "reviewer": "tamsin"})
		}
	}
	require.FailNow(c.t, "the run has no end")
	return v
}

// kit is what is typed while a part kit is fitted.
func kit(hours string) plates {
	return plates{
		"before-it-is-opened": {"hours": hours, "software": "4.2", "instruction": "SI 118, 3"},
		"parts-of-the-kit": {"kit-number": "OS-K24", "kit-lot": "K 2204", "inlet-filter-number": "OS-F1", "fan-filter-number": "OS-F2",
			"membrane-number": "OS-M7", "membrane-lot": "M 0915", "clock-battery-number": "OS-B3", "clock-battery-lot": "B 77"},
	}
}

// A part kit is fitted by a run: its parts stand on the device and on its paper with their numbers, the hours count from what
// the counter showed, and what the repair demands is due. It brings nothing back into use.
func TestPartsAreFittedByARun(t *testing.T) {
	h := newHouse(t)
	c := h.signedIn("Idris Vail")
	tag := firstOf(t, c, "ventilator", 1)
	c.problem("/api/activities/"+recurring(t, get[workshop.AssetView](c, "/api/assets/"+tag), "Part kit").ID,
		order{"id": c.id() + "-done", "kind": "done", "on": h.now.Format(time.DateOnly), "reason": "done"}, 422)
	v := c.maintain(tag, "ventilator-part-kit", kit("12480"), "")
	assert.Equal(t, run.Maintained, v.Result)
	a := get[workshop.AssetView](c, "/api/assets/"+tag)
	parts := recurring(t, a, "Part kit")
	assert.Equal(t, duty.Valid, parts.Status)
	assert.Zero(t, parts.Used)
	require.NotNil(t, parts.Counter)
	assert.Equal(t, 12480.0, parts.Counter.Shows)
	require.Len(t, a.Fitted, 5)
	for part, n := range map[string]int{"K 2204": 1, "k2204": 1, "os-f1": 1, "K": 0, "OS": 0} {
		assert.Len(t, h.all(t, c, url.Values{"part": {part}}), n, "devices with %s", part)
	}
	titles := []string{}
	for _, f := range a.Fitted {
		titles = append(titles, f.Part+" "+f.Number+" "+f.Lot)
	}
	assert.Contains(t, titles, "Expiratory membrane OS-M7 M 0915")
	assert.Contains(t, titles, "Gas inlet filter OS-F1 ")
	assert.Equal(t, "4.2", a.About.Software, "read in the run")
	assert.True(t, a.Stop, "a repair is verified before the device is used")
	assert.Contains(t, recurring(t, a, "Ventilator, performance verification").Words, "The casing was opened to fit the part kit")
	assert.Contains(t, recurring(t, a, "Electrical safety in service").Words, "repair")

	if said := strings.Join(strings.Fields(words(t, h.text(c, "/api/runs/"+v.ID+"/certificate.pdf"))), " "); said != "" {
		for _, want := range []string{"Maintenance record", "Done. Nothing was measured: no statement of conformity",
			"2 × Gas inlet filter (order number OS-F1)", "Expiratory membrane (order number OS-M7, lot or serial number M 0915)",
			"The counter showed 12480 hours", "Hours on the counter: 12480 hours"} {
			assert.Contains(t, said, want)
		}
		assert.NotContains(t, said, "Verification certificate")
		assert.NotContains(t, said, "As found")
	}

	// The counter goes on from there: typed by hand, it makes the kit due again when it is used up.
	count := func(shows float64, more order) order {
		o := order{"id": c.id() + "-count", "kind": "use", "shows": shows}
		for k, v := range more {
			o[k] = v
		}
		return o
	}
	at := "/api/activities/" + parts.ID
	counted := recurring(t, posted[workshop.AssetView](c, at, count(21980, nil)), "Part kit")
	assert.Equal(t, 9500.0, counted.Used)
	assert.Equal(t, duty.Expiring, counted.Status)
	assert.Equal(t, "reason", c.problem(at, count(300, nil), 422).Field, "it shows less than before")
	counted = recurring(t, posted[workshop.AssetView](c, at, count(300, order{"reason": "new main board, counter at 0"})), "Part kit")
	assert.Equal(t, 9800.0, counted.Used, "what it counted before stays")
	assert.True(t, slices.ContainsFunc(get[workshop.AssetView](c, "/api/assets/"+tag).Notes, func(n workshop.ActivityNoteView) bool {
		return n.Text == "the counter shows 300 hours: new main board, counter at 0"
	}))
	counted = recurring(t, posted[workshop.AssetView](c, at, count(520, nil)), "Part kit")
	assert.Equal(t, 10020.0, counted.Used)
	assert.Equal(t, duty.Expired, counted.Status)
	require.NotNil(t, counted.DueOn)
	assert.LessOrEqual(t, counted.Days, 0, "used up, it is due now")
	assert.Contains(t, counted.Reason, "used up: 10020 of 10000 hours")
}

// What measures nothing is fitted in a device that is not to be used, and leaves it so; a counter that is set back counts from
// nothing; software of another version than was known undoes what depends on it.
func TestWhatMeasuresNothingBringsNothingBack(t *testing.T) {
	h := newHouse(t)
	c := h.signedIn("Idris Vail")
	tag := firstOf(t, c, "ventilator", 1)
	path := "/api/assets/" + tag
	out := posted[workshop.AssetView](c, path+"/whereabouts", order{"to": "out of use", "reason": "waits for parts"})
	require.Equal(t, device.OutOfUse, out.State)
	c.maintain(tag, "battery-exchange", plates{"before-it-is-changed": {"where": "door", "why": "it does not hold"},
		"the-new-battery": {"battery-number": "OS-B9", "battery-lot": "B 12"}}, "")
	a := get[workshop.AssetView](c, path)
	assert.Equal(t, device.OutOfUse, a.State, a.Words)
	assert.Contains(t, a.Words, "waits for parts")

	without := c.maintain(tag, "battery-exchange", plates{"before-it-is-changed": {"where": "door", "why": "it does not hold"}}, "")
	assert.Equal(t, run.NotComplete, without.Result, "which battery went in was left out")
	require.Len(t, get[workshop.AssetView](c, path).Fitted, 1)

	gas := firstOf(t, c, "blood-gas-analyser", 1)
	path = "/api/assets/" + gas
	pump := recurring(t, get[workshop.AssetView](c, path), "Peristaltic pump")
	posted[workshop.AssetView](c, "/api/activities/"+pump.ID, order{"id": c.id() + "-use", "kind": "use", "shows": pump.Used + 40})
	v := c.maintain(gas, "blood-gas-pump", plates{"before-it-is-replaced": {"samples": "5210"},
		"the-new-pump": {"pump-number": "TQ-P1", "pump-lot": "P 31"}}, "")
	assert.Contains(t, v.Statement, "showed 5210 samples and was set back to 0")
	a = get[workshop.AssetView](c, path)
	pump = recurring(t, a, "Peristaltic pump")
	assert.Zero(t, pump.Used)
	assert.Zero(t, pump.Counter.Shows)
	counted := posted[workshop.AssetView](c, "/api/activities/"+pump.ID, order{"id": c.id() + "-use", "kind": "use", "shows": 12})
	pump = recurring(t, counted, "Peristaltic pump")
	assert.Equal(t, 12.0, pump.Used)
	assert.True(t, a.Stop)
	assert.Contains(t, recurring(t, a, "Electronic reference").Words, "The pump was replaced")
	h.agrees(t)
}

// What was noted by hand before there was a procedure gets it when the workshop begins; its days and intervals stay.
func TestMaintenanceNotedByHandGetsItsProcedure(t *testing.T) {
	h := newHouse(t)
	c := h.signedIn("Idris Vail")
	path := "/api/assets/" + firstOf(t, c, "ventilator", 1)
	now := recurring(t, get[workshop.AssetView](c, path), "Part kit")
	h.edit(t, "UPDATE activities SET procedure = '', duty = json_remove(duty, '$.procedure', '$.maintains') WHERE id LIKE '%-parts'")
	before := recurring(t, get[workshop.AssetView](c, path), "Part kit")
	require.Empty(t, before.Procedure)
	again := &workshop.Workshop{Ledger: h.ledger, Bench: h.shop.Bench, Procedures: h.shop.Procedures, Duties: h.shop.Duties,
		Clock: h.shop.Clock}
	again.Begin()
	t.Cleanup(again.End)
	assert.Equal(t, now, recurring(t, get[workshop.AssetView](c, path), "Part kit"))
}
