package workshop

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"northneedle/core/duty"
	"northneedle/core/person"
	"northneedle/internal/ledger"
)

// ActivityView is what recurs on a device, and how it stands.
type ActivityView struct {
	ID        string       `json:"id"`
	Title     string       `json:"title"`
	Procedure string       `json:"procedure,omitempty"`
	Triggers  string       `json:"triggers" doc:"what makes it due, in words"`
	LastOn    *time.Time   `json:"last_on,omitempty"`
	DueOn     *time.Time   `json:"due_on,omitempty" doc:"none where only use or an event makes it due"`
	Days      int          `json:"days"`
	Reason    string       `json:"reason"`
	Interval  string       `json:"interval,omitempty" doc:"why its interval is what it is, where that was changed"`
	Maintains bool         `json:"maintains,omitempty" doc:"its procedure measures nothing"`
	Outside   bool         `json:"outside" doc:"done by a body entitled to it; recorded here, never issued"`
	Uses      float64      `json:"uses,omitempty"`
	Used      float64      `json:"used,omitempty"`
	Unit      string       `json:"unit,omitempty"`
	Counter   *CounterView `json:"counter,omitempty" doc:"of the device, as it was read last"`
	LeftDays  *int         `json:"left_days,omitempty" doc:"until it is used up at the present rate: an estimate"`
	Stops     bool         `json:"stops" doc:"it keeps the device from patient work"`
	duty.Standing
}

// CounterView is what a counter of a device showed.
type CounterView struct {
	Shows float64   `json:"shows"`
	At    time.Time `json:"at"`
}

// ActivityNoteView is something that became of an activity.
type ActivityNoteView struct {
	At   time.Time `json:"at"`
	By   string    `json:"by"`
	What string    `json:"what"`
	Text string    `json:"text"`
	Run  string    `json:"run,omitempty"`
}

// ActivityOrder is what is to become of an activity.
type ActivityOrder struct {
	ID     string   `json:"id" minLength:"8" maxLength:"60" doc:"made by the client; sent again it changes nothing"`
	Kind   string   `json:"kind" enum:"done,failed,defer,re-plan,use"`
	On     Day      `json:"on,omitempty" format:"date" doc:"the day it was done, or is put off or moved to"`
	Reason string   `json:"reason,omitempty" maxLength:"1000" doc:"why, or what was done and by whom"`
	Amount float64  `json:"amount,omitempty" minimum:"0" maximum:"1000000" doc:"of use, since the last count"`
	Shows  *float64 `json:"shows,omitempty" minimum:"0" maximum:"1000000000" doc:"what the device's counter shows, in place of the amount"`
}

// AssetEvent is something that happened to a device.
type AssetEvent struct {
	ID   string     `json:"id" minLength:"8" maxLength:"60" doc:"made by the client; sent again it changes nothing"`
	Kind duty.Event `json:"kind" enum:"repair,fall,failed check,sensor replaced,moved,seal broken,new lot,tubing changed,software changed"`
	Text string     `json:"text" minLength:"1" maxLength:"1000"`
}

// actionOf is what one needs to be allowed for each kind of order.
var actionOf = map[string]person.Action{
	"done":    person.NoteDone,
	"failed":  person.NoteDone,
	"use":     person.CountUse,
	"defer":   person.PutOff,
	"re-plan": person.Replan,
}

func (ws *Workshop) activityView(a ledger.Activity) ActivityView {
	now := ws.Clock()
	v := ActivityView{ID: a.ID, Title: a.Title, Procedure: a.Procedure, Triggers: a.Duty.Triggers(), LastOn: a.LastOn,
		Reason: a.Reason, Interval: a.Accepted.Words(), Outside: a.Duty.Outside, Maintains: a.Duty.Maintains,
		Uses: a.Duty.Uses, Used: a.Used, Unit: a.Duty.Unit, Standing: a.Duty.Stands(a.State(), now)}
	if duty.HasDay(a.DueOn) {
		v.DueOn, v.Days = &a.DueOn, ws.days(a.DueOn)
	}
	v.Stops = a.Duty.Stops(v.Standing)
	if at := a.Counter.At; at != nil {
		v.Counter = &CounterView{a.Counter.Shows, *at}
	}
	if days, ok := a.Duty.UsedUpIn(a.State(), now); ok {
		v.LeftDays = &days
	}
	return v
}

