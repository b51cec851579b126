package api_test

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"testing"
	"time"

	"northneedle/core/run"
	"northneedle/core/runview"
	"northneedle/internal/exchange"
	"northneedle/internal/ledger"
	"northneedle/internal/workshop"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// words are what a PDF says, where this machine can read one; else nothing is known.
func words(t *testing.T, pdf []byte) string {
	t.Helper()
	require.True(t, bytes.HasPrefix(pdf, []byte("%PDF-")))
	if _, err := exec.LookPath("pdftotext"); err != nil {
		return ""
	}
	file := filepath.Join(t.TempDir(), "paper.pdf")
	require.NoError(t, os.WriteFile(file, pdf, 0o600))
	text, err := exec.Command("pdftotext", "-layout", file, "-").Output()
	require.NoError(t, err)
	return string(text)
}

// upload sends a file as it is.
func (c *client) upload(path, kind string, body []byte) (int, []byte) {
	c.t.Helper()
	response, err := c.http.Post(c.server.URL+path, kind, bytes.NewReader(body))
	require.NoError(c.t, err)
	defer response.Body.Close()
	var out bytes.Buffer
	_, err = out.ReadFrom(response.Body)
	require.NoError(c.t, err)
	return response.StatusCode, out.Bytes()
}

// signedRun is a run that is signed already, and its device.
func signedRun(t *testing.T, c *client, family string) (tag, r string) {
	t.Helper()
	for i := range 12 {
		tag = firstOf(t, c, family, i)
		for _, h := range get[workshop.AssetView](c, "/api/assets/"+tag).History {
			if h.Status == run.Signed && !h.Paper && h.Result.Passed() {
				return tag, h.ID
			}
		}
	}
	require.FailNow(t, "no signed run")
	return "", ""
}

func TestACertificateIsIssuedAnewAndARunReplaced(t *testing.T) {
	h := newHouse(t)
	lead, technician := h.signedIn("Tamsin Orrery"), h.signedIn("Noor Bexley")
	tag, id := signedRun(t, lead, "infusion-pump")
	v := get[runview.View](lead, "/api/runs/"+id)
	require.Equal(t, 1, v.Revision)

	anew := order{
		"kind":      "revise",
		"reason":    "the serial was misread",
		"corrected": order{"serial": "SN-774-B"},
		"note":      "Asked for by the owner.",
	}
	technician.refused(v, anew, 403, "lead-only", "Only a lead")
	lead.refused(v, order{"kind": "revise", "reason": "", "corrected": order{"serial": "SN-774-B"}}, 422,
		"reason-needed", "Say why")
	lead.refused(v, order{"kind": "revise", "reason": "again", "corrected": order{"serial": v.Device.Serial}}, 422,
		"nothing-changed", "new run that replaces")
	delete(anew, "id")
	delete(anew, "expect")
	found := get[workshop.ReportView](lead, "/api/report").Models
	next := lead.send(v, anew)
	assert.Equal(t, 2, next.Revision)
	assert.Equal(t, "SN-774-B", next.Device.Serial)
	assert.Contains(t, next.Remarks, "Asked for by the owner.")
	assert.Equal(t, []string{"serial SN-774-B, it said " + v.Device.Serial, "remark added: Asked for by the owner."},
		next.Revisions[0].Changes)
	assert.Equal(t, v.Result, next.Result, "the verdict stays")
	assert.Equal(t, v.Measures, next.Measures, "and so does every reading")
	assert.Equal(t, found, get[workshop.ReportView](lead, "/api/report").Models, "and how it counts in every report")

	_, first := lead.call("GET", "/api/runs/"+id+"/certificate.pdf?revision=1", nil)
	_, second := lead.call("GET", "/api/runs/"+id+"/certificate.pdf", nil)
	if said := words(t, first); said != "" {
		assert.Contains(t, said, v.Device.Serial)
		assert.Contains(t, said, "superseded by revision 2")
		assert.NotContains(t, said, "SN-774-B")
	}
	if said := words(t, second); said != "" {
		assert.Contains(t, said, "SN-774-B")
		assert.Contains(t, said, "the serial was misread")
		assert.NotContains(t, said, "counts no more")
	}
	status, body := lead.call("GET", "/api/runs/"+id+"/certificate.pdf?revision=3", nil)
	assert.Equal(t, 422, status)
	assert.Contains(t, string(body), "revisions 1 to 2")

	// Another run takes the place of this one when it is signed, not before.
	open := map[string]any{"id": lead.id(), "asset": tag, "procedure": v.Procedure.ID, "replaces": id}
	assert.Contains(t, lead.problem("/api/runs", open, 422).Detail, "Say why")
	other := firstOf(t, lead, "infusion-pump", 9)
	assert.Equal(t, "replaces", lead.problem("/api/runs", map[string]any{
		"id":        lead.id(),
		"asset":     other,
		"procedure": v.Procedure.ID,
		"replaces":  id,
		"reason":    "x",
	}, 422).Field)
	open["id"], open["reason"] = lead.id(), "the balance stood in a draught"
	status, body = lead.call("POST", "/api/runs", open)
	require.Equal(t, 200, status, string(body))
	assert.Equal(t, id, view(t, body).Replaces)
	assert.Empty(t, get[runview.View](lead, "/api/runs/"+id).ReplacedBy)
}

