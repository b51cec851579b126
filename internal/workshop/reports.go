package workshop

import (
	"context"
	"fmt"
	"time"

	"northneedle/core/device"
	"northneedle/core/interval"
	"northneedle/core/person"
	"northneedle/core/report"
	"northneedle/internal/paper"
)

// ModelReport is how the devices of one model were found.
type ModelReport struct {
	Device  string       `json:"device"`
	Family  string       `json:"family"`
	Devices int          `json:"devices"`
	Found   report.Share `json:"found" doc:"of its runs, those found inside every limit"`
}

// WorkReport is what one procedure took.
type WorkReport struct {
	Family string  `json:"family"`
	Title  string  `json:"title"`
	Runs   int     `json:"runs"`
	Hours  float64 `json:"hours" doc:"of hands, by the procedure's steps: an estimate; 0 where it is not known"`
	Cost   float64 `json:"cost"`
}

// GasReport is what became of a cylinder's gas.
type GasReport struct {
	Tag      string  `json:"tag"`
	Name     string  `json:"name"`
	UsedL    float64 `json:"used_l" doc:"by its gauge"`
	MeteredL float64 `json:"metered_l"`
	LostL    float64 `json:"lost_l" doc:"left it and was metered nowhere; below what its gauge can tell: none"`
	Flagged  bool    `json:"flagged" doc:"more was lost than the gauge's reading explains"`
	Cost     float64 `json:"cost"`
}

// MonthReport is what was done in a month, and how much of it on time.
type MonthReport struct {
	Month  time.Time    `json:"month"`
	OnTime report.Share `json:"on_time"`
}

// StateReport is how many devices stand so.
type StateReport struct {
	State   device.State `json:"state"`
	Devices int          `json:"devices"`
}

// ReportView is what a time of work came to.
type ReportView struct {
	From         time.Time         `json:"from"`
	Until        time.Time         `json:"until" doc:"not included"`
	OnTime       report.Timeliness `json:"on_time"`
	Months       []MonthReport     `json:"months"`
	Models       []ModelReport     `json:"models"`
	Overdue      []report.Exposure `json:"overdue" doc:"now, the gravest risk first"`
	OverdueAll   int               `json:"overdue_all"`
	States       []StateReport     `json:"states" doc:"how the devices stand now"`
	Work         []WorkReport      `json:"work"`
	Runs         int               `json:"runs"`
	Hours        float64           `json:"hours"`
	Unknown      int               `json:"unknown" doc:"runs taken over from paper: counted with the length of an unknown job"`
	Gas          []GasReport       `json:"gas"`
	UsedL        float64           `json:"used_l"`
	LostL        float64           `json:"lost_l"`
	Certificates int               `json:"certificates" doc:"of references, accredited, made in that time"`
	Prices       report.Prices     `json:"prices"`
	Cost         float64           `json:"cost"`
}

// ReportQuery is the time a report is on.
type ReportQuery struct {
	From  string `query:"from" pattern:"^(\\d{4}-\\d{2}-\\d{2})?$" doc:"first day; a year ago where it is left out"`
	Until string `query:"until" pattern:"^(\\d{4}-\\d{2}-\\d{2})?$" doc:"last day; today where it is left out"`
}

// SetPrices sets what the lab reckons with.
func (ws *Workshop) SetPrices(p report.Prices, who person.Person) error {
	if err := p.Check(); err != nil {
		return invalid("prices", Sentence(err))
	}
	return ws.Ledger.SetSetting(ws.act("", "prices set", who, ""), "prices", p)
}

// ReportPaper is the report on paper.
func (ws *Workshop) ReportPaper(ctx context.Context, q ReportQuery) (f File, err error) {
	view, err := ws.Report(ctx, q)
	if err != nil {
		return f, err
	}
	return ws.onPaper(view.document(), "report-"+view.From.Format(time.DateOnly))
}

// onPaper writes a document with the lab's name and the time on it.
func (ws *Workshop) onPaper(d paper.Document, name string) (f File, err error) {
	lab, err := ws.Lab()
	if err != nil {
		return f, err
	}
	d.Lab, d.At = lab.Name, ws.Clock()
	body, err := d.PDF()
	return File{Name: name + ".pdf", Type: "application/pdf", Body: body}, err
}

