package workshop

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"northneedle/core/device"
	"northneedle/core/duty"
	"northneedle/core/run"
	"northneedle/internal/ledger"
	"northneedle/internal/paper"
)

// mostRuns is how many runs of a device stand in its history.
const mostRuns = 500

// HistoryPaper is a device's history on paper.
func (ws *Workshop) HistoryPaper(id string) (f File, err error) {
	asset, err := ws.Ledger.Asset(id)
	if err != nil {
		return f, err
	}
	document, err := ws.historyDocument(asset)
	if err != nil {
		return f, err
	}
	return ws.onPaper(document, "history-"+asset.Tag)
}

// InspectionPaper is the list for going round a site.
func (ws *Workshop) InspectionPaper(site string) (f File, err error) {
	document, err := ws.inspectionDocument(site)
	if err != nil {
		return f, err
	}
	return ws.onPaper(document, "inspection-"+strings.ReplaceAll(site, " ", "-"))
}

func day(t *time.Time) string {
	if t == nil {
		return "–"
	}
	return t.Format(time.DateOnly)
}

// standings are activities in words, a line each.
func (ws *Workshop) standings(all []ledger.Activity) (rows [][]string) {
	for _, a := range all {
		v := ws.activityView(a)
		rows = append(rows, []string{v.Title, v.Triggers, day(v.LastOn), day(v.DueOn), v.Words})
	}
	return rows
}

// historyDocument is everything the record knows of a device.
func (ws *Workshop) historyDocument(a ledger.Asset) (paper.Document, error) {
	state, err := ws.state(a.ID)
	if err != nil {
		return paper.Document{}, err
	}
	d := paper.Document{Title: "History of " + a.Tag,
		Under: strings.Join(slices.DeleteFunc([]string{a.Maker + " " + a.Model, "serial " + a.Serial, a.Place, a.Site,
			string(state.State)}, func(s string) bool { return s == "" }), " · ")}
	activities, err := ws.Ledger.Activities(a.ID)
	if err != nil {
		return d, err
	}
	runs, err := ws.Ledger.RunsOf(a.ID, mostRuns)
	if err != nil {
		return d, err
	}
	notes, err := ws.Ledger.ActivityNotes(a.ID, mostRuns)
	if err != nil {
		return d, err
	}
	made := paper.Section{Title: "Runs",
		Text: "As found: the point that took the largest share of its limit before anything was changed. 100 % is the limit.", Empty: "Nothing was recorded on it yet.",
		Columns: []paper.Column{{Title: "signed", Wide: 2.5}, {Title: "procedure", Wide: 5},
			{Title: "result", Wide: 3.2}, {Title: "largest as found", Wide: 4.4},
			{Title: "as left", Wide: 1.8, Right: true}, {Title: "by", Wide: 2.6}}}
	for _, r := range runs {
		results, err := ws.Ledger.ResultsOf(r.ID)
		if err != nil {
			return d, err
		}
		found, left := largest(results, run.AsFound), largest(results, run.AsLeft)
		result := string(r.Result)
		if r.Status != run.Signed {
			result = string(r.Status)
		}
		if r.Paper {
			result += " (from older paper)"
		}
		by := r.By
		if r.Reviewer != "" {
			by += ", countersigned"
		}
		made.Rows = append(made.Rows, []string{day(r.EndedAt), r.Title, result, share(found, true), share(left, false),
			by})
	}
	became := paper.Section{Title: "What became of it",
		Columns: []paper.Column{{Title: "on", Wide: 2.1}, {Title: "what", Wide: 1.8}, {Title: "in words", Wide: 8},
			{Title: "by", Wide: 3}}, Empty: "Nothing was noted."}
	for _, n := range notes {
		became.Rows = append(became.Rows, []string{n.At.Format(time.DateOnly), n.Kind, n.Text, n.By})
	}
	d.Sections = []paper.Section{
		{Title: "What recurs", Columns: []paper.Column{{Title: "activity", Wide: 4}, {Title: "when", Wide: 3.4},
			{Title: "last", Wide: 2.1}, {Title: "due", Wide: 2.1}, {Title: "stands", Wide: 4}},
			Rows: ws.standings(activities), Empty: "Nothing recurs on it."},
		made, became}
	kept, err := ws.Ledger.Attachments("assets/" + a.ID)
	if err != nil || len(kept) == 0 {
		return d, err
	}
	papers := paper.Section{Title: "Documents and pictures", Text: "Each is known by the SHA-256 of its content.",
		Columns: []paper.Column{{Title: "on", Wide: 2.1}, {Title: "name", Wide: 6}, {Title: "content", Wide: 5},
			{Title: "by", Wide: 3}}}
	for _, f := range kept {
		papers.Rows = append(papers.Rows, []string{f.At.Format(time.DateOnly), f.Name, f.Hash[:24] + "…", f.By})
	}
	d.Sections = append(d.Sections, papers)
	return d, nil
}

