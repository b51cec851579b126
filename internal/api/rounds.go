package api

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"net/http"
	"slices"
	"time"

	"northneedle/core/dayplan"
	"northneedle/core/procedure"
	"northneedle/internal/ledger"

	"github.com/danielgtaylor/huma/v2"
)

// RoundJob is a job that is due, and whether it is in the day's plan.
type RoundJob struct {
	ID        string    `json:"id" doc:"activity"`
	Tag       string    `json:"tag"`
	Device    string    `json:"device"`
	Title     string    `json:"title"`
	Procedure string    `json:"procedure"`
	Site      string    `json:"site"`
	Place     string    `json:"place"`
	Risk      int       `json:"risk"`
	DueOn     time.Time `json:"due_on"`
	Days      int       `json:"days"`
	Setup     int       `json:"setup"`
	Wait      int       `json:"wait"`
	Finish    int       `json:"finish"`
	Run       string    `json:"run,omitempty"`
	Chosen    bool      `json:"chosen"`
	Left      string    `json:"left,omitempty" doc:"why it does not fit"`
}

// KitLine is one thing to bring.
type KitLine struct {
	Title   string   `json:"title"`
	Tags    []string `json:"tags"`
	For     int      `json:"for" doc:"jobs"`
	Litres  float64  `json:"litres,omitempty" doc:"of gas needed"`
	Left    float64  `json:"left,omitempty" doc:"litres above the reserve"`
	Problem string   `json:"problem,omitempty"`
}

// RoundView is a day planned.
type RoundView struct {
	Day    string       `json:"day"`
	People []string     `json:"people"`
	All    []string     `json:"all" doc:"everyone who could"`
	From   int          `json:"from" doc:"minute of the day"`
	Until  int          `json:"until"`
	Jobs   []RoundJob   `json:"jobs"`
	Plan   dayplan.Plan `json:"plan"`
	Kit    []KitLine    `json:"kit"`
	Sites  []Site       `json:"sites" doc:"that can be reached that day"`
	Closed []string     `json:"closed" doc:"sites that cannot, and why"`
	Saved  bool         `json:"saved"`
}

// RoundOrder is what was chosen for a day.
type RoundOrder struct {
	People []string `json:"people" maxItems:"10"`
	Jobs   []string `json:"jobs" maxItems:"60"`
	Order  []string `json:"order" maxItems:"120" doc:"of parts; empty: it is ordered anew"`
	Now    bool     `json:"now,omitempty" doc:"plan from this minute on"`

	Who map[string]string `json:"who,omitempty" doc:"whom each job is given to, with an order"`
}

// dayJobs is how many jobs a day is filled with where nobody chose.
const dayJobs = 14

// ahead is how many days before its day a job may be done in a round.
const ahead = 21

// DayPath names a day.
type DayPath struct {
	Day string `path:"day" pattern:"^\\d{4}-\\d{2}-\\d{2}$"`
}

func registerRounds(api huma.API, h *House) {
	huma.Register(api, huma.Operation{OperationID: "round", Method: http.MethodGet, Path: "/api/rounds/{day}", Summary: "A day's round"},
		func(ctx context.Context, in *DayPath) (*struct{ Body RoundView }, error) {
			saved, err := h.Ledger.Round(in.Day)
			known := err == nil
			if !known {
				saved = ledger.Round{Day: in.Day, People: []string{person(ctx).Name}}
			}
			view, err := h.round(saved, false)
			view.Saved = known
			return &struct{ Body RoundView }{view}, fail(err)
		})
	huma.Register(api, huma.Operation{OperationID: "plan-round", Method: http.MethodPost, Path: "/api/rounds/{day}", Summary: "Choose a day's round, put it in order, or plan it anew from now"},
		func(ctx context.Context, in *struct {
			DayPath
			Body RoundOrder
		}) (*struct{ Body RoundView }, error) {
			r := ledger.Round{Day: in.Day, People: in.Body.People, Jobs: in.Body.Jobs, Order: in.Body.Order, Who: in.Body.Who, By: person(ctx).Name, At: h.Clock()}
			view, err := h.round(r, in.Body.Now)
			if err != nil {
				return nil, fail(err)
			}
			r.Order, r.Who = view.Plan.Order, view.Plan.Who
			view.Saved = true
			return &struct{ Body RoundView }{view}, fail(h.Ledger.Save(&r))
		})
}