// span is the time a report is on: whole days, the last one included.
func (ws *Workshop) span(q ReportQuery) (from, until time.Time, err error) {
	now := ws.Clock()
	today := dayOf(now)
	from, until = today.AddDate(-1, 0, 0), today.AddDate(0, 0, 1)
	if q.From != "" {
		if from, err = time.ParseInLocation(time.DateOnly, q.From, now.Location()); err != nil {
			return from, until, invalid("from", "There is no such day: write it as 2026-03-01.")
		}
	}
	if q.Until != "" {
		if until, err = time.ParseInLocation(time.DateOnly, q.Until, now.Location()); err != nil {
			return from, until, invalid("until", "There is no such day: write it as 2026-03-01.")
		}
		until = until.AddDate(0, 0, 1)
	}
	if !from.Before(until) || until.Sub(from) > 10*366*24*time.Hour {
		return from, until, invalid("from", "The first day comes before the last, by ten years at most.")
	}
	return from, until, nil
}

// Report is what a time of work came to.
func (ws *Workshop) Report(ctx context.Context, q ReportQuery) (ReportView, error) {
	return remembered(ctx, ws, func() (ReportView, error) { return ws.addUp(q) }, "report", q)
}

// addUp reckons a report from the record.
func (ws *Workshop) addUp(q ReportQuery) (ReportView, error) {
	v := ReportView{Months: []MonthReport{}, Models: []ModelReport{}, Work: []WorkReport{}, Gas: []GasReport{}}
	var err error
	if v.From, v.Until, err = ws.span(q); err != nil {
		return v, err
	}
	if err = ws.Ledger.Setting("prices", &v.Prices); err != nil {
		return v, err
	}
	for _, part := range []func(*ReportView) error{ws.reportTimes, ws.reportModels, ws.reportOverdue, ws.reportStates,
		ws.reportWork,
		ws.reportGas} {
		if err := part(&v); err != nil {
			return v, err
		}
	}
	certificates, err := ws.Ledger.CertifiedBetween(v.From, v.Until)
	v.Certificates = int(certificates)
	v.Cost = v.Prices.Cost(report.Spent{Hours: v.Hours, Litres: v.UsedL, Certificates: v.Certificates})
	return v, err
}

func (ws *Workshop) reportTimes(v *ReportView) error {
	done, err := ws.Ledger.DoneBetween(v.From, v.Until)
	if err != nil {
		return err
	}
	v.OnTime = report.OnTime(done)
	for begin := 0; begin < len(done); {
		on := done[begin].On.In(v.From.Location())
		month := time.Date(on.Year(), on.Month(), 1, 0, 0, 0, 0, on.Location())
		end := begin
		for end < len(done) && done[end].On.Before(month.AddDate(0, 1, 0)) {
			end++
		}
		v.Months = append(v.Months, MonthReport{month, report.OnTime(done[begin:end]).Share})
		begin = end
	}
	return nil
}

func (ws *Workshop) reportModels(v *ReportView) error {
	models, err := ws.Ledger.FoundByModel(v.From, v.Until)
	for _, m := range models {
		share, err := report.ShareOf(m.Inside, m.Runs)
		if err != nil {
			return err
		}
		v.Models = append(v.Models, ModelReport{m.Device, m.Family, m.Devices, share})
	}
	return err
}

func (ws *Workshop) reportOverdue(v *ReportView) error {
	now := ws.Clock()
	overdue, err := ws.Ledger.OverdueRisks(dayOf(now))
	late := make([]report.Late, len(overdue))
	for i, a := range overdue {
		late[i] = report.Late{Risk: a.Risk, Days: -ws.days(a.DueOn)}
	}
	v.Overdue, v.OverdueAll = report.ByRisk(late), len(late)
	return err
}

// reportStates counts how the devices stand now; those that are retired are none any more.
func (ws *Workshop) reportStates(v *ReportView) error {
	var ids []string
	for a, err := range ws.Ledger.EveryAsset() {
		if err != nil {
			return err
		}
		ids = append(ids, a.ID)
	}
	states, err := ws.states(ids...)
	count := map[device.State]int{}
	for _, s := range states {
		count[s.State]++
	}
	for _, state := range device.States {
		if count[state] > 0 && state != device.Retired {
			v.States = append(v.States, StateReport{state, count[state]})
		}
	}
	return err
}