func TestAWholeRunIsReadBackAndItsChainChecked(t *testing.T) {
	h := newHouse(t)
	c := h.signedIn("Tamsin Orrery")
	tag, id := signedRun(t, c, "patient-scale")
	_, text := c.call("GET", "/api/runs/"+id+"/record.json", nil)
	read := func(c *client, query string, text []byte) (int, workshop.ReadBackView, string) {
		status, body := c.upload("/api/records"+query, "application/json", text)
		var v workshop.ReadBackView
		_ = json.Unmarshal(body, &v)
		return status, v, string(body)
	}
	status, v, body := read(c, "", text)
	require.Equal(t, 200, status, body)
	assert.Equal(t, "same", v.Here)
	assert.Equal(t, tag, v.Tag)
	assert.Positive(t, v.Points)

	// Whatever is changed in it is named: a reading, an event left out, a verdict, the procedure.
	changed := func(change func(map[string]any)) []byte {
		var copied map[string]any
		require.NoError(t, json.Unmarshal(text, &copied))
		change(copied)
		out, err := json.Marshal(copied)
		require.NoError(t, err)
		return out
	}
	events := func(r map[string]any) []any { return r["events"].([]any) }
	status, v, body = read(c, "", changed(func(map[string]any) {}))
	require.Equal(t, 200, status, body, "the order of its fields is another program's to choose")
	assert.Equal(t, "same", v.Here)
	for name, try := range map[string]struct {
		text []byte
		says string
	}{
		"a reading": {changed(func(r map[string]any) {
			for _, e := range events(r) {
				if e := e.(map[string]any); e["kind"] == "ReadingCaptured" {
					e["data"].(map[string]any)["values"] = []float64{12}
					return
				}
			}
		}), "content was changed"},
		"left out": {changed(func(r map[string]any) { r["events"] = append(events(r)[:4:4], events(r)[5:]...) }),
			"Event 5 is missing"},
		"moved": {changed(func(r map[string]any) {
			events(r)[3].(map[string]any)["prev"] = strings.Repeat("0", 64)
		}), "Event 4 does not follow"},
		"the verdict": {changed(func(r map[string]any) { r["view"].(map[string]any)["result"] = "fails" }),
			"not what the events give"},
		"the procedure": {changed(func(r map[string]any) {
			r["procedure"] = strings.Replace(r["procedure"].(string), "title: ", "title: Another ", 1)
		}), "its content was changed"},
		"another file": {[]byte(`{"format": "a list"}`), "Format"},
		"no JSON":      {[]byte("tag,serial\n"), "no run as JSON"},
	} {
		status, _, body := read(c, "", try.text)
		assert.Equal(t, 422, status, name)
		assert.Contains(t, body, try.says, name)
	}

	// Another house takes it in, once, and there it reads as it did here.
	other := newHouse(t)
	lead := other.signedIn("Tamsin Orrery")
	clash, v, body := read(lead, "", text)
	require.Equal(t, 200, clash, body)
	assert.Equal(t, "same", v.Here, "both are filled alike")
	empty := emptyHouse(t)
	foreign := empty.signedIn("Tamsin Orrery")
	status, v, body = read(foreign, "", text)
	require.Equal(t, 200, status, body)
	assert.Equal(t, "unknown", v.Here)
	assert.Empty(t, v.Missing)
	status, _, _ = read(empty.signedIn("Idris Vail"), "?go=true", text)
	assert.Equal(t, 403, status)
	status, v, body = read(foreign, "?go=true", text)
	require.Equal(t, 200, status, body)
	assert.True(t, v.Taken)
	_, taken := foreign.call("GET", "/api/runs/"+id, nil)
	there := view(t, taken)
	here := get[runview.View](c, "/api/runs/"+id)
	assert.Equal(t, here.Measures, view(t, bytes.ReplaceAll(taken, []byte(" (elsewhere)"), nil)).Measures)
	assert.Equal(t, here.Signature.Statement, there.Signature.Statement)
	assert.Equal(t, here.Signature.By.Name+" (elsewhere)", there.Signature.By.Name,
		"nobody of this workshop, whatever the name")
	assert.Equal(t, "Tamsin Orrery", there.TakenIn.By)
	assert.False(t, there.TakenIn.Ours)
	foreign.refused(there, order{"kind": "revise", "reason": "x", "note": "y"}, 409, "elsewhere", "issued by whoever made it")
	_, paper := foreign.call("GET", "/api/runs/"+id+"/certificate.pdf", nil)
	if said := words(t, paper); said != "" {
		assert.Contains(t, said, "Made elsewhere")
	}
	status, v, _ = read(foreign, "?go=true", text)
	assert.Equal(t, 422, status, "a second time it is there already")
	assert.False(t, v.Taken)
	n, err := empty.ledger.Verify()
	require.NoError(t, err)
	assert.Positive(t, n)
}