func (h *House) round(r ledger.Round, fromNow bool) (RoundView, error) {
	date, err := time.ParseInLocation(time.DateOnly, r.Day, h.Clock().Location())
	if err != nil {
		return RoundView{}, invalid("day", "The day is written as 2026-11-26.")
	}
	lab, err := h.workingDay()
	if err != nil {
		return RoundView{}, err
	}
	v := RoundView{Day: r.Day, People: r.People, All: []string{}, From: minute(lab.From, 480), Until: minute(lab.Until, 990), Kit: []KitLine{}, Sites: []Site{}, Closed: []string{}}
	if v.People == nil {
		v.People = []string{}
	}
	everyone, err := h.Ledger.People()
	if err != nil {
		return v, err
	}
	for _, p := range everyone {
		if p.Role != procedure.Manager {
			v.All = append(v.All, p.Name)
		}
	}
	begin := v.From
	if now := h.Clock(); fromNow && now.Format(time.DateOnly) == r.Day {
		begin = max(begin, now.Hour()*60+now.Minute())
	}
	day := dayplan.Day{Order: r.Order, Who: r.Who, Windows: map[string][]dayplan.Window{}}
	for _, name := range v.People {
		if slices.Contains(v.All, name) && begin < v.Until {
			day.People = append(day.People, dayplan.Person{Name: name, Window: dayplan.Window{From: begin, Until: v.Until}, Place: lab.Home, Skills: lab.skills(name)})
		}
	}
	v.openSites(lab, date)
	if err := h.roundJobs(&v, r, date, lab); err != nil {
		return v, err
	}
	if err := h.fillDay(&day, &v, lab); err != nil {
		return v, err
	}
	if len(day.People) == 0 {
		v.Plan = dayplan.Plan{Blocks: []dayplan.Block{}, Left: []dayplan.Left{}, Order: []string{}, Who: map[string]string{}}
		return v, nil
	}
	day.Order = slices.DeleteFunc(slices.Clone(day.Order), func(id string) bool {
		return !slices.ContainsFunc(day.Jobs, func(j dayplan.Job) bool { return j.ID == id })
	})
	if v.Plan, err = dayplan.Make(day); err != nil {
		return v, invalid("order", sentence(err))
	}
	for _, left := range v.Plan.Left {
		for i := range v.Jobs {
			if v.Jobs[i].ID == left.Job {
				v.Jobs[i].Left = left.Why
			}
		}
	}
	return v, nil
}

// skills are the families that a person may do among those that not everyone may.
func (d WorkingDay) skills(name string) (families []string) {
	for family, people := range d.Skills {
		if slices.Contains(people, name) {
			families = append(families, family)
		}
	}
	return families
}

// openSites says which sites can be reached on a day.
func (v *RoundView) openSites(lab WorkingDay, date time.Time) {
	weekday := (int(date.Weekday())+6)%7 + 1
	for _, s := range lab.Sites {
		if len(s.Weekdays) > 0 && !slices.Contains(s.Weekdays, weekday) {
			v.Closed = append(v.Closed, s.Name+": "+cmp.Or(s.Why, "not on this day"))
			continue
		}
		v.Sites = append(v.Sites, s)
	}
}

// roundJobs are what is due for a day, and which of it is chosen: by hand, or the gravest
// that can be reached.
func (h *House) roundJobs(v *RoundView, r ledger.Round, date time.Time, lab WorkingDay) error {
	due, err := h.Ledger.DueUntil(date.AddDate(0, 0, ahead), 120)
	if err != nil {
		return err
	}
	running, err := h.Ledger.RunsIn(procedure.Open, listed)
	if err != nil {
		return err
	}
	closed := func(site string) bool {
		return slices.ContainsFunc(lab.Sites, func(s Site) bool { return s.Name == site }) && !slices.ContainsFunc(v.Sites, func(s Site) bool { return s.Name == site })
	}
	v.Jobs = []RoundJob{}
	for _, d := range due {
		at := slices.IndexFunc(h.procedures(), func(p procedure.Procedure) bool { return p.ID == d.Activity.Procedure })
		e := procedure.Estimate{Setup: 20}
		if at >= 0 {
			e = h.procedures()[at].Estimate(lab.Hands)
		}
		j := RoundJob{ID: d.ID, Tag: d.Tag, Device: d.Maker + " " + d.Model, Title: d.Title, Procedure: d.Activity.Procedure, Site: d.Site, Place: d.Place, Risk: d.Risk, DueOn: d.DueOn, Days: h.days(d.DueOn),
			Setup: up(e.Setup), Wait: up(e.Wait), Finish: up(e.Finish)}
		for _, run := range running {
			if run.AssetID == d.AssetID && run.Procedure == d.Activity.Procedure {
				j.Run = run.ID
			}
		}
		j.Chosen = slices.Contains(r.Jobs, d.ID)
		if closed(d.Site) && !j.Chosen {
			continue
		}
		v.Jobs = append(v.Jobs, j)
	}
	if len(r.Jobs) > 0 {
		return nil
	}
	// Nobody chose: what is away from home and can be reached on few days comes first.
	rank := func(j RoundJob) int {
		away := 0
		if slices.ContainsFunc(v.Sites, func(s Site) bool { return s.Name == j.Site && len(s.Weekdays) > 0 }) {
			away = 40
		}
		return j.Risk*8 + max(-20, min(60, -j.Days)) + away
	}
	slices.SortStableFunc(v.Jobs, func(a, b RoundJob) int { return cmp.Compare(rank(b), rank(a)) })
	for i := range v.Jobs[:min(dayJobs*max(1, len(v.People)), len(v.Jobs))] {
		v.Jobs[i].Chosen = true
	}
	return nil
}

