package api_test

import (
	"bytes"
	"fmt"
	"io"
	"net/http"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"
	_ "time/tzdata" // wherever the tests run

	"northneedle/core/person"
	"northneedle/internal/workshop"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"
	"pgregory.net/rapid"
)

func TestAnIntervalIsRecommendedAndALeadAcceptsIt(t *testing.T) {
	h := newHouse(t)
	c := h.signedIn("Tamsin Orrery")
	all := get[[]workshop.IntervalBrief](c, "/api/intervals")
	at := slices.IndexFunc(all, func(b workshop.IntervalBrief) bool { return b.Changes })
	require.GreaterOrEqual(t, at, 0, "a model of the scenario is found out too often")
	b := all[at]
	query := fmt.Sprintf("?maker=%s&model=%s&procedure=%s", strings.ReplaceAll(b.Maker, " ", "+"),
		strings.ReplaceAll(b.Model, " ", "+"), b.Procedure)
	v := get[workshop.IntervalView](c, "/api/intervals/model"+query)
	assert.Equal(t, b.Recommended, v.Days)
	assert.Less(t, v.Days, v.Current)
	assert.Contains(t, v.Sentence, "found out")
	require.NotEmpty(t, v.Curve)

	order := map[string]any{"id": "interval-001", "days": v.Days, "sentence": v.Sentence}
	h.signedIn("Idris Vail").problem("/api/intervals/model"+query, order, 403)
	now := posted[workshop.IntervalView](c, "/api/intervals/model"+query, order)
	assert.Equal(t, v.Days, now.Current)
	device := get[workshop.AssetView](c, "/api/assets/"+firstOf(t, c, b.Family, 0))
	act := recurring(t, device, b.Title)
	assert.Contains(t, act.Interval, "Accepted by Tamsin Orrery")
	assert.Contains(t, act.Triggers, fmt.Sprintf("every %d days", v.Days))
	require.NotNil(t, act.LastOn)
	assert.WithinDuration(t, act.LastOn.AddDate(0, 0, v.Days), *act.DueOn, 3*24*time.Hour,
		"the due day is computed anew")

	one := get[workshop.IntervalView](c, "/api/activities/"+act.ID+"/interval")
	assert.Equal(t, v.Days, one.Current)
	parts := get[workshop.AssetView](c, "/api/assets/"+firstOf(t, c, "ventilator", 0))
	status, body := c.call("GET", "/api/activities/"+recurring(t, parts, "Part kit").ID+"/interval", nil)
	assert.Equal(t, 422, status, string(body))
}

