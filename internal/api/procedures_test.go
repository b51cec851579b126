package api_test

import (
	"context"
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"northneedle/core/runview"
	"northneedle/internal/definition"
	"northneedle/internal/ledger"
	"northneedle/internal/workshop"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// answered asks for something, wants a status, and gives what was answered.
func (c *client) answered(verb, path string, body any, status int) (out map[string]any) {
	c.t.Helper()
	got, text := c.call(verb, path, body)
	require.Equal(c.t, status, got, string(text))
	require.NoError(c.t, json.Unmarshal(text, &out), string(text))
	return out
}

// begun begins a draft, and gives it as it is kept.
func (c *client) begun(id, text, why string) (d workshop.DraftView) {
	c.t.Helper()
	status, answer := c.call("PUT", "/api/drafts/"+id, order{"text": text, "why": why})
	require.Equal(c.t, 200, status, string(answer))
	require.NoError(c.t, json.Unmarshal(answer, &d))
	return d
}

// drafted has a technician draft a procedure.
func (h *house) drafted(c *client, text string) workshop.DraftView {
	h.t.Helper()
	return c.begun("draft-"+c.id(), text, "its interval was too long")
}

// released has a technician draft a procedure and the lead release it, from a day on; empty: today.
func (h *house) released(text, from string) workshop.DraftView {
	h.t.Helper()
	d := h.drafted(h.signedIn("Idris Vail"), text)
	o := order{"version": d.Version, "secret": workshop.DemoPassword}
	if from != "" {
		o["from"] = from
	}
	return posted[workshop.DraftView](h.signedIn("Tamsin Orrery"), "/api/drafts/"+d.ID+"/release", o)
}

func TestAnEditedProcedureIsTried(t *testing.T) {
	h := emptyHouse(t)
	c := h.signedIn("Idris Vail")
	text := get[workshop.ProcedureText](c, "/api/procedures/breath-monitor-check").Text
	tried := func(text string) workshop.DryRun {
		return posted[workshop.DryRun](c, "/api/writing/try", order{"text": text})
	}
	same := tried(text)
	assert.Empty(t, same.Diff)
	assert.True(t, same.Result.Passed(), same.Stopped)
	wrong := tried(strings.Replace(text, "months: 6", "months: 900", 1)).Mistakes
	require.Len(t, wrong, 1)
	assert.Equal(t, "next.months", wrong[0].Field)
	assert.Contains(t, strings.Split(text, "\n")[wrong[0].Line-1], "months: 6", "the line is the one that is wrong")
	assert.Equal(t, "revision", tried(strings.Replace(text, "months: 6", "months: 4", 1)).Mistakes[0].Field)
	next := tried(strings.NewReplacer("months: 6", "months: 4", "revision: 3", "revision: 4").Replace(text))
	assert.Empty(t, next.Mistakes)
	assert.True(t, next.Result.Passed(), next.Stopped)
	kinds := map[string]int{}
	for _, l := range next.Diff {
		kinds[l.Kind]++
	}
	assert.Equal(t, 2, kinds["added"])
	assert.Equal(t, 2, kinds["removed"])
	check := posted[workshop.ProcedureCheck](c, "/api/writing/check", order{"text": "id: x\ntitle: ["})
	require.Len(t, check.Mistakes, 1)
	assert.Positive(t, check.Mistakes[0].Line)
	choices := get[workshop.ProcedureChoices](c, "/api/writing/choices")
	for name, list := range map[string][]workshop.ProcedureChoice{"compare": choices.Methods, "gas-bench": choices.Instruments,
		"Cel": choices.Units, "thermometer": choices.Kinds, "temperature": choices.Quantities, "ventilator": choices.Families,
		"steady": choices.Captures, "zone-map": choices.Patterns, "r76 class III initial": choices.Tables} {
		found := false
		for _, one := range list {
			found = found || one.Name == name
		}
		assert.True(t, found, "%s can be picked", name)
	}
}

// Every template is a procedure that reads without a mistake and is played through to its end.
func TestEveryTemplateCanBeTried(t *testing.T) {
	c := emptyHouse(t).signedIn("Idris Vail")
	all := get[[]workshop.ProcedureTemplate](c, "/api/writing/templates")
	require.Len(t, all, 4)
	for _, one := range all {
		tried := posted[workshop.DryRun](c, "/api/writing/try", order{"text": one.Text})
		assert.Empty(t, tried.Mistakes, one.ID)
		assert.Empty(t, tried.Stopped, one.ID)
		assert.True(t, tried.New, one.ID)
		assert.NotEmpty(t, one.About, one.ID)
	}
}

// What one drafts another releases, for a day: until then runs are made by the revision before, and a run that is
// under way keeps the one it began with.
func TestAProcedureIsDraftedByOneAndReleasedByAnother(t *testing.T) {
	h := newHouse(t)
	idris, tamsin := h.signedIn("Idris Vail"), h.signedIn("Tamsin Orrery")
	text := get[workshop.ProcedureText](idris, "/api/procedures/breath-monitor-check").Text
	next := strings.NewReplacer("months: 6", "months: 4", "revision: 3", "revision: 4").Replace(text)

	d := idris.begun("draft-0001", "id: breath-monitor-check\ntitle: [", "")
	assert.Equal(t, "breath-monitor-check", d.Procedure, "an unfinished text is kept as well")
	d = idris.begun("draft-0001", "sent: again", "")
	assert.Contains(t, d.Text, "title: [", "a retry begins no second one")
	write := func(c *client, version int, why string, status int) map[string]any {
		return c.answered("POST", "/api/drafts/draft-0001", order{"text": next, "why": why, "version": version}, status)
	}
	write(idris, 1, "", 200)
	assert.EqualValues(t, 2, write(idris, 1, "", 200)["version"], "sent again after a lost answer it is kept once")
	assert.Equal(t, "draft-changed", write(tamsin, 1, "", 409)["code"], "two wrote in it: the second is told, and nothing is lost")
	release := func(c *client, o order, status int) map[string]any {
		if o["secret"] == nil {
			o["secret"] = workshop.DemoPassword
		}
		return c.answered("POST", "/api/drafts/draft-0001/release", o, status)
	}
	release(idris, order{"version": 2}, 403)
	assert.Equal(t, "why", release(tamsin, order{"version": 2}, 422)["field"], "it says what changes")
	write(idris, 2, "every four months: the cells of this model age faster", 200)
	assert.Len(t, get[workshop.TodayView](tamsin, "/api/today").Drafts, 1)
	assert.Empty(t, get[workshop.TodayView](idris, "/api/today").Drafts)
	assert.Equal(t, "secret", release(tamsin, order{"version": 3, "secret": "wrong"}, 422)["field"])
	release(tamsin, order{"version": 2}, 409)
	assert.Equal(t, "from", release(tamsin, order{"version": 3, "from": "2026-03-01"}, 422)["field"])

	tag, other := firstOf(t, tamsin, "breath-monitor", 0), firstOf(t, tamsin, "breath-monitor", 1)
	before := tamsin.openBy(tag, "breath-monitor-check")
	out := release(tamsin, order{"version": 3, "from": "2026-03-12"}, 200)
	assert.Equal(t, false, out["in_use"])
	own := filepath.Join(h.folder, "procedures", "breath-monitor-check.yaml")
	assert.NoFileExists(t, own, "its day has not come")
	assert.Equal(t, 3, before.Procedure.Revision)
	states := func() (all []string) {
		for _, r := range get[[]workshop.ProcedureRevision](idris, "/api/procedures/breath-monitor-check/revisions") {
			all = append(all, r.State)
		}
		return all
	}
	assert.Equal(t, []string{"to come", "in use"}, states())
	revisions := get[[]workshop.ProcedureRevision](idris, "/api/procedures/breath-monitor-check/revisions")
	assert.Equal(t, "Idris Vail", revisions[0].Written)
	assert.Equal(t, "Tamsin Orrery", revisions[0].By)
	assert.True(t, revisions[1].Shipped)
	changed := get[[]workshop.DiffLine](idris, "/api/revisions/"+revisions[0].Hash+"/since/"+revisions[1].Hash)
	assert.Contains(t, changed, workshop.DiffLine{Kind: "added", Text: "revision: 4"})
	sheet := words(t, h.text(idris, "/api/revisions/"+revisions[0].Hash+"/instruction"))
	if sheet != "" {
		assert.Contains(t, sheet, "not in use before 2026-03-12")
		assert.Contains(t, sheet, "released by Tamsin Orrery")
	}

	// A further one cannot overtake it; it can be taken back, and its number is not given twice.
	further := h.drafted(idris, strings.Replace(next, "revision: 4", "revision: 5", 1))
	early := tamsin.answered("POST", "/api/drafts/"+further.ID+"/release", order{"version": 1, "secret": workshop.DemoPassword}, 422)
	assert.Contains(t, early["detail"], "2026-03-12")

	h.now = day.AddDate(0, 0, 10)
	again := h.signedIn("Tamsin Orrery")
	assert.Equal(t, []string{"in use", "earlier"}, states())
	assert.Equal(t, 4, again.openBy(other, "breath-monitor-check").Procedure.Revision)
	assert.Equal(t, 3, get[runview.View](again, "/api/runs/"+before.ID).Procedure.Revision, "a run under way keeps its own")
	assert.Equal(t, "in-use", again.answered("POST", "/api/drafts/draft-0001/take-back", order{"why": "no"}, 409)["code"])

	// The server restarts without a file of the released revision: it reads the procedure from the record and writes the file.
	h.end()
	l, err := ledger.Open(h.folder)
	require.NoError(t, err)
	// A file of the same revision that says something else does not count: the record does.
	require.NoError(t, os.MkdirAll(filepath.Dir(own), 0o700))
	require.NoError(t, os.WriteFile(own, []byte(strings.Replace(next, "months: 4", "months: 60", 1)), 0o600))
	h = houseOf(t, h.folder, l)
	h.now = day.AddDate(0, 0, 11)
	once, cancel := context.WithCancel(t.Context())
	cancel()
	h.shop.KeepDaily(once)
	assert.Equal(t, next, get[workshop.ProcedureText](h.signedIn("Idris Vail"), "/api/procedures/breath-monitor-check").Text)
	kept, err := os.ReadFile(own)
	require.NoError(t, err)
	assert.Equal(t, next, string(kept))
	all, err := definition.All(filepath.Join(h.folder, "procedures"))
	require.NoError(t, err)
	assert.NotEmpty(t, all)
}

// Nobody releases what they wrote in, a release that is taken back never comes into use, and a draft that was dropped stays in the
// record.
func TestADraftIsNotReleasedByWhoWroteIt(t *testing.T) {
	h := emptyHouse(t)
	idris, tamsin := h.signedIn("Idris Vail"), h.signedIn("Tamsin Orrery")
	text := get[workshop.ProcedureText](idris, "/api/procedures/breath-monitor-check").Text
	next := func(n string) string {
		return strings.NewReplacer("months: 6", "months: 4", "revision: 3", "revision: "+n).Replace(text)
	}
	d := h.drafted(idris, next("4"))
	path := "/api/drafts/" + d.ID
	yes := order{"version": 2, "secret": workshop.DemoPassword, "from": "2026-03-12"}
	tamsin.answered("POST", path, order{"text": next("4"), "why": "a comma", "version": 1}, 200)
	assert.Equal(t, "own-draft", tamsin.answered("POST", path+"/release", yes, 403)["code"])
	assert.Equal(t, "why", idris.answered("POST", path+"/drop", order{"version": 2, "why": " "}, 422)["field"])
	idris.answered("POST", path+"/drop", order{"version": 2, "why": "a lead wrote in it"}, 200)
	assert.Empty(t, get[[]workshop.DraftBrief](idris, "/api/drafts"))
	assert.Equal(t, "dropped", get[workshop.DraftView](idris, path).State)
	idris.answered("POST", path, order{"text": next("4"), "why": "", "version": 2}, 409)

	d = h.released(next("4"), "2026-03-12")
	tamsin.answered("POST", "/api/drafts/"+d.ID+"/take-back", order{"why": "the maker says six months"}, 200)
	h.now = day.AddDate(0, 0, 20)
	assert.Equal(t, text, get[workshop.ProcedureText](h.signedIn("Idris Vail"), "/api/procedures/breath-monitor-check").Text)
	h.now = day
	twice := h.drafted(idris, next("4"))
	refused := tamsin.answered("POST", "/api/drafts/"+twice.ID+"/release", order{"version": 1, "secret": workshop.DemoPassword}, 422)
	assert.Contains(t, refused["detail"], "give this one 5")
	events, err := h.ledger.History(20, "procedure_drafts/"+d.ID)
	require.NoError(t, err)
	assert.Equal(t, "release taken back", events[0].Kind)
	assert.Contains(t, events[1].Why, "approved for use, shown by password")
	_, err = h.ledger.Verify()
	require.NoError(t, err)
}
