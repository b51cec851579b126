package workshop

import (
	"context"
	"slices"
	"sort"
	"time"

	"northneedle/core/device"
	"northneedle/core/person"
	"northneedle/core/reference"
	"northneedle/core/run"
	"northneedle/core/runview"
	"northneedle/internal/capture"
	"northneedle/internal/ledger"
)

// listed is how many rows Today shows of each list; the counts are whole.
const listed = 40

// DueView is an activity that is due on a device.
type DueView struct {
	Asset     string    `json:"asset"`
	Tag       string    `json:"tag"`
	Device    string    `json:"device"`
	Family    string    `json:"family"`
	Site      string    `json:"site"`
	Place     string    `json:"place"`
	Title     string    `json:"title"`
	Procedure string    `json:"procedure,omitempty" doc:"empty where no procedure covers the family yet"`
	DueOn     time.Time `json:"due_on"`
	Days      int       `json:"days" doc:"until due; negative is overdue"`
	Risk      int       `json:"risk"`
	Reason    string    `json:"reason"`
	Run       string    `json:"run,omitempty" doc:"a run in progress on the device"`
	device.Standing
}

// RunBrief is a run in a list.
type RunBrief struct {
	ID         string     `json:"id"`
	Asset      string     `json:"asset"`
	Tag        string     `json:"tag"`
	Device     string     `json:"device"`
	Family     string     `json:"family"`
	Site       string     `json:"site"`
	Place      string     `json:"place"`
	Title      string     `json:"title"`
	Status     run.Status `json:"status"`
	Result     run.Result `json:"result,omitempty"`
	OpenedAt   time.Time  `json:"opened_at"`
	EndedAt    *time.Time `json:"ended_at,omitempty"`
	By         string     `json:"by"`
	Mine       bool       `json:"mine"`
	Reviewer   string     `json:"reviewer,omitempty"`
	Now        string     `json:"now"`
	TimerTitle string     `json:"timer_title,omitempty"`
	TimerStart *time.Time `json:"timer_start,omitempty"`
	TimerUntil *time.Time `json:"timer_until,omitempty"`
	Loose      int        `json:"loose"`
	Paper      bool       `json:"paper" doc:"taken over from an older record, without its events"`
	Replaced   bool       `json:"replaced" doc:"another run has taken its place"`

	Stands *device.Standing `json:"stands,omitempty" doc:"how the device stands, in the list of what waits for review"`
}

// OpenItemBrief is an open loose end, for the top bar.
type OpenItemBrief struct {
	Run      string    `json:"run"`
	Tag      string    `json:"tag"`
	What     string    `json:"what"`
	By       string    `json:"by"`
	OpenedAt time.Time `json:"opened_at"`
}

// TodayView is what there is to do now.
type TodayView struct {
	Overdue      []DueView           `json:"overdue"`
	OverdueCount int64               `json:"overdue_count"`
	Due          []DueView           `json:"due" doc:"within 14 days"`
	Open         []RunBrief          `json:"open"`
	Review       []RunBrief          `json:"review"`
	Bring        []reference.KitLine `json:"bring"`
	Troubles     []string            `json:"troubles" doc:"references that need attention"`
}

// BenchState is what every screen shows along its edges.
type BenchState struct {
	Now       time.Time       `json:"now" doc:"the server's clock"`
	Dock      []RunBrief      `json:"dock"`
	OpenItems []OpenItemBrief `json:"loose_ends"`
	Links     []capture.Link  `json:"links"`

	Sequences []capture.State `json:"sequences" doc:"runs that are read by themselves"`
}

// Today is what there is to do now, for whoever looks.
func (ws *Workshop) Today(ctx context.Context, who person.Person) (TodayView, error) {
	view, err := remembered(ctx, ws, ws.dueToday, "today")
	if err != nil {
		return view, err
	}
	if view.Open, err = ws.runsIn(run.Open, who); err != nil {
		return view, err
	}
	if view.Review, err = ws.reviews(who); err != nil {
		return view, err
	}
	running := map[string]string{}
	for _, r := range view.Open {
		running[r.Asset] = r.ID
	}
	for _, list := range []*[]DueView{&view.Overdue, &view.Due} {
		*list = slices.Clone(*list)
		for i := range *list {
			(*list)[i].Run = running[(*list)[i].Asset]
		}
	}
	return view, nil
}

// dueToday is what is due, and what it needs; without the runs in progress.
func (ws *Workshop) dueToday() (TodayView, error) {
	now := ws.Clock()
	day := dayOf(now)
	view := TodayView{Overdue: []DueView{}, Due: []DueView{}}
	overdue, err := ws.Ledger.DueUntil(day, listed)
	if err != nil {
		return view, err
	}
	if view.OverdueCount, err = ws.Ledger.CountDue(day); err != nil {
		return view, err
	}
	due, err := ws.Ledger.DueBetween(day, day.AddDate(0, 0, 14), listed)
	if err != nil {
		return view, err
	}
	for _, d := range overdue {
		view.Overdue = append(view.Overdue, ws.dueView(d))
	}
	for _, d := range due {
		view.Due = append(view.Due, ws.dueView(d))
	}
	if err := ws.standToday(view.Overdue, view.Due); err != nil {
		return view, err
	}
	view.Bring, view.Troubles, err = ws.bring(append(append([]DueView{}, view.Overdue...), view.Due...))
	return view, err
}