func TestAFerryDay(t *testing.T) {
	h := newHouse(t) // a Monday
	c := h.signedIn("Idris Vail")
	monday, tuesday := h.now.Format(time.DateOnly), h.now.AddDate(0, 0, 1).Format(time.DateOnly)
	v := get[workshop.RoundView](c, "/api/rounds/"+monday)
	assert.False(t, v.Saved)
	require.NotEmpty(t, v.Plan.Blocks)
	assert.Contains(t, strings.Join(v.Closed, " "), "the ferry runs on Tuesday and Thursday")
	for _, b := range v.Plan.Blocks {
		assert.NotContains(t, b.Place, "Quillet")
	}

	v = get[workshop.RoundView](c, "/api/rounds/"+tuesday)
	over := 0
	for _, b := range v.Plan.Blocks {
		if strings.Contains(b.Place, "Quillet") || strings.Contains(b.Place, "Stranna") {
			over++
			assert.GreaterOrEqual(t, b.From, 9*60+40, "the boat brings them no earlier")
			assert.LessOrEqual(t, b.Until, 15*60+20, "and takes them back")
		}
	}
	assert.Positive(t, over, "on a ferry day the islands come first")
	require.NotEmpty(t, v.Kit)

	chosen := []string{}
	for _, j := range v.Jobs {
		if j.Chosen && j.Left == "" {
			chosen = append(chosen, j.ID)
		}
	}
	byHand := slices.Clone(v.Plan.Order)
	slices.Reverse(byHand)
	two := map[string]any{"people": []string{"Idris Vail", "Noor Bexley"}, "jobs": chosen[:4], "order": []string{}}
	assert.Contains(t, c.problem("/api/rounds/"+tuesday, two, 403).Detail, "your own round")
	c = h.signedIn("Tamsin Orrery")
	saved := posted[workshop.RoundView](c, "/api/rounds/"+tuesday, two)
	assert.True(t, saved.Saved)
	assert.LessOrEqual(t, len(saved.Plan.Blocks), 8)
	again := get[workshop.RoundView](c, "/api/rounds/"+tuesday)
	assert.Equal(t, saved.Plan.Blocks, again.Plan.Blocks, "it is kept as it was put")
	none := posted[workshop.RoundView](c, "/api/rounds/"+tuesday,
		map[string]any{"people": []string{}, "jobs": chosen, "order": byHand})
	assert.Empty(t, none.Plan.Blocks, "nobody works")
	h.now = time.Date(2026, 3, 2, 14, 0, 0, 0, time.UTC)
	late := posted[workshop.RoundView](c, "/api/rounds/"+monday, map[string]any{
		"people": []string{"Idris Vail"},
		"jobs":   []string{},
		"order":  []string{},
		"now":    true,
	})
	for _, b := range late.Plan.Blocks {
		assert.GreaterOrEqual(t, b.From, 14*60)
	}
	status, text := c.call("GET", "/api/rounds/"+tuesday+"/calendar.ics", nil)
	assert.Equal(t, 200, status)
	assert.Contains(t, string(text), "BEGIN:VCALENDAR")

	year := get[workshop.WorkloadView](c, "/api/workload")
	assert.Len(t, year.Hours, 12)
	assert.LessOrEqual(t, slices.Max(year.Levelled), slices.Max(year.Hours)+1e-9)
	h.signedIn("Fenn Castellan").problem("/api/workload", map[string]string{"id": "level-0001"}, 403)
	level := posted[workshop.WorkloadView](h.signedIn("Odile Marsh"), "/api/workload", map[string]string{"id": "level-0001"})
	assert.Less(t, level.Moves, max(1, year.Moves))
}

// sent sends a CSV file.
func (c *client) sent(t *testing.T, kind, text string) (int, string) {
	t.Helper()
	response, err := c.http.Post(c.server.URL+"/api/imports?kind="+kind, "application/octet-stream", strings.NewReader(text))
	require.NoError(t, err)
	defer response.Body.Close()
	body, err := io.ReadAll(response.Body)
	require.NoError(t, err)
	return response.StatusCode, string(body)
}

