package api

import (
	"context"
	"fmt"
	"net/http"
	"strings"

	"northneedle/core/interval"
	"northneedle/core/person"
	"northneedle/core/run"
	"northneedle/internal/ledger"

	"github.com/danielgtaylor/huma/v2"
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

func registerIntervals(api huma.API, h *House) {
	serve(api, operation{"intervals", http.MethodGet, "/api/intervals", "What is recommended, by model", person.Look, 0,
		nil},
		func(ctx context.Context, _ *struct{}) (out []IntervalBrief, err error) {
			all, err := remembered(ctx, h, h.intervals, "intervals")
			return all, err
		})
	serve(api, operation{"model-interval", http.MethodGet, "/api/intervals/model",
		"One model's interval, and what others would mean", person.Look, 0, nil},
		func(ctx context.Context, in *ModelPath) (out IntervalView, err error) {
			view, _, err := h.modelInterval(in.Maker, in.Model, in.Procedure)
			return view, err
		})
	serve(api, operation{"accept-model-interval", http.MethodPost, "/api/intervals/model",
		"Accept an interval for all devices of a model", person.SetIntervals, 0, nil},
		func(ctx context.Context, in *struct {
			ModelPath
			Body IntervalOrder
		}) (out IntervalView, err error) {
			all, err := h.Ledger.ActivitiesOfModel(in.Maker, in.Model, in.Procedure)
			if err == nil {
				err = h.acceptInterval(in.Body, who(ctx), all)
			}
			if err != nil {
				return out, err
			}
			view, _, err := h.modelInterval(in.Maker, in.Model, in.Procedure)
			return view, err
		})
	serve(api, operation{"activity-interval", http.MethodGet, "/api/activities/{id}/interval",
		"One device's interval, and what others would mean", person.Look, 0, nil},
		func(ctx context.Context, in *struct {
			ID string `path:"id" maxLength:"120"`
		}) (out IntervalView, err error) {
			view, _, err := h.activityInterval(in.ID)
			return view, err
		})
	serve(api, operation{"accept-interval", http.MethodPost, "/api/activities/{id}/interval",
		"Accept an interval for one device", person.SetIntervals, 0, nil},
		func(ctx context.Context, in *struct {
			ID   string `path:"id" maxLength:"120"`
			Body IntervalOrder
		}) (out IntervalView, err error) {
			_, act, err := h.activityInterval(in.ID)
			if err == nil {
				err = h.acceptInterval(in.Body, who(ctx), []ledger.Activity{act})
			}
			if err != nil {
				return out, err
			}
			view, _, err := h.activityInterval(in.ID)
			return view, err
		})
}

// rules are the lab's figures for its intervals.
func (h *House) rules() (interval.Rules, error) {
	rules := interval.DefaultRules
	err := h.Ledger.Setting("intervals", &rules)
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

func (h *House) intervals() ([]IntervalBrief, error) {
	duties, err := h.Ledger.ModelDuties()
	if err != nil {
		return nil, err
	}
	briefs := []IntervalBrief{}
	for _, d := range duties {
		v, _, err := h.modelInterval(d.Maker, d.Model, d.Procedure)
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

// modelInterval looks at all devices of a model together.
func (h *House) modelInterval(maker, model, procedureID string) (IntervalView, []ledger.Activity, error) {
	activities, err := h.Ledger.ActivitiesOfModel(maker, model, procedureID)
	if err != nil {
		return IntervalView{}, nil, err
	}
	if len(activities) == 0 {
		return IntervalView{}, nil, ledger.ErrNotFound
	}
	lab, err := h.workingDay()
	if err != nil {
		return IntervalView{}, nil, err
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
		Hours:   h.estimate(procedureID, lab).Hours(),
	}
	verified, err := h.Ledger.VerifiedOf(maker, model, procedureID)
	if err != nil {
		return IntervalView{}, nil, err
	}
	history.Model, _ = interval.RecordsOf(verifications(verified))
	return h.recommended(maker+" "+model+": "+activities[0].Title, history, activities)
}

// activityInterval looks at one device, with its model behind it.
func (h *House) activityInterval(id string) (IntervalView, ledger.Activity, error) {
	a, err := h.Ledger.Activity(id)
	if err != nil {
		return IntervalView{}, a, err
	}
	asset, err := h.Ledger.Asset(a.AssetID)
	if err != nil {
		return IntervalView{}, a, err
	}
	if a.Duty.Calendar() == 0 || a.Procedure == "" {
		return IntervalView{}, a, invalid("activity",
			a.Title+" goes by use, by an event, or by hand: it has no interval that its results could change.")
	}
	verified, err := h.Ledger.VerifiedOf(asset.Maker, asset.Model, a.Procedure)
	if err != nil {
		return IntervalView{}, a, err
	}
	lab, err := h.workingDay()
	if err != nil {
		return IntervalView{}, a, err
	}
	history := interval.History{
		Current: a.Duty.Calendar(),
		Fixed:   a.Duty.Fixed,
		Risk:    a.Risk,
		Devices: 1,
		Hours:   h.estimate(a.Procedure, lab).Hours(),
	}
	var own map[string][]bool
	history.Model, own = interval.RecordsOf(verifications(verified))
	history.Own = own[asset.ID]
	if history.Points, err = h.courses(asset.ID); err != nil {
		return IntervalView{}, a, err
	}
	view, _, err := h.recommended(asset.Tag+": "+a.Title, history, nil)
	return view, a, err
}

func (h *House) recommended(subject string, history interval.History,
	activities []ledger.Activity) (IntervalView, []ledger.Activity, error) {
	v := IntervalView{
		Subject: subject,
		Devices: history.Devices,
		Current: history.Current,
		Fixed:   history.Fixed,
		Risk:    history.Risk,
	}
	if history.Current == 0 {
		return v, activities, nil
	}
	rules, err := h.rules()
	if err != nil {
		return v, activities, err
	}
	v.Recommendation, err = interval.Recommend(history, rules)
	return v, activities, err
}

// courses are how a device's points went, since each was last adjusted.
func (h *House) courses(asset string) ([]interval.Course, error) {
	_, results, err := h.history(asset, person.Person{})
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
func (h *House) acceptInterval(o IntervalOrder, who person.Person, activities []ledger.Activity) error {
	if len(activities) == 0 {
		return ledger.ErrNotFound
	}
	now := h.Clock()
	var notes []ledger.ActivityNote
	var changed []*ledger.Activity
	for i := range activities {
		a := &activities[i]
		recurring := a.Recurring()
		if err := recurring.SetInterval(o.Days); err != nil {
			return invalid("days", sentence(err))
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
	if err := h.Ledger.ChangeActivities(h.act(o.ID, "interval accepted", who, strings.TrimSpace(o.Sentence)), notes,
		changed...); err != nil {
		return err
	}
	h.changes.tell("", 0)
	return nil
}
