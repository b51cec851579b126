package ledger

import (
	"errors"
	"slices"
	"time"

	"northneedle/core/activity"
	"northneedle/core/run"

	"gorm.io/gorm"
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
	Text       string
	Amount     float64 // of use
	RunID      string
	DueOn      *time.Time // of what was done: the day it was due; none the first time
}

// State is the activity as the core judges it.
func (a Activity) State() activity.State {
	return activity.State{LastOn: a.LastOn, DueOn: a.DueOn, Used: a.Used, Invalid: a.Invalid, Deferred: a.Deferred}
}

// NewActivity is a duty that begins to recur on a device; it is first due on a day.
func NewActivity(id string, a Asset, d activity.Duty, first time.Time, reason string) *Activity {
	due := first
	if d.Months == 0 && d.Days == 0 {
		if next, err := d.Next(first); err == nil {
			due, reason = next.On, next.Reason
		}
	}
	return &Activity{ID: id, AssetID: a.ID, Procedure: d.Procedure, Title: d.Title, Duty: d, DueOn: due, Risk: a.Risk, Active: true, Reason: reason}
}

// DueDay is the day an activity is due, where it was done before and goes by the calendar.
func (a Activity) DueDay() *time.Time {
	if a.LastOn == nil || !activity.HasDay(a.DueOn) {
		return nil
	}
	due := a.DueOn
	return &due
}

// Done brings an activity up to date with its being done at a time.
func (a *Activity) Done(at time.Time) error {
	next, err := a.Duty.Next(at)
	if err != nil {
		return err
	}
	a.LastOn, a.DueOn, a.Reason = &at, next.On, next.Reason
	a.Used, a.Invalid, a.Deferred = 0, "", ""
	return nil
}

// Activity finds one by its id.
func (l *Ledger) Activity(id string) (Activity, error) {
	return one[Activity](l.read.Where("id = ?", id))
}

// ActivityNotes are what became of a device's activities, the newest first.
func (l *Ledger) ActivityNotes(asset string, limit int) ([]ActivityNote, error) {
	return many[ActivityNote](l.read.Where("asset_id = ?", asset).Order("at DESC, id").Limit(limit))
}

// UseNotes are the counts of use noted of an activity since a time, the oldest first.
func (l *Ledger) UseNotes(id string, since time.Time) ([]ActivityNote, error) {
	return many[ActivityNote](l.read.Where("activity_id = ? AND kind = ? AND at >= ?", id, NoteUse, since).Order("at"))
}

// ChangeActivities keeps activities as they are now, with what became of them, together.
// Notes sent again change nothing.
func (l *Ledger) ChangeActivities(notes []ActivityNote, changed ...*Activity) error {
	err := l.write.Transaction(func(tx *gorm.DB) error {
		for _, n := range notes {
			if err := tx.Create(&n).Error; errors.Is(err, gorm.ErrDuplicatedKey) {
				return errNoted
			} else if err != nil {
				return err
			}
		}
		for _, a := range changed {
			if err := tx.Save(a).Error; err != nil {
				return err
			}
		}
		return nil
	})
	if errors.Is(err, errNoted) {
		return nil
	}
	return err
}

var errNoted = errors.New("noted already")

// projectActivities brings what recurs on a device up to date with a signed run: the
// activity that the run was, and the weaker ones it satisfies.
func projectActivities(tx *gorm.DB, r run.Run) error {
	all, err := many[Activity](tx.Where("asset_id = ? AND active = ?", r.Device.ID, true).Order("id"))
	if err != nil {
		return err
	}
	at := slices.IndexFunc(all, func(a Activity) bool { return a.Procedure != "" && a.Procedure == r.Procedure.ID })
	if at < 0 || r.Signature.Result == run.NoStatement {
		return nil
	}
	done := r.Signature.At
	if a := &all[at]; a.LastOn != nil && done.Before(*a.LastOn) { // an older run, read anew
		return nil
	}
	note := ActivityNote{ID: r.ID + "-" + all[at].ID, ActivityID: all[at].ID, AssetID: r.Device.ID, At: done, By: r.Signature.By.Name, Kind: NoteDone, Text: string(r.Signature.Result), RunID: r.ID, DueOn: all[at].DueDay()}
	if !r.Signature.Result.Passed() {
		all[at].Invalid = "it failed on " + done.Format(time.DateOnly)
		note.Kind = NoteFailed
		return saveActivities(tx, note, append(Triggered(all, all[at], done), all[at]))
	}
	changed := []Activity{}
	for i := range all {
		later := all[i].LastOn != nil && done.Before(*all[i].LastOn)
		if i != at && (later || !slices.Contains(all[at].Duty.Satisfies, all[i].Duty.ID)) {
			continue
		}
		if err := all[i].Done(done); err != nil {
			return err
		}
		if i != at {
			all[i].Reason += "; done with: " + all[at].Title
		} else if next := r.Next(); next != nil && next.On.Before(all[i].DueOn) {
			all[i].DueOn, all[i].Reason = next.On, next.Reason
		}
		changed = append(changed, all[i])
	}
	return saveActivities(tx, note, changed)
}

// Triggered are those of a device's activities that are due because another one failed.
func Triggered(all []Activity, failed Activity, at time.Time) []Activity {
	var due []Activity
	for _, a := range all {
		if slices.Contains(a.Duty.IfFailed, failed.Duty.ID) {
			a.Invalid = failed.Title + " failed on " + at.Format(time.DateOnly)
			a.DueOn, a.Reason = earlier(a.DueOn, at), a.Invalid
			due = append(due, a)
		}
	}
	return due
}

// earlier is the first of a due day and the day of a time.
func earlier(due, at time.Time) time.Time {
	if day := time.Date(at.Year(), at.Month(), at.Day(), 0, 0, 0, 0, at.Location()); day.Before(due) {
		return day
	}
	return due
}

func saveActivities(tx *gorm.DB, note ActivityNote, changed []Activity) error {
	if err := tx.Save(&note).Error; err != nil {
		return err
	}
	for _, a := range changed {
		if err := tx.Save(&a).Error; err != nil {
			return err
		}
	}
	return nil
}

// adoptDuties gives activities from before there were duties one of their own, by their
// months; twelve where none were kept.
func adoptDuties(tx *gorm.DB) error {
	var old []struct {
		ID, Procedure, Title string
		Months               int
	}
	if !tx.Migrator().HasColumn(&Activity{}, "months") {
		return nil
	}
	if err := tx.Table("activities").Find(&old).Error; err != nil {
		return err
	}
	for _, o := range old {
		d := activity.Duty{ID: "verification", Title: o.Title, Procedure: o.Procedure, Months: o.Months}
		if d.Months == 0 {
			d.Months = 12
		}
		if err := tx.Model(&Activity{ID: o.ID}).Select("Duty").Updates(&Activity{Duty: d}).Error; err != nil {
			return err
		}
	}
	return nil
}

// CountEvents counts what happened to a device, of the kinds named.
func (l *Ledger) CountEvents(asset string, kinds []string) (int, error) {
	n := 0
	for _, kind := range kinds {
		var of int64
		if err := l.read.Model(&ActivityNote{}).Where("asset_id = ? AND kind = ? AND text LIKE ?", asset, NoteEvent, kind+":%").Count(&of).Error; err != nil {
			return n, err
		}
		n += int(of)
	}
	return n, nil
}