func TestAListComesInWholeOrNotAtAll(t *testing.T) {
	h := newHouse(t)
	c := h.signedIn("Tamsin Orrery")
	status, body := c.sent(t, "assets", "tag,maker\nX-1,Ostrel\n")
	assert.Equal(t, 422, status)
	assert.Contains(t, body, `column \"model\" is missing`)
	status, body = h.signedIn("Idris Vail").sent(t, "assets", "tag\n")
	assert.Equal(t, 403, status, body)

	var csv strings.Builder
	csv.WriteString("\ufeffTag;Maker;Model;Family;Site;Risk;Colour\n")
	for i := range 1200 {
		fmt.Fprintf(&csv, "IM-%04d;Ostrel;C2 capnograph;capnograph;Merrowby General;%d;blue\n", i, 1+i%5)
	}
	csv.WriteString("IM-0003;Ostrel;C2;capnograph;Merrowby;3;\nMB-0417;Ostrel;C2;capnograph;Merrowby;3;\nIM 9;Ostrel;C2;capnograph;Merrowby;3;\nIM-9001;Ostrel;C2;capnograph;Merrowby;nine;\nIM-9002;;C2;capnograph;Merrowby;3;\n")
	status, body = c.sent(t, "assets", csv.String())
	require.Equal(t, 200, status, body)
	read := decoded[workshop.ImportView](t, body)
	assert.Equal(t, 1200, read.Rows)
	require.Len(t, read.Refused, 5)
	assert.Equal(t, []string{"colour"}, read.Ignored)
	assert.Equal(t, 1202, read.Refused[0].Line)
	assert.Contains(t, read.Refused[0].Why, "line 5 already")
	assert.Contains(t, read.Refused[1].Why, "in the register already")
	assert.Equal(t, "risk", read.Refused[3].Field)
	assert.Empty(t, get[workshop.AssetPageView](c, "/api/assets?search=im-0001").Assets, "reading takes nothing in")

	posted[workshop.ImportView](c, "/api/imports/"+read.ID, map[string]bool{"go": true})
	require.Eventually(t, func() bool { return get[workshop.ImportView](c, "/api/imports/"+read.ID).State == "done" },
		30*time.Second, 20*time.Millisecond)
	assert.Len(t, get[workshop.AssetPageView](c, "/api/assets?search=im-0001").Assets, 1)
	device := get[workshop.AssetView](c, "/api/assets/IM-0001")
	assert.NotEmpty(t, device.Activities, "what recurs on its family begins")

	stopped := decoded[workshop.ImportView](t, second(c.sent(t, "assets", strings.ReplaceAll(csv.String(), "IM-", "IS-"))))
	posted[workshop.ImportView](c, "/api/imports/"+stopped.ID, map[string]bool{"go": true})
	posted[workshop.ImportView](c, "/api/imports/"+stopped.ID, map[string]bool{"go": false})
	require.Eventually(t, func() bool { return get[workshop.ImportView](c, "/api/imports/"+stopped.ID).State != "running" },
		30*time.Second, 20*time.Millisecond)
	if get[workshop.ImportView](c, "/api/imports/"+stopped.ID).State == "cancelled" {
		assert.Empty(t, get[workshop.AssetPageView](c, "/api/assets?search=is-0001").Assets, "nothing of it stays")
	}

	history := "tag,on,title,result,measure,point,unit,reference,indicated,low,high,u\nIM-0001,2025-03-01,Verification,conforms,CO2,5 %,%{vol},5.02,5.1,-0.4,0.4,0.08\nIM-0001,2025-03-01,Verification,conforms,CO2,10 %,%{vol},10.04,10.2,-0.8,0.8,0.1\nNO-1,2025-03-01,V,conforms,,,,,,,,\nIM-0001,2029-03-01,V,conforms,,,,,,,,\nIM-0001,2025-03-01,V,perhaps,,,,,,,,\n"
	read = decoded[workshop.ImportView](t, second(c.sent(t, "histories", history)))
	assert.Equal(t, 2, read.Rows)
	assert.Equal(t, 3, read.Count)
	posted[workshop.ImportView](c, "/api/imports/"+read.ID, map[string]bool{"go": true})
	require.Eventually(t, func() bool { return get[workshop.ImportView](c, "/api/imports/"+read.ID).State == "done" },
		30*time.Second, 20*time.Millisecond)
	device = get[workshop.AssetView](c, "/api/assets/IM-0001")
	require.Len(t, device.History, 1)
	assert.Len(t, device.History[0].Needles, 2)
}

func second(_ int, body string) string { return body }

func TestListsGoOutAndReferencesComeBackIn(t *testing.T) {
	h := newHouse(t)
	c := h.signedIn("Tamsin Orrery")
	status, text := c.call("GET", "/api/lists/references?format=csv", nil)
	require.Equal(t, 200, status)
	lines := strings.Split(string(text), "\n")
	other := lines[0] + "\n" + strings.ReplaceAll(lines[1], "AC-1,", "AC-9,") + "\n" + lines[1] + "\n"
	read := decoded[workshop.ImportView](t, second(c.sent(t, "standards", other)))
	assert.Equal(t, 1, read.Rows, "%+v", read.Refused)
	assert.Equal(t, 1, read.Count, "the one that stands there already")
	for _, list := range []string{"equipment", "references", "due"} {
		status, text := c.call("GET", "/api/lists/"+list+"?format=xlsx", nil)
		require.Equal(t, 200, status)
		book, err := excelize.OpenReader(bytes.NewReader(text))
		require.NoError(t, err)
		rows, err := book.GetRows(list)
		require.NoError(t, err)
		assert.Greater(t, len(rows), 20)
		assert.Equal(t, "tag", rows[0][0])
	}
}