func up(minutes float64) int { return int(math.Ceil(minutes - 1e-9)) }

// fillDay hands the chosen jobs to the plan, with references, places and ways; and lists the kit.
func (h *House) fillDay(day *dayplan.Day, v *RoundView, lab WorkingDay) error {
	standards, err := h.Ledger.Standards("")
	if err != nil {
		return err
	}
	site := map[string]string{}
	kit := kitList{standards: standards, now: h.Clock(), lines: map[string]*KitLine{}}
	for _, j := range v.Jobs {
		if !j.Chosen {
			continue
		}
		place := j.Place + ", " + j.Site
		site[place] = j.Site
		job := dayplan.Job{ID: j.ID, Place: place, Setup: j.Setup, Wait: j.Wait, Finish: j.Finish, Risk: max(1, min(5, j.Risk)), DaysLate: -j.Days}
		if at := slices.IndexFunc(h.procedures(), func(p procedure.Procedure) bool { return p.ID == j.Procedure }); at >= 0 {
			job.References = kit.bring(h.procedures()[at])
			if _, few := lab.Skills[h.procedures()[at].Family]; few {
				job.Skill = h.procedures()[at].Family
			}
		}
		if j.Run != "" {
			if row, err := h.Ledger.RunRow(j.Run); err == nil {
				job.Started, job.Finish = true, max(5, job.Finish)
				if row.TimerUntil != nil {
					job.Ready = row.TimerUntil.Hour()*60 + row.TimerUntil.Minute()
				}
			}
		}
		day.Jobs = append(day.Jobs, job)
		for _, s := range lab.Sites {
			if s.Name == j.Site && (s.From != "" || len(s.Weekdays) > 0) {
				day.Windows[place] = []dayplan.Window{{From: minute(s.From, v.From), Until: minute(s.Until, v.Until)}}
			}
		}
	}
	v.Kit = kit.list()
	travel := map[string]int{}
	for _, s := range lab.Sites {
		travel[s.Name] = s.Travel
	}
	day.Travel = func(from, to string) int {
		a, b := site[from], site[to]
		if a == "" {
			a = from
		}
		if b == "" {
			b = to
		}
		if a == b {
			return lab.Within
		}
		return travel[a] + travel[b]
	}
	return nil
}

// kitList is what a day's jobs need.
type kitList struct {
	standards []ledger.Standard
	now       time.Time
	lines     map[string]*KitLine
	order     []string
}

// bring adds what a procedure needs, and gives the references that only one job can have
// at a time: instruments, not kits of weights nor lots.
func (k *kitList) bring(p procedure.Procedure) (tags []string) {
	for _, role := range p.Roles {
		if role.Optional {
			continue
		}
		line := k.lines[role.Title]
		if line == nil {
			line = &KitLine{Title: role.Title, Tags: []string{}}
			k.lines[role.Title], k.order = line, append(k.order, role.Title)
			role.Prepared = nil // it is prepared on the day itself
			for _, s := range k.standards {
				if s.Kind == role.Kind && len(role.Fits(s.Core(), k.now).Blocks) == 0 {
					line.Tags = append(line.Tags, s.Tag)
					if s.Cylinder != nil {
						line.Left = max(line.Left, s.Cylinder.Usable())
					}
				}
			}
			if len(line.Tags) == 0 {
				line.Problem = "None can be used that day as things stand."
			}
		}
		line.For++
		line.Litres += role.Litres
		if line.Litres > line.Left && role.Litres > 0 {
			line.Problem = fmt.Sprintf("The jobs need about %.0f L; %.0f L are above the reserve.", line.Litres, line.Left)
		}
		if len(line.Tags) == 1 && role.Litres == 0 {
			tags = append(tags, line.Tags[0])
		}
	}
	return tags
}

func (k *kitList) list() []KitLine {
	all := make([]KitLine, len(k.order))
	for i, title := range k.order {
		all[i] = *k.lines[title]
	}
	return all
}

// WorkloadView is the year ahead, month by month, as it stands and levelled.
type WorkloadView struct {
	Months   []string  `json:"months" doc:"2026-11 and so on"`
	Hours    []float64 `json:"hours"`
	Levelled []float64 `json:"levelled"`
	Moves    int       `json:"moves" doc:"activities that would be brought forward"`
	Capacity float64   `json:"capacity" doc:"hours of verification in a month"`
}

