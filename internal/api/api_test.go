package api_test

import (
	"bufio"
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"strings"
	"sync"
	"testing"
	"time"

	"northneedle/internal/api"
	"northneedle/internal/instrument"
	"northneedle/internal/workshop"

	"northneedle/core/procedure"
	"northneedle/core/run"
	"northneedle/core/runview"
	"northneedle/internal/exchange"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// One house serves all of these: filling it takes longer than any of them.
func TestAPI(t *testing.T) {
	h := newHouse(t)
	for name, test := range map[string]func(*testing.T, *house){
		"nobody gets past the sign-in":          nobodyGetsPast,
		"who may do what":                       whoMayDoWhat,
		"a capnograph to its certificate":       capnographToCertificate,
		"a reading over the link":               readingOverTheLink,
		"a retry and a stale screen":            retryAndStale,
		"what cannot be read":                   whatCannotBeRead,
		"two at once":                           twoAtOnce,
		"the register":                          register,
		"the demo is the scenario":              demoIsTheScenario,
		"changes are told":                      changesAreTold,
		"other sites are kept out":              otherSites,
		"the description is what is registered": description,
	} {
		h.t = t
		t.Run(name, func(t *testing.T) {
			h.t = t
			test(t, h)
		})
	}
	n, err := h.ledger.Verify()
	require.NoError(t, err)
	assert.Greater(t, n, 1000)
}

func nobodyGetsPast(t *testing.T, h *house) {
	c := h.client()
	for _, path := range []string{"/api/today", "/api/assets", "/api/assets/MB-0417", "/api/standards", "/api/bench",
		"/api/changes", "/api/runs/x", "/api/runs/x/certificate.pdf", "/api/runs/x/record.json", "/api/runs/x/live",
		"/api/reviewers", "/openapi.json", "/openapi.yaml", "/schemas/procedure.json", "/api/nothing"} {
		status, body := c.call("GET", path, nil)
		assert.Equal(t, 401, status, path)
		assert.Contains(t, string(body), "Sign in first")
	}
	for _, path := range []string{"/api/runs", "/api/runs/x/commands", "/api/assets", "/api/stand-ins/gas-bench"} {
		status, _ := c.call("POST", path, order{})
		assert.Equal(t, 401, status, path)
	}
	status, body := c.call("POST", "/api/session", order{"name": "Idris Vail", "password": "wrong"})
	assert.Equal(t, 401, status)
	assert.Contains(t, string(body), "do not go together")
	session := get[workshop.SessionView](c, "/api/session")
	assert.Nil(t, session.Person)
	assert.Len(t, session.Demo, 6)
	for range 10 {
		status, _ = c.call("POST", "/api/session", order{"name": "mallory", "password": "guess"})
	}
	assert.Equal(t, 429, status, "guessing is slowed down")

	in := h.signedIn("Idris Vail")
	assert.Equal(t, "Idris Vail", get[workshop.SessionView](in, "/api/session").Person.Name)
	assert.NotEmpty(t, get[map[string]any](in, "/schemas/procedure.json")["$defs"])
	status, _ = in.call("DELETE", "/api/session", nil)
	assert.Equal(t, 204, status)
	status, _ = in.call("GET", "/api/today", nil)
	assert.Equal(t, 401, status)
}

func whoMayDoWhat(t *testing.T, h *house) {
	manager, technician, lead := h.signedIn("Odile Marsh"), h.signedIn("Idris Vail"), h.signedIn("Tamsin Orrery")
	status, body := manager.call("POST", "/api/runs", order{"id": manager.id(), "asset": "MB-0417"})
	assert.Equal(t, 403, status, string(body))
	status, _ = manager.call("POST", "/api/assets", order{
		"tag":    "ZZ-1",
		"serial": "1",
		"maker":  "Ostrel",
		"model":  "C2",
		"family": "capnograph",
		"site":   "s",
		"place":  "p",
		"risk":   3,
	})
	assert.Equal(t, 403, status)

	review := get[workshop.TodayView](lead, "/api/today").Review
	require.Len(t, review, 1)
	v := get[runview.View](technician, "/api/runs/"+review[0].ID)
	assert.Equal(t, run.Fails, v.Result)
	technician.refused(v, order{"kind": "review"}, 403, "lead-only", "Only a lead")
	signed := lead.send(v, order{"kind": "review", "note": "agreed"})
	assert.Equal(t, run.Signed, signed.Status)
	asset := get[workshop.AssetView](technician, "/api/assets/"+review[0].Tag)
	assert.Equal(t, "out of use", string(asset.State), "a device that fails leaves use")

	run := technician.open(firstOf(t, technician, "capnograph", 5))
	technician.refused(run, order{"kind": "bind", "role": "finger", "standard": "FS-2"}, 409, "unfit-standard",
		"ran out")
	technician.refused(run, order{
		"kind":     "bind",
		"role":     "finger",
		"standard": "FS-2",
		"reason":   "the only one here",
	}, 403, "lead-only", "Only a lead")
	run = lead.send(run, order{
		"kind":     "bind",
		"role":     "finger",
		"standard": "FS-2",
		"reason":   "as found before it travels",
	})
	assert.NotEmpty(t, run.Roles[3].Override)
}

// firstOf is the tag of one of a family's devices.
func firstOf(t *testing.T, c *client, family string, i int) string {
	t.Helper()
	path := "/api/assets?family=" + family
	if family == "capnograph" {
		path += "&search=c2" // those that show a fraction
	}
	page := get[workshop.AssetPageView](c, path)
	require.Greater(t, len(page.Assets), i)
	return page.Assets[i].Tag
}

func capnographToCertificate(t *testing.T, h *house) {
	c := h.signedIn("Noor Bexley")
	before := get[workshop.AssetView](c, "/api/assets/MB-0417")
	assert.Less(t, before.Days, 0, "it is overdue")
	v := c.toMeasuring(c.open("mb-0417"))
	assert.Contains(t, get[workshop.BenchState](c, "/api/bench").OpenItems[len(get[workshop.BenchState](c,
		"/api/bench").OpenItems)-1].What, "Gas open")
	type entry struct{ measure, point, typed string }
	readAll := func(entries ...entry) {
		for _, e := range entries {
			v = c.send(v, order{"kind": "capture", "measure": e.measure, "point": e.point, "typed": e.typed})
		}
	}
	readAll(entry{"co2", "room-air", "0,04"}, entry{"co2", "5", "4.55"}, entry{"co2", "10", "9.10"},
		entry{"rate", "6-min", "6"}, entry{"rate", "12-min", "12"}, entry{"rate", "30-min", "30"})
	v = c.send(v, order{"kind": "close-phase", "finding": "co2-finding"})
	require.Equal(t, "adjust", string(v.Findings[0].Advice.Decision), v.Findings[0].Advice.Why)
	v = c.send(v, order{"kind": "decide", "finding": "co2-finding", "decision": "adjust"})
	v = c.send(v, order{
		"kind":    "adjust",
		"finding": "co2-finding",
		"control": "span",
		"steps":   v.Findings[0].Advice.Moves[0].Steps,
	})
	c.refused(v, order{
		"kind":    "capture",
		"measure": "rate",
		"point":   "6-min",
		"typed":   "6",
	}, 409, "not-affected", "not touched by the adjustment")
	readAll(entry{"co2", "room-air", "0.04"}, entry{"co2", "5", "5.01"}, entry{"co2", "10", "10.02"})
	v = c.send(v, order{"kind": "close-phase", "finding": "co2-finding"})
	v = c.send(v, order{"kind": "decide", "finding": "co2-finding", "decision": "leave"})
	v = c.send(v, order{"kind": "do", "step": "close-both-gas-cylinders"})
	v = c.send(v, order{"kind": "plate", "step": "curve-of-the-simulator", "values": map[string]string{"curve": "R-2",
		"simulator_own": "0.5"}})
	for _, check := range []string{"sampling-adapter-taken-off", "simulator-curve-matches-the-probe"} {
		c.refused(v, order{
			"kind":    "capture",
			"measure": "spo2",
			"point":   "97",
			"typed":   "97",
		}, 409, "out-of-order", "comes before SpO₂")
		v = c.send(v, order{"kind": "answer", "step": check, "answer": "fine"})
	}
	for _, m := range v.Measures[2:] {
		for _, p := range m.Points {
			readAll(entry{m.ID, p.ID, strings.TrimSuffix(strings.TrimSuffix(p.Label, " %"), " /min")})
		}
	}
	v = c.send(v, order{"kind": "close-phase", "finding": "oximeter-finding"})
	v = c.send(v, order{"kind": "decide", "finding": "oximeter-finding", "decision": "leave"})
	c.refused(v, order{"kind": "sign", "statement": "Done."}, 409, "not-finished",
		"Service menu entered: still a loose end")
	for _, s := range v.Steps {
		if s.Kind == procedure.StepCheck && !s.Done {
			v = c.send(v, order{"kind": "answer", "step": s.ID, "answer": "fine"})
		}
	}
	status, _ := c.call("GET", "/api/runs/"+v.ID+"/certificate.pdf", nil)
	assert.Equal(t, 409, status, "an unsigned run has no certificate")
	v = c.send(v, order{"kind": "sign", "statement": "Adjusted and verified."})
	assert.Equal(t, run.ConformsAdjusted, v.Result)

	after := get[workshop.AssetView](c, "/api/assets/MB-0417")
	assert.Equal(t, h.now.AddDate(1, 0, 0).Format(time.DateOnly), after.DueOn.Format(time.DateOnly),
		"the next date is set")
	assert.Contains(t, after.Activities[0].Reason, "12 months after")
	for _, d := range get[workshop.TodayView](c, "/api/today").Overdue {
		assert.NotEqual(t, "MB-0417", d.Tag, "Today reflects it")
	}
	papers(t, c, v)
	_, pdf := c.call("GET", "/api/labels.pdf?tag=MB-0417", nil)
	if said := words(t, pdf); said != "" {
		assert.Contains(t, said, "agrees with the simulator's curve R-2", "the label says no more than was shown")
	}
}

// papers looks at the certificate, the record and the points of a signed run.
func papers(t *testing.T, c *client, v runview.View) {
	status, pdf := c.call("GET", "/api/runs/"+v.ID+"/certificate.pdf", nil)
	assert.Equal(t, 200, status)
	assert.True(t, strings.HasPrefix(string(pdf), "%PDF-"))
	record := get[exchange.Record](c, "/api/runs/"+v.ID+"/record.json")
	assert.Equal(t, exchange.Format, record.Format)
	assert.Len(t, record.Events, v.Seq)
	assert.Equal(t, record.Events[0].Hash, record.Events[1].Prev)
	_, csv := c.call("GET", "/api/runs/"+v.ID+"/points.csv", nil)
	assert.Len(t, lines(csv), 1+14+3, "a heading, every point as found, three as left")
	assert.Contains(t, string(csv), "co2,5,as found,0,%{vol},5.02,4.55,-0.47")
}

func readingOverTheLink(t *testing.T, h *house) {
	c := h.signedIn("Idris Vail")
	v := c.toMeasuring(c.open(firstOf(t, c, "capnograph", 6)))
	spot := order{"measure": "co2", "point": "room-air"}
	first := c.frame(v.ID, "co2", "room-air", func(f api.LiveFrame) bool { return f.Status.State == instrument.Alive })
	assert.True(t, first.Unset, "looking sets nothing")
	assert.Equal(t, 204, c.status("POST", "/api/runs/"+v.ID+"/hold", spot))
	frame := c.frame(v.ID, "co2", "room-air", func(f api.LiveFrame) bool { return f.Steady })
	assert.Less(t, frame.Age, frame.Stale)

	// Another who works on another device is told, sees nothing of it, and may take it over.
	noor := h.signedIn("Noor Bexley")
	w := noor.toMeasuring(noor.open(firstOf(t, noor, "capnograph", 5)))
	status, body := noor.call("POST", "/api/runs/"+w.ID+"/hold", spot)
	assert.Equal(t, 409, status)
	assert.Contains(t, string(body), "held by Idris Vail for "+v.Device.Tag)
	seen := noor.frame(w.ID, "co2", "room-air", anyFrame)
	assert.Equal(t, "Idris Vail", seen.Held.Name)
	assert.Nil(t, seen.Value)
	assert.Equal(t, 403, h.signedIn("Odile Marsh").status("POST", "/api/runs/"+v.ID+"/hold", spot),
		"a manager looks and holds nothing")

	noor.refused(w, order{"kind": "capture", "measure": "co2", "point": "room-air", "frame": frame.ID}, 409, "frame-gone",
		"look again")
	v = c.send(v, order{"kind": "capture", "measure": "co2", "point": "room-air", "frame": frame.ID})
	readings := v.Measures[0].Points[0].Readings
	reading := readings[len(readings)-1]
	assert.Equal(t, "link", reading.Source)
	assert.Equal(t, *frame.Value, reading.Values[0], "what was on the screen")
	require.NotNil(t, reading.Origin)
	assert.Equal(t, v.Device.Tag, reading.Origin.Settings["device"])
	assert.Equal(t, "AIR", strings.ToUpper(reading.Origin.Settings["gas"]))
	events, err := h.ledger.Events(v.ID, v.Seq-1)
	require.NoError(t, err)
	assert.NotEmpty(t, events[0].Fact.(run.ReadingCaptured).Trace, "the trace is kept with the reading")

	assert.Equal(t, 204, noor.status("POST", "/api/runs/"+w.ID+"/hold",
		order{"measure": "co2", "point": "room-air", "take_over": true}))
	lost := c.frame(v.ID, "co2", "5", anyFrame)
	assert.Equal(t, "Noor Bexley", lost.Held.Name)
	assert.Equal(t, 204, noor.status("DELETE", "/api/runs/"+w.ID+"/hold", nil))
	assert.Equal(t, 204, c.status("POST", "/api/runs/"+v.ID+"/hold", order{"measure": "co2", "point": "5"}))
	status, body = c.call("POST", "/api/runs/"+v.ID+"/hold", order{"measure": "spo2", "point": "97"})
	assert.Equal(t, 409, status)
	assert.Contains(t, string(body), "type what it shows")
}

func anyFrame(api.LiveFrame) bool { return true }

// frame listens to a point's stream until a frame is as wanted.
func (c *client) frame(id, measure, point string, wanted func(api.LiveFrame) bool) (frame api.LiveFrame) {
	c.t.Helper()
	ctx, cancel := context.WithTimeout(context.Background(), time.Minute)
	defer cancel()
	request, err := http.NewRequestWithContext(ctx, "GET",
		c.server.URL+"/api/runs/"+id+"/live?measure="+measure+"&point="+point, nil)
	require.NoError(c.t, err)
	response, err := c.http.Do(request)
	require.NoError(c.t, err)
	defer response.Body.Close()
	assert.Equal(c.t, "text/event-stream", response.Header.Get("Content-Type"))
	scanner := bufio.NewScanner(response.Body)
	scanner.Buffer(nil, 1<<20)
	for scanner.Scan() {
		if data, ok := strings.CutPrefix(scanner.Text(), "data: "); ok {
			frame = api.LiveFrame{}
			require.NoError(c.t, json.Unmarshal([]byte(data), &frame), data)
			if wanted(frame) {
				return frame
			}
		}
	}
	require.FailNow(c.t, "the wanted frame never came")
	return frame
}

// status is the status of a call.
func (c *client) status(verb, path string, body any) int {
	status, text := c.call(verb, path, body)
	if status >= 400 {
		c.t.Log(string(text))
	}
	return status
}

func retryAndStale(t *testing.T, h *house) {
	c := h.signedIn("Idris Vail")
	opening := order{"id": c.id(), "asset": firstOf(t, c, "capnograph", 7)}
	_, first := c.call("POST", "/api/runs", opening)
	_, second := c.call("POST", "/api/runs", opening)
	assert.Equal(t, view(t, first).ID, view(t, second).ID, "a repeated opening opens nothing twice")
	v := view(t, first)
	note := order{"kind": "note", "note": "seen", "id": c.id(), "expect": v.Seq}
	once := c.send(v, note)
	again := c.send(v, note)
	assert.Equal(t, once.Seq, again.Seq, "a retry does nothing twice")
	assert.Len(t, again.Notes, 1)
	other := h.signedIn("Noor Bexley")
	p := other.refused(v, order{"kind": "note", "note": "from an old screen"}, 409, "stale", "gone on")
	require.Len(t, p.Since, 1)
	assert.Equal(t, api.Happened{Seq: 2, Kind: "NoteAdded", By: "Idris Vail", At: p.Since[0].At}, p.Since[0])
	assert.Equal(t, 2, p.Seq)
}

func whatCannotBeRead(t *testing.T, h *house) {
	c := h.signedIn("Idris Vail")
	v := c.toMeasuring(c.open(firstOf(t, c, "capnograph", 8)))
	read := func(typed string) order {
		return order{"kind": "capture", "measure": "co2", "point": "5", "typed": typed}
	}
	assert.Equal(t, "typed", c.refused(v, read(""), 422, "number", "Nothing was typed").Field)
	c.refused(v, read("five"), 422, "number", "not a number")
	c.refused(v, read("50,2"), 422, "magnitude", "5.02 would fit")
	c.refused(v, order{
		"kind":    "capture",
		"measure": "co2",
		"point":   "7",
		"typed":   "5",
	}, 422, "no-such-point", "no point")
	c.refused(v, order{"kind": "juggle"}, 422, "request", "kind")
	c.refused(v, order{"kind": "note", "note": strings.Repeat("x", 5000)}, 422, "request", "Nothing was recorded")
	v = c.send(v, read("5,02"))
	assert.Equal(t, 5.02, v.Measures[0].Points[1].Found.Indicated)
	status, body := c.call("POST", "/api/runs", order{"id": c.id(), "asset": "NO-SUCH"})
	assert.Equal(t, 404, status, string(body))
	status, body = c.call("POST", "/api/runs", order{"id": c.id(), "asset": firstOf(t, c, "audiometer", 0),
		"procedure": "no-such"})
	assert.Equal(t, 409, status)
	assert.Contains(t, string(body), "There is no procedure no-such for a audiometer")
}

func twoAtOnce(t *testing.T, h *house) {
	c := h.signedIn("Idris Vail")
	v := c.open(firstOf(t, c, "capnograph", 9))
	var wg sync.WaitGroup
	results := make([]int, 8)
	for i := range results {
		id := c.id()
		wg.Go(func() {
			results[i], _ = c.try(v, order{"id": id, "kind": "note", "note": "at the same time"})
		})
	}
	wg.Wait()
	done := 0
	for _, status := range results {
		if status == 200 {
			done++
		} else {
			assert.Equal(t, 409, status)
		}
	}
	assert.Equal(t, 1, done, "of commands for the same sequence, one is done")
	assert.Len(t, get[runview.View](c, "/api/runs/"+v.ID).Notes, 1)
}

func register(t *testing.T, h *house) {
	c := h.signedIn("Idris Vail")
	seen, from := map[string]bool{}, 0
	for {
		page := get[workshop.AssetPageView](c, fmt.Sprint("/api/assets?from=", from))
		for _, a := range page.Assets {
			assert.False(t, seen[a.Tag], "no device stands on two pages")
			seen[a.Tag] = true
		}
		if from = page.Next; from == 0 {
			assert.Len(t, seen, page.Total)
			break
		}
	}
	assert.GreaterOrEqual(t, len(seen), 60)
	found := get[workshop.AssetPageView](c, "/api/assets?search=theatre+ostrel").Assets
	require.NotEmpty(t, found)
	for _, a := range found {
		assert.Contains(t, strings.ToLower(a.Place+a.Device), "theatre")
		assert.Contains(t, a.Device, "Ostrel")
	}
	assert.Empty(t, get[workshop.AssetPageView](c, "/api/assets?search=100%25").Assets, "a percent sign is a percent sign")
	device := order{
		"tag":    "tt-0001",
		"serial": "1",
		"maker":  "Ostrel",
		"model":  "C2 capnograph",
		"family": "capnograph",
		"site":   "Merrowby General",
		"place":  "Ward 3",
		"risk":   5,
	}
	status, body := c.call("POST", "/api/assets", device)
	require.Equal(t, 200, status, string(body))
	assert.Zero(t, get[workshop.AssetView](c, "/api/assets/TT-0001").Days, "its first verification is due today")
	status, body = c.call("POST", "/api/assets", device)
	assert.Equal(t, 422, status)
	assert.Contains(t, string(body), "TT-0001 is in the register already")
	device["tag"], device["limits"] = "TT-0002", map[string]string{"co2": "±-1"}
	status, body = c.call("POST", "/api/assets", device)
	assert.Equal(t, 422, status)
	assert.Contains(t, string(body), "limits.co2")
}

func demoIsTheScenario(t *testing.T, h *house) {
	c := h.signedIn("Tamsin Orrery")
	standards := get[[]workshop.StandardView](c, "/api/standards")
	assert.GreaterOrEqual(t, len(standards), 20)
	today := get[workshop.TodayView](c, "/api/today")
	assert.NotEmpty(t, today.Overdue)
	assert.NotEmpty(t, today.Due)
	assert.Contains(t, strings.Join(today.Troubles, " "), "FS-2", "one reference is overdue")
	ends := get[workshop.BenchState](c, "/api/bench").OpenItems
	assert.Equal(t, "Sampling adapter on the device", ends[0].What)
	assert.Equal(t, "Gas open", ends[1].What, "one cylinder was left open")
	assert.Equal(t, []workshop.Particular{{Label: "Limit, CO₂", Words: "±(0.2 + 4 % of reading) (the maker’s)"}},
		get[workshop.AssetView](c, "/api/assets/MB-0417").Own)
	aire := get[workshop.AssetPageView](c, "/api/assets?search=aire").Assets[0]
	assert.Equal(t, []workshop.Particular{
		{Label: "Partial pressure of CO₂", Words: "stated at 37 °C, saturated"},
		{Label: "Shown unit, CO₂", Words: "mmHg"},
	}, get[workshop.AssetView](c, "/api/assets/"+aire.Tag).Own)
	history := get[workshop.AssetView](c, "/api/assets/"+firstOf(t, c, "capnograph", 0)).History
	assert.NotEmpty(t, history[0].Needles)
}

func changesAreTold(t *testing.T, h *house) {
	c := h.signedIn("Idris Vail")
	v := c.open(firstOf(t, c, "patient-scale", 4))
	response, err := c.http.Get(h.server.URL + "/api/changes")
	require.NoError(t, err)
	defer response.Body.Close()
	scanner := bufio.NewScanner(response.Body)
	next := func(prefix string) string {
		for scanner.Scan() {
			if text, ok := strings.CutPrefix(scanner.Text(), prefix); ok {
				return text
			}
		}
		return ""
	}
	require.NotEmpty(t, next("data: "), "it is alive at once")
	c.send(v, order{"kind": "note", "note": "told"})
	var change workshop.Change
	require.NoError(t, json.Unmarshal([]byte(next("data: ")), &change))
	assert.Equal(t, workshop.Change{Run: v.ID, Seq: 2}, change)
}

func otherSites(t *testing.T, h *house) {
	c := h.signedIn("Idris Vail")
	request, err := http.NewRequest("POST", h.server.URL+"/api/runs",
		strings.NewReader(`{"id":"12345678","asset":"MB-0417"}`))
	require.NoError(t, err)
	request.Header.Set("Content-Type", "application/json")
	request.Header.Set("Sec-Fetch-Site", "cross-site")
	response, err := c.http.Do(request)
	require.NoError(t, err)
	defer response.Body.Close()
	assert.Equal(t, 403, response.StatusCode)
	assert.Contains(t, response.Header.Get("Content-Security-Policy"), "default-src 'self'")
	status, _ := c.call("POST", "/api/runs", order{"id": strings.Repeat("x", 2<<20)})
	assert.GreaterOrEqual(t, status, 400, "a huge request is not read")
}

func description(t *testing.T, h *house) {
	c := h.signedIn("Idris Vail")
	live := get[map[string]any](c, "/openapi.json")
	assert.Equal(t, "3.1.0", live["openapi"])
	text, err := api.Description()
	require.NoError(t, err)
	var printed map[string]any
	require.NoError(t, json.Unmarshal(text, &printed))
	assert.Equal(t, printed["paths"], live["paths"])
}