// Whatever a register holds leaves as a list, and comes in elsewhere the same.
func TestARegisterMovesHouseWhole(t *testing.T) {
	from, to := emptyHouse(t), emptyHouse(t)
	here, there := from.signedIn("Tamsin Orrery"), to.signedIn("Tamsin Orrery")
	text := rapid.OneOf(rapid.StringN(0, 12, 60), rapid.SampledFrom([]string{"", "0012", "1e3", "Ward 4, \"bay\"",
		"a;b\tc", "two\nlines", "=1+1", "CO₂ µ", "  spaced  ", "'"}))
	entered := 0
	sameEachTime(t, 100)
	rapid.Check(t, func(r *rapid.T) {
		device := order{"tag": rapid.OneOf(text, rapid.StringMatching(`[a-z]{2}-[0-9]{1,6}`)).Draw(r, "tag"),
			"serial": text.Draw(r, "serial"), "maker": text.Draw(r, "maker"), "model": text.Draw(r, "model"),
			"family": rapid.OneOf(text, rapid.Just("patient-scale")).Draw(r, "family"), "site": text.Draw(r, "site"),
			"place": text.Draw(r, "place"), "risk": rapid.IntRange(1, 5).Draw(r, "risk")}
		status, body := here.call("POST", "/api/assets", device)
		require.Contains(r, []int{200, 422}, status, string(body))
		if status == 200 {
			entered++
		}
	})
	require.Greater(t, entered, 3)
	_, out := here.call("GET", "/api/lists/equipment?format=csv", nil)
	read := decoded[workshop.ImportView](t, second(there.sent(t, "assets", string(out))))
	require.Empty(t, read.Refused)
	require.Equal(t, entered, read.Rows)
	posted[workshop.ImportView](there, "/api/imports/"+read.ID, map[string]bool{"go": true})
	require.Eventually(t, func() bool { return get[workshop.ImportView](there, "/api/imports/"+read.ID).State == "done" },
		30*time.Second, 20*time.Millisecond)
	_, again := there.call("GET", "/api/lists/equipment?format=csv", nil)
	assert.Equal(t, string(out), string(again))
	_, written := there.call("GET", "/api/lists/equipment?format=json", nil)
	assert.Len(t, decoded[[]map[string]any](t, string(written)), entered)
}

func TestLabelsSayWhatMayBeUsed(t *testing.T) {
	h := newHouse(t)
	c := h.signedIn("Idris Vail")
	status, one := c.call("GET", "/api/labels.pdf?tag=MB-0417", nil)
	require.Equal(t, 200, status)
	assert.Contains(t, words(t, one), "MB-0417")

	// Sheets are of exactly the devices that are shown, in their order, however many.
	shown := get[workshop.AssetPageView](c, "/api/assets?site=Merrowby+General&sort=risk&desc=true")
	require.Greater(t, shown.Total, 24)
	job := posted[workshop.JobView](c, "/api/labels?site=Merrowby+General&sort=risk&desc=true&first=5", nil)
	require.Eventually(t, func() bool { return get[workshop.JobView](c, "/api/jobs/"+job.ID).State == "done" },
		30*time.Second, 20*time.Millisecond)
	text := words(t, h.text(c, "/api/jobs/"+job.ID+"/file"))
	tags := regexp.MustCompile(`\b(MB-\d{4}|FA-\d)\b`).FindAllString(text, -1)
	assert.Len(t, tags, shown.Total)
	for _, a := range shown.Assets {
		assert.Contains(t, tags, a.Tag)
	}
	status, _ = h.signedIn("Noor Bexley").call("GET", "/api/jobs/"+job.ID+"/file", nil)
	assert.Equal(t, 404, status, "a job is its own")
	status, _ = c.call("POST", "/api/jobs/"+job.ID+"/stop", nil)
	assert.Equal(t, 204, status)
	for query, want := range map[string]int{"search=nowhere": 422, "search=merrowby&first=30": 422} {
		status, _ := c.call("POST", "/api/labels?"+query, nil)
		assert.Equal(t, want, status, query)
	}
	status, _ = c.call("GET", "/api/labels.pdf?tag=NO-1", nil)
	assert.Equal(t, 404, status)
}

