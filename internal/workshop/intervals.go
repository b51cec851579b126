package workshop

import (
	"context"
	"fmt"
	"strings"

	"northneedle/core/interval"
	"northneedle/core/person"
	"northneedle/core/run"
	"northneedle/internal/ledger"
)

// IntervalBrief is what is recommended for all devices of a model.
type IntervalBrief struct {
	Maker       string `json:"maker"`
	Model       string `json:"model"`
	Family      string `json:"family"`
	Procedure   string `json:"procedure"`
	Title       string `json:"title"`
	Devices     int    `json:"devices"`
	Current     int    `json:"current" doc:"days; the commonest among them"`
	Recommended int    `json:"recommended"`
	Sentence    string `json:"sentence"`
	Changes     bool   `json:"changes"`
}

// IntervalView is a recommendation with what others would mean.
type IntervalView struct {
	Subject string `json:"subject"`
	Devices int    `json:"devices"`
	Current int    `json:"current"`
	Fixed   bool   `json:"fixed"`
	Risk    int    `json:"risk"`
	interval.Recommendation
}

// IntervalOrder accepts an interval.
type IntervalOrder struct {
	ID       string `json:"id" minLength:"8" maxLength:"60" doc:"made by the client; sent again it changes nothing"`
	Days     int    `json:"days" minimum:"1" maximum:"3650"`
	Sentence string `json:"sentence" minLength:"1" maxLength:"1000" doc:"the recommendation, or the reason for another"`
}

// ModelPath names a duty on a model.
type ModelPath struct {
	Maker     string `query:"maker" maxLength:"60" required:"true"`
	Model     string `query:"model" maxLength:"60" required:"true"`
	Procedure string `query:"procedure" maxLength:"60" required:"true"`
}

// AcceptModelInterval gives all devices of a model an interval.
func (ws *Workshop) AcceptModelInterval(m ModelPath, o IntervalOrder, who person.Person) error {
	all, err := ws.Ledger.ActivitiesOfModel(m.Maker, m.Model, m.Procedure)
	if err != nil {
		return err
	}
	return ws.acceptInterval(o, who, all)
}

// AcceptActivityInterval gives one device an interval.
func (ws *Workshop) AcceptActivityInterval(id string, o IntervalOrder, who person.Person) error {
	if _, err := ws.ActivityInterval(id); err != nil { // it has none that could be changed
		return err
	}
	a, err := ws.Ledger.Activity(id)
	if err != nil {
		return err
	}
	return ws.acceptInterval(o, who, []ledger.Activity{a})
}

// IntervalList is what is recommended, by model.
func (ws *Workshop) IntervalList(ctx context.Context) ([]IntervalBrief, error) {
	return remembered(ctx, ws, ws.intervals, "intervals")
}

// rules are the lab's figures for its intervals.
func (ws *Workshop) rules() (interval.Rules, error) {
	rules := interval.DefaultRules
	err := ws.Ledger.Setting("intervals", &rules)
	return rules, err
}

// verifications are signed runs as the core counts them.
func verifications(all []ledger.Verified) []interval.Verification {
	list := make([]interval.Verification, len(all))
	for i, v := range all {
		list[i] = interval.Verification{Device: v.AssetID, At: v.At, InTolerance: v.FoundIn}
	}
	return list
}

func (ws *Workshop) intervals() ([]IntervalBrief, error) {
	duties, err := ws.Ledger.ModelDuties()
	if err != nil {
		return nil, err
	}
	briefs := []IntervalBrief{}
	for _, d := range duties {
		if p := ws.procedureOf(d.Procedure); p != nil && p.Shared { // it goes by risk, place and local code, not by what a model does
			continue
		}
		v, err := ws.ModelInterval(ModelPath{d.Maker, d.Model, d.Procedure})
		if err != nil {
			return nil, err
		}
		if v.Current == 0 {
			continue
		}
		briefs = append(briefs, IntervalBrief{d.Maker, d.Model, d.Family, d.Procedure, d.Title, d.Devices, v.Current,
			v.Days, v.Sentence, v.Days != v.Current})
	}
	return briefs, nil
}

// ModelInterval looks at all devices of a model together.
func (ws *Workshop) ModelInterval(m ModelPath) (v IntervalView, err error) {
	activities, err := ws.Ledger.ActivitiesOfModel(m.Maker, m.Model, m.Procedure)
	if err != nil {
		return v, err
	}
	if len(activities) == 0 {
		return v, ledger.ErrNotFound
	}
	lab, err := ws.workingDay()
	if err != nil {
		return v, err
	}
	holdings := make([]interval.Holding, len(activities))
	for i, a := range activities {
		holdings[i] = interval.Holding{Days: a.Duty.Calendar(), Risk: a.Risk, Fixed: a.Duty.Fixed}
	}
	common := interval.CommonOf(holdings)
	history := interval.History{
		Current: common.Days,
		Fixed:   common.Fixed,
		Risk:    common.Risk,
		Devices: len(activities),
		Hours:   ws.estimate(m.Procedure, lab).Hours(),
	}
	verified, err := ws.Ledger.VerifiedOf(m.Maker, m.Model, m.Procedure)
	if err != nil {
		return v, err
	}
	var own map[string][]bool
	history.Model, own = interval.RecordsOf(verifications(verified))
	history.OfModel = len(own)
	return ws.recommended(m.Maker+" "+m.Model+": "+activities[0].Title, history)
}

