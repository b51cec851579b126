package workshop

import (
	"cmp"
	"context"
	"math"
	"slices"
	"time"

	"northneedle/core/dayplan"
	"northneedle/core/person"
	"northneedle/core/reference"
	"northneedle/core/run"
	"northneedle/internal/ledger"
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

// RoundView is a day planned.
type RoundView struct {
	Day    string              `json:"day"`
	People []string            `json:"people"`
	All    []string            `json:"all" doc:"everyone who could"`
	From   int                 `json:"from" doc:"minute of the day"`
	Until  int                 `json:"until"`
	Jobs   []RoundJob          `json:"jobs"`
	Plan   dayplan.Plan        `json:"plan"`
	Kit    []reference.KitLine `json:"kit"`
	Sites  []Site              `json:"sites" doc:"that can be reached that day"`
	Closed []string            `json:"closed" doc:"sites that cannot, and why"`
	Saved  bool                `json:"saved"`
}

// RoundOrder is what was chosen for a day.
type RoundOrder struct {
	People []string `json:"people" maxItems:"10"`
	Jobs   []string `json:"jobs" maxItems:"60"`
	Order  []string `json:"order" maxItems:"120" doc:"of parts; empty: it is ordered anew"`
	Now    bool     `json:"now,omitempty" doc:"plan from this minute on"`

	Who map[string]string `json:"who,omitempty" doc:"whom each job is given to, with an order"`
}

// Round is the stored round of a day; without one, a plan for the person who asks.
func (ws *Workshop) Round(ctx context.Context, day string, who person.Person) (RoundView, error) {
	return remembered(ctx, ws, func() (RoundView, error) {
		kept, err := ws.Ledger.Round(day)
		known := err == nil
		if !known {
			kept = ledger.Round{Day: day, People: []string{who.Name}}
		}
		view, err := ws.round(kept, false)
		view.Saved = known
		return view, err
	}, "round", day, who.ID)
}

// PlanRound plans a day as it was chosen, and keeps it.
func (ws *Workshop) PlanRound(day string, o RoundOrder, who person.Person) (v RoundView, err error) {
	others := slices.ContainsFunc(o.People, func(name string) bool { return name != who.Name })
	if err := mayDo(who, person.PlanOthersRounds); others && err != nil {
		return v, err
	}
	r := ledger.Round{
		Day:    day,
		People: o.People,
		Jobs:   o.Jobs,
		Order:  o.Order,
		Who:    o.Who,
		By:     who.Name,
		At:     ws.Clock(),
	}
	v, err = ws.round(r, o.Now)
	if err != nil {
		return v, err
	}
	r.Order, r.Who = v.Plan.Order, v.Plan.Who
	v.Saved = true
	return v, ws.Ledger.Record(ws.act("", "round planned", who, ""), &r)
}

func (ws *Workshop) round(r ledger.Round, fromNow bool) (RoundView, error) {
	date, err := time.ParseInLocation(time.DateOnly, r.Day, ws.Clock().Location())
	if err != nil {
		return RoundView{}, invalid("day", "The day is written as 2026-11-26.")
	}
	lab, err := ws.workingDay()
	if err != nil {
		return RoundView{}, err
	}
	v := RoundView{
		Day:    r.Day,
		People: r.People,
		All:    []string{},
		From:   minute(lab.From, 480),
		Until:  minute(lab.Until, 990),
		Kit:    []reference.KitLine{},
		Sites:  []Site{},
		Closed: []string{},
	}
	if v.People == nil {
		v.People = []string{}
	}
	everyone, err := ws.Ledger.People()
	if err != nil {
		return v, err
	}
	competences, err := ws.Ledger.Alone()
	if err != nil {
		return v, err
	}
	may, few := map[string][]string{}, []string{}
	for _, p := range everyone {
		if person.Can(p.Role, person.WorkRuns) {
			v.All = append(v.All, p.Name)
			may[p.Name], few = skills(person.Person{ID: p.ID, Role: p.Role}, competences, date)
		}
	}
	begin := v.From
	if now := ws.Clock(); fromNow && now.Format(time.DateOnly) == r.Day {
		begin = max(begin, now.Hour()*60+now.Minute())
	}
	day := dayplan.Day{Order: r.Order, Who: r.Who, Windows: map[string][]dayplan.Window{}}
	for _, name := range v.People {
		if slices.Contains(v.All, name) && begin < v.Until {
			day.People = append(day.People, dayplan.Person{
				Name:   name,
				Window: dayplan.Window{From: begin, Until: v.Until},
				Place:  lab.Home,
				Skills: may[name],
			})
		}
	}
	v.openSites(lab, date)
	if err := ws.roundJobs(&v, r, date, lab); err != nil {
		return v, err
	}
	if err := ws.fillDay(&day, &v, lab, few); err != nil {
		return v, err
	}
	if len(day.People) == 0 {
		v.Plan = dayplan.Plan{
			Blocks: []dayplan.Block{},
			Left:   []dayplan.Left{},
			Order:  []string{},
			Who:    map[string]string{},
		}
		return v, nil
	}
	day.Order = slices.DeleteFunc(slices.Clone(day.Order), func(id string) bool {
		return !slices.ContainsFunc(day.Jobs, func(j dayplan.Job) bool { return j.ID == id })
	})
	if v.Plan, err = ws.plans.make(day, lab); err != nil {
		return v, invalid("order", Sentence(err))
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
func (ws *Workshop) roundJobs(v *RoundView, r ledger.Round, date time.Time, lab WorkingDay) error {
	due, err := ws.Ledger.DueUntil(ledger.DueFilter{}, date.AddDate(0, 0, lab.Rounds.Ahead), 120)
	if err != nil {
		return err
	}
	running, err := ws.Ledger.RunsIn(run.Open, listed)
	if err != nil {
		return err
	}
	closed := func(site string) bool {
		return slices.ContainsFunc(lab.Sites, func(s Site) bool { return s.Name == site }) &&
			!slices.ContainsFunc(v.Sites, func(s Site) bool { return s.Name == site })
	}
	v.Jobs = []RoundJob{}
	for _, d := range due {
		e := ws.estimate(d.Activity.Procedure, lab)
		j := RoundJob{ID: d.ID, Tag: d.Tag, Device: d.Maker + " " + d.Model, Title: d.Title,
			Procedure: d.Activity.Procedure, Site: d.Site, Place: d.Place, Risk: d.Risk, DueOn: d.DueOn,
			Days:  ws.days(d.DueOn),
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
	// Nobody chose: the gravest that can be reached.
	candidates := make([]dayplan.Candidate, len(v.Jobs))
	for i, j := range v.Jobs {
		seldom := slices.ContainsFunc(v.Sites, func(s Site) bool { return s.Name == j.Site && len(s.Weekdays) > 0 })
		candidates[i] = dayplan.Candidate{Risk: j.Risk, DaysLate: -j.Days, Seldom: seldom}
	}
	sorted := make([]RoundJob, 0, len(v.Jobs))
	for n, i := range dayplan.Gravest(candidates) {
		j := v.Jobs[i]
		j.Chosen = n < lab.Rounds.Jobs*max(1, len(v.People))
		sorted = append(sorted, j)
	}
	v.Jobs = sorted
	return nil
}

func up(minutes float64) int { return int(math.Ceil(minutes - 1e-9)) }

// fillDay hands the chosen jobs to the plan, with references, places and ways; and lists the kit.
func (ws *Workshop) fillDay(day *dayplan.Day, v *RoundView, lab WorkingDay, few []string) error {
	kit, err := ws.kit()
	if err != nil {
		return err
	}
	site := map[string]string{}
	for _, j := range v.Jobs {
		if !j.Chosen {
			continue
		}
		place := j.Place + ", " + j.Site
		site[place] = j.Site
		job := dayplan.Job{
			ID:       j.ID,
			Place:    place,
			Setup:    j.Setup,
			Wait:     j.Wait,
			Finish:   j.Finish,
			Risk:     max(1, min(5, j.Risk)),
			DaysLate: -j.Days,
		}
		if p, known := ws.procedure(j.Procedure); known {
			job.References = kit.Bring(p.Roles, 1)
			if slices.Contains(few, p.Family) {
				job.Skill = p.Family
			}
		}
		if j.Run != "" {
			if row, err := ws.Ledger.RunRow(j.Run); err == nil {
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
	v.Kit = kit.Lines()
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