// On a day on which the clocks are put forward, a round's calendar says what the clock on the wall shows.
func TestARoundOnADayWhenTheClocksChange(t *testing.T) {
	h := newHouse(t)
	there, err := time.LoadLocation("America/New_York")
	require.NoError(t, err)
	h.now = time.Date(2027, 3, 12, 9, 0, 0, 0, there)
	c := h.signedIn("Idris Vail")
	v := get[workshop.RoundView](c, "/api/rounds/2027-03-14")
	require.NotEmpty(t, v.Plan.Blocks)
	calendar := string(h.text(c, "/api/rounds/2027-03-14/calendar.ics"))
	for _, b := range v.Plan.Blocks {
		at := time.Date(2027, 3, 14, b.From/60, b.From%60, 0, 0, there)
		assert.Contains(t, calendar, "DTSTART:"+at.UTC().Format("20060102T150405Z"), "%s at %d", b.Job, b.From)
	}
}

func TestTheFeedIsForWhoeverHasItsLink(t *testing.T) {
	h := newHouse(t)
	c := h.signedIn("Tamsin Orrery")
	link := func() string {
		return posted[workshop.NewToken](c, "/api/tokens", order{"kind": "calendar"}).Secret
	}
	feed := link()
	read := func(path string) (int, string) {
		response, err := http.Get(h.server.URL + path) // nobody is signed in
		require.NoError(t, err)
		defer response.Body.Close()
		body, err := io.ReadAll(response.Body)
		require.NoError(t, err)
		return response.StatusCode, string(body)
	}
	status, text := read(feed)
	assert.Equal(t, 200, status)
	assert.Contains(t, text, "MB-0417")
	for _, a := range get[[]workshop.TokenView](c, "/api/tokens") {
		assert.NotContains(t, feed, a.ID, "its secret is shown once")
	}
	status, _ = read("/feed/guess.ics")
	assert.Equal(t, 404, status)
	noor := h.signedIn("Noor Bexley")
	hers := posted[workshop.NewToken](noor, "/api/tokens", order{"kind": "calendar"}).Secret
	renewed := link()
	assert.NotEqual(t, feed, renewed)
	status, _ = read(feed)
	assert.Equal(t, 404, status, "the old link has stopped")
	status, _ = read(hers)
	assert.Equal(t, 200, status, "and nobody else's")
	posted[workshop.HouseView](h.signedIn("Bram Ostley"), "/api/house/people/noor", order{"role": person.Technician,
		"active": false, "reason": "works elsewhere"})
	status, _ = read(hers)
	assert.Equal(t, 404, status, "it ends with its owner's account")
}

// A program reads with its token what it is for, and does nothing; the token is shown once, is in the log, and can be ended.
func TestAProgramReadsByItsToken(t *testing.T) {
	h := newHouse(t)
	lead, technician := h.signedIn("Tamsin Orrery"), h.signedIn("Idris Vail")
	assert.Equal(t, 403, status(technician.call("POST", "/api/tokens", order{"kind": "program", "purpose": "x"})))
	assert.Equal(t, "purpose", lead.problem("/api/tokens", order{"kind": "program"}, 422).Field)
	made := posted[workshop.NewToken](lead, "/api/tokens", order{"kind": "program", "purpose": "ward board",
		"only": []string{"today"}})
	all := posted[workshop.NewToken](lead, "/api/tokens", order{"kind": "program", "purpose": "reports"})
	ask := func(secret, verb, path string) int {
		request, err := http.NewRequest(verb, h.server.URL+path, strings.NewReader("{}"))
		require.NoError(t, err)
		request.Header.Set("Authorization", "Bearer "+secret)
		request.Header.Set("Content-Type", "application/json")
		answer, err := http.DefaultClient.Do(request)
		require.NoError(t, err)
		answer.Body.Close()
		return answer.StatusCode
	}
	assert.Equal(t, 200, ask(made.Secret, "GET", "/api/today"))
	assert.Equal(t, 403, ask(made.Secret, "GET", "/api/assets"), "not what it is for")
	assert.Equal(t, 200, ask(all.Secret, "GET", "/api/assets"))
	for _, path := range []string{"/api/runs", "/api/house/people", "/api/tokens", "/api/house/backup", "/api/session/pin"} {
		assert.Equal(t, 403, ask(all.Secret, "POST", path), path)
	}
	assert.Equal(t, 401, ask(all.Secret+"x", "GET", "/api/assets"))
	assert.Equal(t, 401, ask(all.Secret[7:], "GET", "/api/assets"))
	told := fmt.Sprint(get[[]workshop.HappenedView](lead, "/api/history/house/all"))
	assert.NotContains(t, told, made.Secret)
	status, _ := technician.call("DELETE", "/api/tokens/"+made.Tokens[0].ID, nil)
	assert.Equal(t, 404, status, "not the technician's to end")
	for _, token := range get[[]workshop.TokenView](lead, "/api/tokens") {
		status, _ := lead.call("DELETE", "/api/tokens/"+token.ID, nil)
		assert.Equal(t, 200, status)
	}
	assert.Equal(t, 401, ask(all.Secret, "GET", "/api/assets"))
}