// A file whose hashes add up is no run: it must have come about by the rules of its procedure. One that did lifts nothing.
func TestARunThatIsTypedIsNoRun(t *testing.T) {
	h := newHouse(t)
	lead := h.signedIn("Tamsin Orrery")
	tag, id := signedRun(t, lead, "patient-scale")
	_, text := lead.call("GET", "/api/runs/"+id+"/record.json", nil)
	var record exchange.Record
	require.NoError(t, json.Unmarshal(text, &record))
	var lines []exchange.Entry
	for _, e := range record.Events { // opened and signed, and by somebody else
		if e.Kind == "RunOpened" || e.Kind == "RunSigned" {
			e.Seq, e.By = len(lines)+1, json.RawMessage(`{"id":"noor","name":"Noor Bexley","role":"technician"}`)
			lines = append(lines, e)
		}
	}
	lines = append(lines, exchange.Entry{Seq: 3, ID: "seen", Kind: "RunReviewed", At: lines[1].At, Data: json.RawMessage(`{"note":"seen"}`),
		By: json.RawMessage(`{"id":"ash","name":"Quillan Ash","role":"lead"}`)})
	for i := range lines {
		if e := &lines[i]; true {
			if e.Prev = ""; i > 0 {
				e.Prev = lines[i-1].Hash
			}
			e.Log = ""
			sum := sha256.New()
			for _, part := range []string{e.Log, e.Prev, "run/" + id, strconv.Itoa(e.Seq), e.ID, e.Kind, e.At,
				string(compacted(t, e.By)), string(compacted(t, e.Data))} {
				fmt.Fprintf(sum, "%d:%s\n", len(part), part)
			}
			e.Hash = hex.EncodeToString(sum.Sum(nil))
		}
	}
	record.Events, record.Seal = lines, ""
	typed, err := json.Marshal(record)
	require.NoError(t, err)
	empty := emptyHouse(t)
	c := empty.signedIn("Tamsin Orrery")
	status, body := c.upload("/api/records?go=true", "application/json", typed)
	require.Equal(t, 422, status)
	assert.Contains(t, string(body), "did not come about by the rules")

	// Put out of use here: a good run from elsewhere does not lift it.
	asset := get[workshop.AssetView](lead, "/api/assets/"+tag)
	require.NoError(t, empty.ledger.Save(&ledger.Asset{ID: asset.ID, Tag: tag, Family: asset.Family,
		Status: ledger.OutOfUse, Serial: asset.Serial}))
	status, body = c.upload("/api/records?go=true", "application/json", text)
	require.Equal(t, 200, status, string(body))
	assert.Equal(t, "out of use", string(get[workshop.AssetView](c, "/api/assets/"+tag).State))

	// The same device, imported from a list: its runs are its own.
	listed := emptyHouse(t)
	c = listed.signedIn("Tamsin Orrery")
	require.NoError(t, listed.ledger.Save(&ledger.Asset{ID: "imported", Tag: tag, Family: asset.Family,
		Status: ledger.InUse, Serial: asset.Serial}))
	status, body = c.upload("/api/records?go=true", "application/json", text)
	require.Equal(t, 200, status, string(body))
	assert.Len(t, get[workshop.AssetView](c, "/api/assets/"+tag).History, 1)
	_, err = listed.ledger.Verify()
	require.NoError(t, err)
}