// yearMonths is how far ahead the workload looks.
const yearMonths = 12

func registerWorkload(api huma.API, h *House) {
	huma.Register(api, huma.Operation{OperationID: "workload", Method: http.MethodGet, Path: "/api/workload", Summary: "The year's workload, as it stands and levelled"},
		func(ctx context.Context, _ *struct{}) (*struct{ Body WorkloadView }, error) {
			v, _, _, err := h.workload()
			return &struct{ Body WorkloadView }{v}, fail(err)
		})
	huma.Register(api, huma.Operation{OperationID: "level-workload", Method: http.MethodPost, Path: "/api/workload", Summary: "Bring work forward within its window, as levelled"},
		func(ctx context.Context, in *struct {
			Body struct {
				ID string `json:"id" minLength:"8" maxLength:"60" doc:"made by the client; sent again it changes nothing"`
			}
		}) (*struct{ Body WorkloadView }, error) {
			if who := person(ctx); who.Role != procedure.Lead && who.Role != procedure.Manager {
				return nil, fail(forbidden("The year is levelled by a lead or a manager."))
			}
			if err := h.level(in.Body.ID, person(ctx)); err != nil {
				return nil, fail(err)
			}
			v, _, _, err := h.workload()
			return &struct{ Body WorkloadView }{v}, fail(err)
		})
}

// workload adds up what is due in the months ahead; what is overdue falls into the first.
// An activity may be brought forward by a sixth of its interval.
func (h *House) workload() (v WorkloadView, moves []dayplan.Move, of map[string]ledger.Activity, err error) {
	now := h.Clock()
	first := time.Date(now.Year(), now.Month(), 1, 0, 0, 0, 0, now.Location())
	lab, err := h.workingDay()
	if err != nil {
		return v, nil, nil, err
	}
	activities, err := h.Ledger.DueByMonth(time.Time{}, first.AddDate(0, yearMonths, 0))
	if err != nil {
		return v, nil, nil, err
	}
	hours := map[string]float64{}
	for _, p := range h.procedures() {
		e := p.Estimate(lab.Hands)
		hours[p.ID] = (e.Setup + e.Finish) / 60
	}
	of = map[string]ledger.Activity{}
	var loads []dayplan.Load
	for _, a := range activities {
		days := calendarDays(a)
		if days > 0 && days < 28 { // daily and weekly checks are the users'
			continue
		}
		each, known := hours[a.Procedure]
		if !known {
			each = 0.3
		}
		month := func(t time.Time) int {
			return max(0, (t.Year()-first.Year())*12+int(t.Month())-int(first.Month()))
		}
		l := dayplan.Load{ID: a.ID, Month: month(a.DueOn), Hours: each}
		l.Earliest = min(l.Month, month(a.DueOn.AddDate(0, 0, -days/6)))
		loads, of[a.ID] = append(loads, l), a
		for next := a.DueOn; days > 0; { // and again, for the rest of the year: there it stays
			if next = next.AddDate(0, 0, days); !next.Before(first.AddDate(0, yearMonths, 0)) {
				break
			}
			if next.After(first) {
				loads = append(loads, dayplan.Load{ID: a.ID + " " + next.Format(time.DateOnly), Month: month(next), Earliest: month(next), Hours: each})
			}
		}
	}
	v.Capacity = lab.Capacity
	for i := range yearMonths {
		v.Months = append(v.Months, first.AddDate(0, i, 0).Format("2006-01"))
	}
	v.Hours, v.Levelled, moves, err = dayplan.Level(loads, yearMonths)
	v.Moves = len(moves)
	return v, moves, of, err
}

// level re-plans what levelling brings forward, to the last day of the month it goes to.
func (h *House) level(id string, who procedure.Person) error {
	v, moves, of, err := h.workload()
	if err != nil {
		return err
	}
	var notes []ledger.ActivityNote
	var changed []*ledger.Activity
	for _, m := range moves {
		a, err := h.Ledger.Activity(of[m.ID].ID)
		if err != nil {
			return err
		}
		month, err := time.ParseInLocation("2006-01", v.Months[m.To], h.Clock().Location())
		if err != nil {
			return err
		}
		a.DueOn = month.AddDate(0, 1, -1)
		a.Reason = "brought forward to level the year, by " + who.Name
		notes = append(notes, ledger.ActivityNote{ID: id + "-" + a.ID, ActivityID: a.ID, AssetID: a.AssetID, At: h.Clock(), By: who.Name, Kind: ledger.NoteReplanned, Text: "to " + a.DueOn.Format(time.DateOnly) + ": the year is levelled"})
		changed = append(changed, &a)
	}
	return h.Ledger.ChangeActivities(notes, changed...)
}
