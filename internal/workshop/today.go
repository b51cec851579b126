package workshop

import (
	"cmp"
	"context"
	"maps"
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
	Overdue      []DueView           `json:"overdue" doc:"the first of them"`
	OverdueCount int                 `json:"overdue_count"`
	Due          []DueView           `json:"due" doc:"within 14 days: the first of them"`
	DueCount     int                 `json:"due_count"`
	Weeks        []WeekDue           `json:"weeks" doc:"what is due in each week to come, of the devices that are meant"`
	Sites        []GroupDue          `json:"sites" doc:"by site, of whoever is meant"`
	Keepers      []GroupDue          `json:"keepers" doc:"by who looks after it, of the site that is meant"`
	Open         []RunBrief          `json:"open"`
	Review       []RunBrief          `json:"review"`
	Drafts       []DraftBrief        `json:"drafts" doc:"of procedures, that whoever looks can release"`
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

// TodayQuery says of which devices the day is meant. What is empty takes all.
type TodayQuery struct {
	Site   string `query:"site" maxLength:"80"`
	Keeper string `query:"keeper" maxLength:"120" doc:"who looks after them"`
}

// WeekDue is how much is due in a week.
type WeekDue struct {
	Monday Day `json:"monday" format:"date"`
	Due    int `json:"due"`
}

// GroupDue is how much is due of one site, or of what somebody looks after.
type GroupDue struct {
	Name    string `json:"name" doc:"empty: of nobody"`
	Overdue int    `json:"overdue"`
	Due     int    `json:"due" doc:"within 14 days"`
}

// weeksAhead is how many weeks Today counts.
const weeksAhead = 8

// dueDays is within how many days something is called due.
const dueDays = 14

// Today is what there is to do now, for whoever looks.
func (ws *Workshop) Today(ctx context.Context, q TodayQuery, who person.Person) (TodayView, error) {
	view, err := remembered(ctx, ws, func() (TodayView, error) { return ws.dueToday(q) }, "today", q)
	if err != nil {
		return view, err
	}
	if view.Open, err = ws.runsIn(run.Open, who); err != nil {
		return view, err
	}
	if view.Review, err = ws.reviews(who); err != nil {
		return view, err
	}
	if view.Drafts, err = ws.draftsFor(who); err != nil {
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
func (ws *Workshop) dueToday(q TodayQuery) (TodayView, error) {
	now := ws.Clock()
	day := dayOf(now)
	view := TodayView{Overdue: []DueView{}, Due: []DueView{}}
	f := ledger.DueFilter{Site: q.Site, Keeper: q.Keeper}
	overdue, err := ws.Ledger.DueUntil(f, day, listed)
	if err != nil {
		return view, err
	}
	if err := ws.countDue(&view, q, day); err != nil {
		return view, err
	}
	due, err := ws.Ledger.DueBetween(f, day, day.AddDate(0, 0, dueDays), listed)
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

// countDue counts what is due: all of it, by week, by site and by who looks after it.
func (ws *Workshop) countDue(v *TodayView, q TodayQuery, day time.Time) error {
	monday := day.AddDate(0, 0, -int(day.Weekday()+6)%7)
	counts, err := ws.Ledger.DueCounts(monday.AddDate(0, 0, 7*weeksAhead))
	if err != nil {
		return err
	}
	today, until := day.Format(time.DateOnly), day.AddDate(0, 0, dueDays).Format(time.DateOnly)
	for i := range weeksAhead {
		v.Weeks = append(v.Weeks, WeekDue{Monday: Day(monday.AddDate(0, 0, 7*i).Format(time.DateOnly))})
	}
	sites, keepers, all := map[string]GroupDue{}, map[string]GroupDue{}, map[string]GroupDue{}
	add := func(to map[string]GroupDue, name string, c ledger.DueCount) {
		g := to[name]
		g.Name = name
		switch {
		case c.Day < today:
			g.Overdue += c.Activities
		case c.Day < until:
			g.Due += c.Activities
		}
		to[name] = g
	}
	for _, c := range counts {
		mine, here := q.Keeper == "" || c.Keeper == q.Keeper, q.Site == "" || c.Site == q.Site
		if mine {
			add(sites, c.Site, c)
		}
		if here {
			add(keepers, c.Keeper, c)
		}
		if !mine || !here {
			continue
		}
		add(all, "", c)
		for i := range v.Weeks { // what is overdue falls into no week
			if c.Day >= today && c.Day >= string(v.Weeks[i].Monday) && (i == weeksAhead-1 || c.Day < string(v.Weeks[i+1].Monday)) {
				v.Weeks[i].Due += c.Activities
			}
		}
	}
	v.OverdueCount, v.DueCount = all[""].Overdue, all[""].Due
	v.Sites, v.Keepers = grouped(sites), grouped(keepers)
	return nil
}

// grouped are groups, the one with the most overdue first.
func grouped(by map[string]GroupDue) []GroupDue {
	all := slices.AppendSeq(make([]GroupDue, 0, len(by)), maps.Values(by))
	slices.SortFunc(all, func(a, b GroupDue) int {
		return cmp.Or(b.Overdue-a.Overdue, b.Due-a.Due, cmp.Compare(a.Name, b.Name))
	})
	return all
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

// troubles are the references that need attention, and the safety notices that are open, each in a sentence.
func (ws *Workshop) troubles() ([]string, error) {
	all, err := ws.Ledger.Standards("")
	words := []string{}
	for _, s := range all {
		if trouble := s.Core().Trouble(s.Note, ws.Clock()); trouble != "" {
			words = append(words, trouble)
		}
	}
	if err != nil {
		return nil, err
	}
	notices, err := ws.openNotices()
	return append(words, notices...), err
}
