package ledger

import (
	"time"

	"northneedle/core/duty"
)

// What can become of an activity, as it is noted.
const (
	NoteDone      = "done"
	NoteFailed    = "failed"
	NoteDeferred  = "deferred"
	NoteReplanned = "re-planned"
	NoteEvent     = "event"
	NoteUse       = "use"
	NoteInterval  = "interval"
)

// ActivityNote is something that became of an activity. Notes are only ever added.
type ActivityNote struct {
	ID         string    `gorm:"primaryKey"` // made by the client, or by what caused it
	ActivityID string    `gorm:"index:note_of_activity,priority:1"`
	AssetID    string    `gorm:"index"`
	At         time.Time `gorm:"index:note_of_activity,priority:2"`
	By         string
	Kind       string
	Event      string // what happened, of an event: "repair"
	Text       string
	Amount     float64 // of use
	RunID      string
	DueOn      *time.Time // of what was done: the day it was due; none the first time
}

// State is the activity as the core judges it.
func (a Activity) State() duty.State {
	return duty.State{LastOn: a.LastOn, DueOn: a.DueOn, Used: a.Used, Counter: a.Counter, Undone: a.Undone, Deferred: a.Deferred}
}

// NewActivity is a duty that begins to recur on a device; it is first due on a day.
func NewActivity(id string, a Asset, d duty.Duty, first time.Time, reason string) *Activity {
	due := first
	if d.Months == 0 && d.Days == 0 {
		if next, err := d.Next(first); err == nil {
			due, reason = next.On, next.Reason
		}
	}
	return &Activity{
		ID:        id,
		AssetID:   a.ID,
		Procedure: d.Procedure,
		Title:     d.Title,
		Duty:      d,
		DueOn:     due,
		Risk:      a.Risk,
		Active:    true,
		Reason:    reason,
	}
}

// DueDay is the day an activity is due, where it was done before and goes by the calendar.
func (a Activity) DueDay() *time.Time {
	if a.LastOn == nil || !duty.HasDay(a.DueOn) {
		return nil
	}
	due := a.DueOn
	return &due
}

// Recurring is the activity as the core knows it.
func (a Activity) Recurring() duty.Recurring {
	return duty.Recurring{
		ID:        a.ID,
		Title:     a.Title,
		Procedure: a.Procedure,
		Duty:      a.Duty,
		Reason:    a.Reason,
		State:     a.State(),
	}
}

// Adopt takes what became of a recurring duty over.
func (a *Activity) Adopt(r duty.Recurring) {
	a.LastOn, a.DueOn, a.Used, a.Counter, a.Undone, a.Deferred, a.Reason = r.LastOn, r.DueOn, r.Used, r.Counter, r.Undone, r.Deferred, r.Reason
}

// Recurrings are activities as the core knows them.
func Recurrings(all []Activity) []duty.Recurring {
	list := make([]duty.Recurring, len(all))
	for i, a := range all {
		list[i] = a.Recurring()
	}
	return list
}

// Adopted are those of a device's activities that changed, with what became of them.
func Adopted(all []Activity, changed []duty.Recurring) []*Activity {
	var list []*Activity
	for _, r := range changed {
		for i := range all {
			if all[i].ID == r.ID {
				a := all[i]
				a.Adopt(r)
				list = append(list, &a)
			}
		}
	}
	return list
}

// Activity finds one by its id.
func (l *Ledger) Activity(id string) (Activity, error) {
	return one[Activity](l.read.Where("id = ?", id))
}

// ActivityNotes are what became of a device's activities, the newest first.
func (l *Ledger) ActivityNotes(asset string, limit int) ([]ActivityNote, error) {
	return many[ActivityNote](l.read.Where("asset_id = ?", asset).Order("at DESC, id").Limit(limit))
}

// DoneNotes are when activities were done, by a run or by hand, since a time; the oldest first.
func (l *Ledger) DoneNotes(activities []string, since time.Time) ([]ActivityNote, error) {
	return many[ActivityNote](l.read.Where("activity_id IN ? AND kind = ? AND at >= ?", activities, NoteDone, since).Order("at"))
}

// UseNotes are the counts of use noted of an activity since a time, the oldest first.
func (l *Ledger) UseNotes(id string, since time.Time) ([]ActivityNote, error) {
	return many[ActivityNote](l.read.Where("activity_id = ? AND kind = ? AND at >= ?", id, NoteUse, since).Order("at"))
}

// ChangeActivities keeps activities as they are now, with what became of them, together.
// An act sent again changes nothing.
func (l *Ledger) ChangeActivities(act Act, notes []ActivityNote, changed ...*Activity) error {
	return l.Do(act, func(w *writer) error {
		for i := range notes {
			if err := w.create(&notes[i]); err != nil {
				return err
			}
		}
		for _, a := range changed {
			if err := w.save(a); err != nil {
				return err
			}
		}
		return nil
	})
}

// CountEvents counts what happened to a device, of the kinds named.
func (l *Ledger) CountEvents(asset string, kinds []string) (int, error) {
	var n int64
	err := l.read.Model(&ActivityNote{}).Where("asset_id = ? AND kind = ? AND event IN ?", asset, NoteEvent,
		kinds).Count(&n).Error
	return int(n), err
}