func (ws *Workshop) reportWork(v *ReportView) error {
	work, err := ws.Ledger.WorkBetween(v.From, v.Until)
	if err != nil {
		return err
	}
	day, err := ws.workingDay()
	if err != nil {
		return err
	}
	for _, w := range work {
		if _, known := ws.procedure(w.Procedure); !known {
			v.Unknown += w.Runs
		}
		line := WorkReport{w.Family, w.Title, w.Runs, ws.estimate(w.Procedure, day).Hours() * float64(w.Runs), 0}
		line.Cost = v.Prices.Cost(report.Spent{Hours: line.Hours})
		v.Work = append(v.Work, line)
		v.Runs += w.Runs
		v.Hours += line.Hours
	}
	return nil
}

func (ws *Workshop) reportGas(v *ReportView) error {
	standards, err := ws.Ledger.Standards("")
	for _, s := range standards {
		if s.Cylinder == nil {
			continue
		}
		gauges, losses, err := ws.gasBook(s)
		if err != nil {
			return err
		}
		line := GasReport{Tag: s.Tag, Name: s.Name}
		for i, loss := range losses {
			at := gauges[i+1].At
			if at.Before(v.From) || !at.Before(v.Until) || loss.UsedL < 0 { // filled anew
				continue
			}
			line.UsedL += loss.UsedL
			line.MeteredL += gauges[i+1].MeteredL
			if loss.Flagged {
				line.LostL += loss.LostL
				line.Flagged = true
			}
		}
		if line.UsedL == 0 && line.MeteredL == 0 {
			continue
		}
		line.Cost = v.Prices.Cost(report.Spent{Litres: line.UsedL})
		v.Gas = append(v.Gas, line)
		v.UsedL += line.UsedL
		v.LostL += line.LostL
	}
	return err
}

func percent(x float64) string { return fmt.Sprintf("%.0f %%", 100*x) }

// money is an amount in the lab's currency; nothing where it has no price.
func (v ReportView) money(x float64) string {
	if x == 0 {
		return "–"
	}
	return fmt.Sprintf("%.0f %s", x, v.Prices.Currency)
}