func compacted(t *testing.T, raw json.RawMessage) []byte {
	t.Helper()
	var out bytes.Buffer
	require.NoError(t, json.Compact(&out, raw))
	return out.Bytes()
}

func TestACopyIsPutBackWhileTheHouseIsInUse(t *testing.T) {
	h := newHouse(t)
	c := h.signedIn("Tamsin Orrery")
	run := c.open(firstOf(t, c, "capnograph", 7))
	_, backup := c.call("POST", "/api/house/backup", order{})
	later := c.send(run, order{"kind": "note", "note": "after the copy"})
	require.Len(t, later.Notes, 1)
	status, _ := h.signedIn("Noor Bexley").upload("/api/house/restore", "application/octet-stream", backup)
	assert.Equal(t, 403, status)

	status, body := c.upload("/api/house/restore", "application/octet-stream", []byte("not a database at all"))
	assert.Equal(t, 422, status)
	assert.Contains(t, string(body), "no backup of a ledger")
	assert.Len(t, get[runview.View](c, "/api/runs/"+run.ID).Notes, 1, "nothing was changed")

	status, body = c.upload("/api/house/restore", "application/octet-stream", backup)
	require.Equal(t, http.StatusOK, status, string(body))
	looked := decoded[workshop.RestoreView](t, string(body))
	assert.False(t, looked.Restored)
	assert.Positive(t, looked.Devices)
	assert.Len(t, get[runview.View](c, "/api/runs/"+run.ID).Notes, 1, "looking changes nothing")

	status, body = c.upload("/api/house/restore?go=true", "application/octet-stream", backup)
	require.Equal(t, http.StatusOK, status, string(body))
	restored := decoded[workshop.RestoreView](t, string(body))
	assert.True(t, restored.Restored)
	back := get[runview.View](c, "/api/runs/"+run.ID)
	assert.Empty(t, back.Notes, "the run stands where the copy has it")
	assert.Equal(t, run.Seq, back.Seq)
	c.send(back, order{"kind": "note", "note": "and work goes on"})
	_, err := h.ledger.Verify()
	require.NoError(t, err, "the chain holds across it")

	kept, err := ledger.Look(filepath.Join(h.folder, restored.Aside))
	require.NoError(t, err, "what was there is kept, and holds")
	assert.Greater(t, kept.Events, looked.Events)
}