// activities are how a device's activities stand.
func (ws *Workshop) activities(asset string) (views []ActivityView, first ledger.Activity, err error) {
	all, err := ws.Ledger.Activities(asset)
	views = []ActivityView{}
	for i, a := range all {
		if i == 0 {
			first = a
		}
		views = append(views, ws.activityView(a))
	}
	return views, first, err
}

// ChangeActivity notes that an activity is done or failed, puts it off, moves it, or counts its use.
func (ws *Workshop) ChangeActivity(id string, o ActivityOrder, who person.Person) (a ledger.Activity, err error) {
	if err := mayDo(who, actionOf[o.Kind]); err != nil {
		return a, err
	}
	if a, err = ws.Ledger.Activity(id); err != nil {
		return a, err
	}
	o.Reason = strings.TrimSpace(o.Reason)
	note := ledger.ActivityNote{
		ID:         o.ID,
		ActivityID: a.ID,
		AssetID:    a.AssetID,
		At:         ws.Clock(),
		By:         who.Name,
		Text:       o.Reason,
		Amount:     o.Amount,
	}
	changed, before := []*ledger.Activity{&a}, a.Used
	switch o.Kind {
	case "done":
		note.Kind, note.DueOn = ledger.NoteDone, a.DueDay()
		err = ws.doneByHand(&a, o)
	case "failed":
		note.Kind, note.DueOn = ledger.NoteFailed, a.DueDay()
		var due []*ledger.Activity
		due, err = ws.failedByHand(&a, o)
		changed = append(changed, due...)
	case "use":
		note.Kind = ledger.NoteUse
		changed, err = ws.used(a, o)
		a = *changed[0]
		note.Amount, note.Text = a.Used-before, fmt.Sprintf("%g %s", a.Used-before, a.Duty.Unit)
		if o.Shows != nil {
			note.Text = strings.TrimSuffix(fmt.Sprintf("the counter shows %g %s: %s", *o.Shows, a.Duty.Unit, o.Reason), ": ")
		}
	case "defer":
		note.Kind = ledger.NoteDeferred
		err = ws.putOff(&a, o, who)
		note.Text = a.Deferred.Words()
	default:
		note.Kind = ledger.NoteReplanned
		err = ws.putOff(&a, o, who)
		a.Deferred, note.Text = duty.Deferral{}, "to "+a.DueOn.Format(time.DateOnly)+": "+o.Reason
		a.Reason = "re-planned by " + who.Name + ": " + o.Reason
	}
	if err != nil {
		return a, err
	}
	if err := ws.Ledger.ChangeActivities(ws.act(o.ID, "activity "+note.Kind, who, o.Reason), []ledger.ActivityNote{note},
		changed...); err != nil {
		return a, err
	}
	ws.changes.tell("", 0)
	return a, nil
}

// doneByHand notes that something without a procedure here was done.
func (ws *Workshop) doneByHand(a *ledger.Activity, o ActivityOrder) error {
	if err := ws.byHand(*a, o); err != nil {
		return err
	}
	r := a.Recurring()
	if err := r.Done(ws.begin(o.On)); err != nil {
		return err
	}
	a.Adopt(r)
	return nil
}

// failedByHand notes that something without a procedure here failed, and returns what is due
// because of it.
func (ws *Workshop) failedByHand(a *ledger.Activity, o ActivityOrder) ([]*ledger.Activity, error) {
	if err := ws.byHand(*a, o); err != nil {
		return nil, err
	}
	on := ws.begin(o.On)
	a.Undone = duty.Undone{At: &on, What: "it failed", Note: o.Reason}
	all, err := ws.Ledger.Activities(a.AssetID)
	return ledger.Adopted(all, duty.Failed(ledger.Recurrings(all), a.Recurring(), on)), err
}

// byHand says whether someone may note by hand that an activity was done, or failed.
func (ws *Workshop) byHand(a ledger.Activity, o ActivityOrder) error {
	on := ws.begin(o.On)
	switch {
	case a.Procedure != "":
		return invalid("kind", "This one is done by a run of its procedure: open it on the bench.")
	case on.IsZero() || on.After(ws.Clock()):
		return invalid("on", "Say on which day it was done: today or before.")
	case o.Reason == "" && a.Duty.Outside:
		return invalid("reason",
			"Name the body that verified it, and the number of its document. It is recorded here, not issued.")
	case o.Reason == "":
		return invalid("reason", "Say what was done, and by whom.")
	}
	return nil
}