// largest is the result that took the largest share of its limit in a phase; none where
// nothing was measured in it.
func largest(results []ledger.Result, phase run.Phase) *ledger.Result {
	var most *ledger.Result
	size := func(r *ledger.Result) float64 { return max(r.ErrorToLimit, -r.ErrorToLimit) }
	for i := range results {
		if r := &results[i]; r.Phase == phase && (most == nil || size(r) > size(most)) {
			most = r
		}
	}
	return most
}

func share(r *ledger.Result, named bool) string {
	if r == nil {
		return "–"
	}
	text := percent(max(r.ErrorToLimit, -r.ErrorToLimit))
	if named {
		text = r.Label + ": " + text
	}
	return text
}

// inspectionDocument lists the devices of a site by place, the highest risk first.
func (ws *Workshop) inspectionDocument(site string) (paper.Document, error) {
	d := paper.Document{Title: "Inspection list, " + site,
		Under: "Tick what was seen; write beside it what was not as it should be. A device that is not listed is written below."}
	assets, err := ws.Ledger.AssetsAt(site)
	if err != nil {
		return d, err
	}
	if len(assets) == 0 {
		return d, invalid("site", "There is no device at "+site+": choose a site of the register.")
	}
	ids := make([]string, len(assets))
	for i, a := range assets {
		ids[i] = a.ID
	}
	all, err := ws.Ledger.Activities(ids...)
	if err != nil {
		return d, err
	}
	of := map[string][]ledger.Activity{}
	for _, a := range all {
		of[a.AssetID] = append(of[a.AssetID], a)
	}
	states, err := ws.states(ids...)
	if err != nil {
		return d, err
	}
	columns := []paper.Column{{Title: "device", Wide: 4}, {Title: "risk", Wide: 0.8, Right: true},
		{Title: "due", Wide: 2.3}, {Title: "stands", Wide: 4.6}, {Title: "seen", Wide: 1}, {Title: "label", Wide: 1},
		{Title: "remarks", Wide: 3.4}}
	for _, a := range assets {
		place := a.Place
		if place == "" {
			place = "no place named"
		}
		if n := len(d.Sections); n == 0 || d.Sections[n-1].Title != place {
			d.Sections = append(d.Sections, paper.Section{Title: place, Columns: columns})
		}
		section := &d.Sections[len(d.Sections)-1]
		section.Rows = append(section.Rows, []string{a.Tag + " " + a.Maker + " " + a.Model + ", serial " + a.Serial,
			fmt.Sprint(a.Risk), firstDue(of[a.ID]), stands(states[a.ID]), "☐", "☐", ""})
	}
	blank := paper.Section{Title: "Found here and not on the list",
		Columns: []paper.Column{{Title: "tag", Wide: 2}, {Title: "maker, model, serial", Wide: 5},
			{Title: "place", Wide: 3}, {Title: "remarks", Wide: 5}}}
	for range 4 {
		blank.Rows = append(blank.Rows, []string{"", "\n", "", ""})
	}
	d.Sections = append(d.Sections, blank)
	return d, nil
}

func firstDue(all []ledger.Activity) string {
	for _, a := range all { // the next due first
		if duty.HasDay(a.DueOn) {
			return a.DueOn.Format(time.DateOnly)
		}
	}
	return "–"
}

// stands is how a device stands, and why.
func stands(s device.Standing) string {
	if s.State == device.InUse {
		return "nothing due"
	}
	return strings.TrimSuffix(string(s.State)+": "+s.Words, ": ")
}