func TestAReportAddsUpWhatTheRecordHolds(t *testing.T) {
	h := newHouse(t)
	c := h.signedIn("Odile Marsh")
	year := get[workshop.ReportView](c, "/api/report")
	assert.Equal(t, year.OnTime.All, year.OnTime.Of+late(year), "on time and late are all")
	months, done := 0, 0
	for _, m := range year.Months {
		months += m.OnTime.All
		done += m.OnTime.Of
	}
	assert.Equal(t, year.OnTime.All, months)
	assert.Equal(t, year.OnTime.Of, done)
	overdue := 0
	for _, e := range year.Overdue {
		overdue += e.Count
	}
	assert.Equal(t, year.OverdueAll, overdue)
	assert.Equal(t, get[workshop.TodayView](c, "/api/today").OverdueCount, overdue, "as Today counts them")
	hours, runs := 0.0, 0
	for _, w := range year.Work {
		hours, runs = hours+w.Hours, runs+w.Runs
	}
	assert.InDelta(t, year.Hours, hours, 1e-9)
	assert.Equal(t, year.Runs, runs)
	require.NotEmpty(t, year.Models)
	require.NotEmpty(t, year.Gas)
	assert.InDelta(t, year.Prices.Hour*year.Hours+year.Prices.Litre*year.UsedL+
		year.Prices.Certificate*float64(year.Certificates), year.Cost, 1e-6)

	// A day more is a run more; a month of the future holds nothing.
	device, err := h.ledger.Asset(firstOf(t, c, "breath-monitor", 1))
	require.NoError(t, err)
	h.work(t, device, "breath-monitor-check")
	assert.Equal(t, year.Runs+1, get[workshop.ReportView](c, "/api/report").Runs)
	none := get[workshop.ReportView](c, "/api/report?from=2031-01-01&until=2031-01-31")
	assert.Zero(t, none.Runs)
	assert.Empty(t, none.Models)
	assert.Zero(t, none.OnTime.All)
	status, body := c.call("GET", "/api/report?from=2026-11-20&until=2026-11-01", nil)
	assert.Equal(t, 422, status)
	assert.Contains(t, string(body), "comes before the last")

	_, pdf := c.call("GET", "/api/report.pdf", nil)
	if said := words(t, pdf); said != "" {
		for _, part := range []string{"Overdue by risk", "On time", "As found, by model", "Gas used and lost",
			year.Models[0].Device} {
			assert.Contains(t, said, part)
		}
	}
	lead := h.signedIn("Tamsin Orrery")
	assert.Contains(t, lead.problem("/api/house/prices",
		map[string]any{"currency": "cr", "hour": -1, "litre": 0, "certificate": 0}, 422).Detail, "An hour")
	posted[workshop.HouseView](lead, "/api/house/prices",
		map[string]any{"currency": "", "hour": 0, "litre": 0, "certificate": 0})
	assert.Zero(t, get[workshop.ReportView](c, "/api/report").Cost)
}

// late counts what was done after its day.
func late(v workshop.ReportView) (n int) {
	for _, m := range v.Months {
		n += m.OnTime.All - m.OnTime.Of
	}
	return n
}

func TestPapersToGoRoundWith(t *testing.T) {
	h := newHouse(t)
	c := h.signedIn("Noor Bexley")
	tag, _ := signedRun(t, c, "ventilator")
	device := get[workshop.AssetView](c, "/api/assets/"+tag)
	_, pdf := c.call("GET", "/api/assets/"+tag+"/history.pdf", nil)
	if said := words(t, pdf); said != "" {
		assert.Contains(t, said, "History of "+tag)
		assert.Contains(t, said, "performance")
		assert.GreaterOrEqual(t, strings.Count(said, "conforms"), 1)
	}
	_, pdf = c.call("GET", "/api/inspection.pdf?site="+strings.ReplaceAll(device.Site, " ", "+"), nil)
	if said := words(t, pdf); said != "" {
		page := get[workshop.AssetPageView](c, "/api/assets?search="+strings.ReplaceAll(device.Site, " ", "+"))
		for _, a := range page.Assets {
			if a.State != "retired" {
				assert.Contains(t, said, a.Tag)
			}
		}
		assert.Contains(t, said, "Found here and not on the list")
	}
	status, body := c.call("GET", "/api/inspection.pdf?site=Nowhere", nil)
	assert.Equal(t, 422, status)
	assert.Contains(t, string(body), "no device at Nowhere")

	worth := get[workshop.WorthView](c, "/api/assets/"+tag+"/worth")
	assert.InDelta(t, 1, worth.Case.PerYear, 0.01)
	assert.Positive(t, worth.Case.TUR)
	assert.Positive(t, worth.Case.InHouse)
	assert.NotEmpty(t, worth.Known)
}