// used counts the use of an activity, or takes over what the device's counter shows: for all of the device's activities
// that go by the same counter. The activity itself is the first of those returned.
func (ws *Workshop) used(a ledger.Activity, o ActivityOrder) ([]*ledger.Activity, error) {
	changed := []*ledger.Activity{&a}
	switch {
	case a.Duty.Uses == 0:
		return changed, invalid("amount", "This one does not go by use.")
	case o.Shows != nil && a.Counter.At != nil && *o.Shows < a.Counter.Shows && o.Reason == "":
		return changed, invalid("reason", fmt.Sprintf(
			"It showed %g %s on %s. Say why it shows less now: set back, or another part with the counter?", a.Counter.Shows, a.Duty.Unit,
			a.Counter.At.Format(time.DateOnly)))
	case o.Shows == nil && o.Amount <= 0:
		return changed, invalid("amount", "Say how much it was used since the last count, or what its counter shows.")
	}
	now := ws.Clock()
	if o.Shows == nil {
		r := a.Recurring()
		r.Use(o.Amount, now)
		a.Adopt(r)
		return changed, nil
	}
	all, err := ws.Ledger.Activities(a.AssetID)
	for i := range all {
		other := &all[i]
		if !other.Duty.GoesBy(a.Duty.Unit) {
			continue
		}
		r := other.Recurring()
		r.Counted(*o.Shows, now)
		if other.ID == a.ID {
			a.Adopt(r)
			continue
		}
		other.Adopt(r)
		changed = append(changed, other)
	}
	return changed, err
}

// putOff moves a due day, with the reason and the name kept.
func (ws *Workshop) putOff(a *ledger.Activity, o ActivityOrder, who person.Person) error {
	on := ws.begin(o.On)
	switch {
	case on.IsZero() || ws.days(on) < 0:
		return invalid("on", "Say until when: today or later.")
	case o.Reason == "":
		return invalid("reason", "Say why. It stands with your name until it is done.")
	case a.Duty.Fixed && a.LastOn != nil:
		if next, err := a.Duty.Next(*a.LastOn); err == nil && on.After(next.On) {
			return invalid("on", "A rule binds this one: not beyond "+next.On.Format(time.DateOnly)+".")
		}
	}
	r := a.Recurring()
	r.PutOff(on, who.Name, o.Reason)
	a.Adopt(r)
	return nil
}

// NoteEvent makes everything due that an event undoes.
func (ws *Workshop) NoteEvent(id string, e AssetEvent, who person.Person) error {
	asset, err := ws.Ledger.Asset(id)
	if err != nil {
		return err
	}
	return ws.undone(asset.ID, e.ID, e.Kind, e.Text, who, func(ledger.Activity) bool { return true })
}

// undone makes the activities of a device count no more that an event undoes.
func (ws *Workshop) undone(asset, id string, kind duty.Event, text string, who person.Person,
	which func(ledger.Activity) bool) error {
	all, err := ws.Ledger.Activities(asset)
	if err != nil {
		return err
	}
	all = slices.DeleteFunc(all, func(a ledger.Activity) bool { return !which(a) })
	now, text := ws.Clock(), strings.TrimSpace(text)
	changed := ledger.Adopted(all, duty.Happened(ledger.Recurrings(all), kind, text, now))
	note := ledger.ActivityNote{
		ID:      id,
		AssetID: asset,
		At:      now,
		By:      who.Name,
		Kind:    ledger.NoteEvent,
		Event:   string(kind),
		Text:    text,
	}
	if len(changed) > 0 {
		note.ActivityID = changed[0].ID
	}
	if err := ws.Ledger.ChangeActivities(ws.act(id, string(kind)+" noted", who, text), []ledger.ActivityNote{note},
		changed...); err != nil {
		return err
	}
	ws.changes.tell("", 0)
	return nil
}

// activityNotes are what became of a device's activities.
func (ws *Workshop) activityNotes(asset string) ([]ActivityNoteView, error) {
	notes, err := ws.Ledger.ActivityNotes(asset, 30)
	views := make([]ActivityNoteView, len(notes))
	for i, n := range notes {
		if n.Event != "" {
			n.Text = n.Event + ": " + n.Text
		}
		views[i] = ActivityNoteView{n.At, n.By, n.Kind, n.Text, n.RunID}
	}
	return views, err
}