// ActivityInterval looks at one device, with its model behind it.
func (ws *Workshop) ActivityInterval(id string) (v IntervalView, err error) {
	a, err := ws.Ledger.Activity(id)
	if err != nil {
		return v, err
	}
	asset, err := ws.Ledger.Asset(a.AssetID)
	if err != nil {
		return v, err
	}
	if a.Duty.Calendar() == 0 || a.Procedure == "" || a.Duty.Maintains {
		return v, invalid("activity",
			a.Title+" goes by use, by an event, by hand or without measuring: it has no interval that its results could change.")
	}
	verified, err := ws.Ledger.VerifiedOf(asset.Maker, asset.Model, a.Procedure)
	if err != nil {
		return v, err
	}
	lab, err := ws.workingDay()
	if err != nil {
		return v, err
	}
	history := interval.History{
		Current: a.Duty.Calendar(),
		Fixed:   a.Duty.Fixed,
		Rule:    a.Duty.Why,
		Risk:    a.Risk,
		Devices: 1,
		Hours:   ws.estimate(a.Procedure, lab).Hours(),
	}
	var own map[string][]bool
	history.Model, own = interval.RecordsOf(verifications(verified))
	history.Own, history.OfModel = own[asset.ID], len(own)
	if history.Points, err = ws.courses(asset.ID); err != nil {
		return v, err
	}
	return ws.recommended(asset.Tag+": "+a.Title, history)
}

// recommended is what a history comes to, by the lab's figures.
func (ws *Workshop) recommended(subject string, history interval.History) (IntervalView, error) {
	v := IntervalView{
		Subject: subject,
		Devices: history.Devices,
		Current: history.Current,
		Fixed:   history.Fixed,
		Risk:    history.Risk,
	}
	if history.Current == 0 {
		return v, nil
	}
	rules, err := ws.rules()
	if err != nil {
		return v, err
	}
	v.Recommendation, err = interval.Recommend(history, rules)
	return v, err
}

// courses are how a device's points went, since each was last adjusted.
func (ws *Workshop) courses(asset string) ([]interval.Course, error) {
	_, entries, err := ws.doublesOf(asset)
	if err != nil {
		return nil, err
	}
	_, results, err := ws.history(append(entries, asset), person.Person{})
	points := interval.HistoriesOf(readings(results))
	courses := make([]interval.Course, len(points))
	for i, p := range points {
		courses[i] = p.Course()
	}
	return courses, err
}

// readings are a device's results as the core looks at their drift.
func readings(results []ledger.Result) []interval.Reading {
	all := make([]interval.Reading, len(results))
	for i, r := range results {
		all[i] = interval.Reading{
			Measure: r.Measure,
			Point:   r.Point,
			Label:   r.Label,
			Unit:    r.Unit,
			At:      r.At,
			Error:   r.Error,
			Low:     r.Low,
			High:    r.High,
			AsLeft:  r.Phase == run.AsLeft,
		}
	}
	return all
}

// acceptInterval gives activities an interval of so many days, with the sentence why and the name.
func (ws *Workshop) acceptInterval(o IntervalOrder, who person.Person, activities []ledger.Activity) error {
	if len(activities) == 0 {
		return ledger.ErrNotFound
	}
	now := ws.Clock()
	var notes []ledger.ActivityNote
	var changed []*ledger.Activity
	for i := range activities {
		a := &activities[i]
		recurring := a.Recurring()
		if err := recurring.SetInterval(o.Days); err != nil {
			return invalid("days", Sentence(err))
		}
		a.Duty = recurring.Duty
		a.Adopt(recurring)
		a.Accepted = ledger.AcceptedInterval{Because: strings.TrimSpace(o.Sentence), By: who.Name, On: &now}
		notes = append(notes, ledger.ActivityNote{
			ID:         o.ID + "-" + a.ID,
			ActivityID: a.ID,
			AssetID:    a.AssetID,
			At:         now,
			By:         who.Name,
			Kind:       ledger.NoteInterval,
			Text:       fmt.Sprintf("%d days: %s", o.Days, o.Sentence),
		})
		changed = append(changed, a)
	}
	if err := ws.Ledger.ChangeActivities(ws.act(o.ID, "interval accepted", who, strings.TrimSpace(o.Sentence)), notes,
		changed...); err != nil {
		return err
	}
	ws.changes.tell("", 0)
	return nil
}