func TestWhatWaitsForAFailureIsDueWhenItComes(t *testing.T) {
	h := newHouse(t)
	c := h.signedIn("Idris Vail")
	tag := firstOf(t, c, "ventilator", 2)
	before := get[workshop.AssetView](c, "/api/assets/"+tag)
	cell, whole := recurring(t, before, "Oxygen cell, calibration"), recurring(t, before, "Ventilator, performance verification")
	require.NotContains(t, before.Words, "Oxygen cell")
	assert.Contains(t, whole.Triggers, "when oxygen cell fails")
	byHand := order{"id": c.id() + "-cell", "kind": "failed", "on": h.now.Format(time.DateOnly), "reason": "does not reach 95 vol%"}
	assert.Equal(t, "kind", c.problem("/api/activities/"+cell.ID, byHand, 422).Field, "it has a procedure")
	failed := c.maintain(tag, "ventilator-oxygen-cell", plates{"the-cell": {"cell": "stays"}},
		"calibrated-by-the-ventilator-at-air-and-at-100")
	assert.Equal(t, run.Fails, failed.Result)
	h.signedIn("Tamsin Orrery").send(failed, order{"kind": "review"})
	after := get[workshop.AssetView](c, "/api/assets/"+tag)
	assert.Contains(t, recurring(t, after, "Oxygen cell, calibration").Words, "Invalid: it failed on")
	now := recurring(t, after, "Ventilator, performance verification")
	assert.Contains(t, now.Words, "Oxygen cell, calibration failed on")
	assert.LessOrEqual(t, now.Days, 0)
	assert.True(t, after.Stop, "no patient work until it is verified")
	assert.Contains(t, after.Words, "Oxygen cell, calibration failed on")
}

func TestWhereAndWhenPeopleWork(t *testing.T) {
	h := newHouse(t)
	c := h.signedIn("Tamsin Orrery")
	day := get[workshop.HouseView](c, "/api/house").Day
	for field, change := range map[string]func(*workshop.WorkingDay){
		"until":             func(d *workshop.WorkingDay) { d.Until = "07:00" },
		"from":              func(d *workshop.WorkingDay) { d.From = "8" },
		"capacity":          func(d *workshop.WorkingDay) { d.Capacity = 0 },
		"sites[0].weekdays": func(d *workshop.WorkingDay) { d.Sites[0].Weekdays = []int{8} },
		"sites[1].from":     func(d *workshop.WorkingDay) { d.Sites[1].Until = "" },
		"sites[1].name":     func(d *workshop.WorkingDay) { d.Sites[1].Name = d.Sites[0].Name },
		"home":              func(d *workshop.WorkingDay) { d.Home = "the moon" },
		"hands.typed":       func(d *workshop.WorkingDay) { d.Hands.Typed = 100 },
	} {
		wrong := get[workshop.HouseView](c, "/api/house").Day
		change(&wrong)
		assert.Equal(t, field, c.problem("/api/house/day", wrong, 422).Field)
	}
	day.Sites[1].Weekdays = []int{1}
	kept := posted[workshop.HouseView](c, "/api/house/day", day)
	assert.Equal(t, []int{1}, kept.Day.Sites[1].Weekdays)
	tuesday := get[workshop.RoundView](c, "/api/rounds/2026-03-03")
	assert.Contains(t, strings.Join(tuesday.Closed, " "), day.Sites[1].Name,
		"the ferry does not run on Tuesdays any more")
	h.signedIn("Idris Vail").problem("/api/house/day", day, 403)
}