// document is the report on paper.
func (v ReportView) document() paper.Document {
	last := v.Until.AddDate(0, 0, -1).Format(time.DateOnly)
	d := paper.Document{Title: "What the work came to", Under: v.From.Format(time.DateOnly) + " to " + last}
	timely := "Nothing with a day of its own was done in this time."
	if v.OnTime.All > 0 {
		timely = fmt.Sprintf("%d of %d done on time: %s (%s to %s at 95 %%).", v.OnTime.Of, v.OnTime.All,
			percent(v.OnTime.Value), percent(v.OnTime.Low), percent(v.OnTime.High))
		if v.OnTime.WorstLate > 0 {
			timely += fmt.Sprintf(" Half of the late ones were at most %s late, the worst %s.",
				interval.InDays(v.OnTime.MedianLate), interval.InDays(v.OnTime.WorstLate))
		}
	}
	months := paper.Section{Title: "On time", Text: timely,
		Columns: []paper.Column{{Title: "month", Wide: 3}, {Title: "done", Wide: 2, Right: true},
			{Title: "on time", Wide: 2, Right: true}, {Title: "share", Wide: 2, Right: true}}}
	for _, m := range v.Months {
		months.Rows = append(months.Rows, []string{m.Month.Format("January 2006"), fmt.Sprint(m.OnTime.All),
			fmt.Sprint(m.OnTime.Of), percent(m.OnTime.Value)})
	}
	standing := paper.Section{Title: "How the devices stand, now",
		Columns: []paper.Column{{Title: "state", Wide: 3}, {Title: "devices", Wide: 1, Right: true}}}
	for _, s := range v.States {
		standing.Rows = append(standing.Rows, []string{string(s.State), fmt.Sprint(s.Devices)})
	}
	overdue := paper.Section{Title: "Overdue by risk, now",
		Text: fmt.Sprintf("%d overdue. 5 is the gravest risk.", v.OverdueAll),
		Columns: []paper.Column{{Title: "risk", Wide: 1}, {Title: "overdue", Wide: 1, Right: true},
			{Title: "longest", Wide: 1, Right: true}, {Title: "device-days beyond their day", Wide: 2, Right: true}}}
	for _, e := range v.Overdue {
		overdue.Rows = append(overdue.Rows, []string{fmt.Sprint(e.Risk), fmt.Sprint(e.Count),
			interval.InDays(e.Longest), fmt.Sprint(e.Days)})
	}
	models := paper.Section{Title: "As found, by model",
		Text: "Runs found with every point inside its limits, before anything was changed. The bounds are those the share behind the count lies in, at 95 %.",
		Columns: []paper.Column{{Title: "model", Wide: 5}, {Title: "devices", Wide: 1.3, Right: true},
			{Title: "runs", Wide: 1.3, Right: true}, {Title: "inside", Wide: 1.3, Right: true},
			{Title: "share", Wide: 1.5, Right: true}, {Title: "bounds", Wide: 2.5, Right: true}},
		Empty: "Nothing was measured in this time."}
	for _, m := range v.Models {
		models.Rows = append(models.Rows, []string{m.Device, fmt.Sprint(m.Devices), fmt.Sprint(m.Found.All),
			fmt.Sprint(m.Found.Of), percent(m.Found.Value), percent(m.Found.Low) + " to " + percent(m.Found.High)})
	}
	work := paper.Section{Title: "Work",
		Text: fmt.Sprintf("%d runs, about %.0f hours of hands by the procedures' steps: an estimate.", v.Runs,
			v.Hours),
		Columns: []paper.Column{{Title: "procedure", Wide: 6}, {Title: "runs", Wide: 1.3, Right: true},
			{Title: "about hours", Wide: 2, Right: true}, {Title: "cost", Wide: 2, Right: true}},
		Empty: "No run was signed in this time."}
	if v.Unknown > 0 {
		work.Text += fmt.Sprintf(" The hours of %d runs taken over from paper are not known.", v.Unknown)
	}
	for _, w := range v.Work {
		work.Rows = append(work.Rows, []string{w.Title, fmt.Sprint(w.Runs), fmt.Sprintf("%.1f", w.Hours),
			v.money(w.Cost)})
	}
	gases := paper.Section{Title: "Gas used and lost",
		Text: fmt.Sprintf("%.0f L left the cylinders by their gauges; %.0f L of it was lost: metered nowhere, and more than a gauge's reading explains.", v.UsedL, v.LostL),
		Columns: []paper.Column{{Title: "cylinder", Wide: 1.6}, {Title: "gas", Wide: 4},
			{Title: "used L", Wide: 1.5, Right: true}, {Title: "metered L", Wide: 1.5, Right: true},
			{Title: "lost L", Wide: 1.5, Right: true}, {Title: "cost", Wide: 1.6, Right: true}},
		Empty: "No gauge was read in this time."}
	for _, g := range v.Gas {
		gases.Rows = append(gases.Rows, []string{g.Tag, g.Name, fmt.Sprintf("%.0f", g.UsedL),
			fmt.Sprintf("%.0f", g.MeteredL), fmt.Sprintf("%.0f", g.LostL), v.money(g.Cost)})
	}
	cost := paper.Section{Title: "Cost",
		Text: fmt.Sprintf("Hands %s, gas %s, %d accredited certificates of references %s; together %s. Reckoned with %g %s an hour, %g a litre, %g a certificate: the lab's own prices; hours are an estimate.",
			v.money(v.Prices.Cost(report.Spent{Hours: v.Hours})), v.money(v.Prices.Cost(report.Spent{Litres: v.UsedL})),
			v.Certificates, v.money(v.Prices.Cost(report.Spent{Certificates: v.Certificates})), v.money(v.Cost),
			v.Prices.Hour, v.Prices.Currency, v.Prices.Litre, v.Prices.Certificate)}
	if v.Prices.Currency == "" {
		cost.Text = "The lab has named no prices."
	}
	d.Sections = []paper.Section{standing, overdue, months, models, work, gases, cost}
	return d
}