func TestTheHouse(t *testing.T) {
	h := newHouse(t)
	c := h.signedIn("Tamsin Orrery")
	v := get[workshop.HouseView](c, "/api/house")
	assert.Len(t, v.People, 6)
	assert.Contains(t, v.Schools, "Handbook 44, maintenance")
	bram := h.signedIn("Bram Ostley")
	assert.Equal(t, "name", bram.problem("/api/house/people", map[string]any{
		"name":     "idris vail",
		"role":     "lead",
		"password": "long enough for all",
		"active":   true,
	}, 422).Field)
	assert.Equal(t, "password", bram.problem("/api/house/people", map[string]any{
		"name":     "Maren Holt",
		"role":     "trainee",
		"password": "short",
		"active":   true,
	}, 422).Field)
	posted[workshop.HouseView](bram, "/api/house/people", map[string]any{
		"name":     "Maren Holt",
		"role":     "trainee",
		"password": "long enough for all",
		"active":   true,
	})
	h.signedIn("Idris Vail").problem("/api/house/people", map[string]any{
		"name":     "X",
		"role":     "lead",
		"password": "long enough for all",
		"active":   true,
	}, 403)
	assert.Equal(t, "id", bram.problem("/api/house/people/bram", map[string]any{"role": "manager", "active": true},
		422).Field)

	lab := v.Lab
	lab.Schools = []string{"Handbook 44, maintenance"}
	posted[workshop.HouseView](c, "/api/house/lab", lab)
	scale := c.openBy(firstOf(t, c, "patient-scale", 2), "patient-scale-verification")
	for _, m := range scale.Measures {
		assert.Equal(t, "hb44 class III maintenance", m.Tolerance, "the lab's choice decides")
		assert.Equal(t, "OIML R 76, in service", m.Schools[0].Title)
	}
	lab.Room.Pressure, lab.Conventions = "mm[Hg]", map[string]string{"co2_basis": "btps"}
	posted[workshop.HouseView](c, "/api/house/lab", lab)
	tag := firstOf(t, c, "capnograph", 3)
	device, err := h.ledger.Asset(tag)
	require.NoError(t, err)
	run := c.open(tag)
	assert.Equal(t, "mm[Hg]", run.Room.Pressure)
	assert.Equal(t, "btps", run.Device.Settings["co2_basis"],
		"the lab's convention, where the device has none of its own")
	for k, v := range device.Settings {
		assert.Equal(t, v, run.Device.Settings[k])
	}
	lab.Conventions["co2_basis"] = "wet"
	assert.Equal(t, "conventions.co2_basis", c.problem("/api/house/lab", lab, 422).Field)
	lab.Conventions["co2_basis"] = ""
	lab.Room.Pressure = "Cel"
	c.problem("/api/house/lab", lab, 422)
	lab.Room.Pressure = ""
	lab.Policy.Threshold = 2
	assert.Equal(t, "policy", c.problem("/api/house/lab", lab, 422).Field)

	check := posted[workshop.RecordCheck](c, "/api/house/check", map[string]any{})
	assert.Greater(t, check.Events, 1000)
	assert.Empty(t, check.Broken)
	status, _ := h.signedIn("Odile Marsh").call("POST", "/api/house/backup", order{})
	assert.Equal(t, 403, status)
}