// standToday fills in how the devices of some lists stand.
func (ws *Workshop) standToday(lists ...[]DueView) error {
	var ids []string
	for _, list := range lists {
		for _, d := range list {
			ids = append(ids, d.Asset)
		}
	}
	states, err := ws.states(ids...)
	for _, list := range lists {
		for i := range list {
			list[i].Standing = states[list[i].Asset]
		}
	}
	return err
}

func (ws *Workshop) dueView(d ledger.Due) DueView {
	return DueView{Asset: d.AssetID, Tag: d.Tag, Device: d.Maker + " " + d.Model, Family: d.Family, Site: d.Site,
		Place: d.Place, Title: d.Title,
		Procedure: d.Activity.Procedure, DueOn: d.DueOn, Days: ws.days(d.DueOn), Risk: d.Risk, Reason: d.Reason}
}

func (ws *Workshop) runsIn(status run.Status, who person.Person) ([]RunBrief, error) {
	rows, err := ws.Ledger.RunsIn(status, listed)
	briefs := make([]RunBrief, len(rows))
	for i, r := range rows {
		briefs[i] = ws.brief(r, who)
	}
	return briefs, err
}

// reviews are the runs that wait for review, with how their devices stand meanwhile.
func (ws *Workshop) reviews(who person.Person) ([]RunBrief, error) {
	briefs, err := ws.runsIn(run.InReview, who)
	if err != nil {
		return nil, err
	}
	ids := make([]string, len(briefs))
	for i, b := range briefs {
		ids[i] = b.Asset
	}
	states, err := ws.states(ids...)
	for i := range briefs {
		state := states[briefs[i].Asset]
		briefs[i].Stands = &state
	}
	return briefs, err
}

// brief is a run in a list; a timer that has run out since the last event says so.
func (ws *Workshop) brief(r ledger.Run, who person.Person) RunBrief {
	b := RunBrief{ID: r.ID, Asset: r.AssetID, Tag: r.Tag, Device: r.Device(), Family: r.Family, Site: r.Site,
		Place: r.Place, Title: r.Title, Status: r.Status, Result: r.Result,
		OpenedAt: r.OpenedAt, EndedAt: r.EndedAt, By: r.By, Mine: r.ByID == who.ID, Reviewer: r.Reviewer, Now: r.Now,
		TimerTitle: r.TimerTitle, TimerStart: r.TimerStart,
		TimerUntil: r.TimerUntil, Loose: r.Loose, Paper: r.Paper, Replaced: r.ReplacedBy != ""}
	if r.TimerUntil != nil && !ws.Clock().Before(*r.TimerUntil) {
		if state, err := ws.Ledger.Run(r.ID); err == nil {
			b.Now = runview.BriefOf(state, ws.Clock()).Now
		}
	}
	return b
}

// BenchState is what every screen shows along its edges, for whoever looks.
func (ws *Workshop) BenchState(who person.Person) (BenchState, error) {
	view := BenchState{
		Now:       ws.Clock(),
		OpenItems: []OpenItemBrief{},
		Links:     ws.Bench.Links(),
		Sequences: ws.sequences.States(),
	}
	var err error
	if view.Dock, err = ws.runsIn(run.Open, who); err != nil {
		return view, err
	}
	sort.SliceStable(view.Dock, func(i, j int) bool { return view.Dock[i].Mine && !view.Dock[j].Mine })
	ends, err := ws.Ledger.OpenItems()
	for _, e := range ends {
		view.OpenItems = append(view.OpenItems, OpenItemBrief{e.RunID, e.Tag, e.What, e.By, e.OpenedAt})
	}
	return view, err
}

// bring lists what the due jobs need, and the references that cannot be used.
func (ws *Workshop) bring(jobs []DueView) (lines []reference.KitLine, troubles []string, err error) {
	kit, err := ws.kit()
	if err != nil {
		return nil, nil, err
	}
	needed := map[string]int{}
	for _, j := range jobs {
		needed[j.Procedure]++
	}
	for _, p := range ws.procedures() {
		if needed[p.ID] > 0 {
			kit.Bring(p.Roles, needed[p.ID])
		}
	}
	troubles, err = ws.troubles()
	return kit.Lines(), troubles, err
}

// troubles are the references that need attention, each in a sentence.
func (ws *Workshop) troubles() ([]string, error) {
	all, err := ws.Ledger.Standards("")
	words := []string{}
	for _, s := range all {
		if trouble := s.Core().Trouble(s.Note, ws.Clock()); trouble != "" {
			words = append(words, trouble)
		}
	}
	return words, err
}
