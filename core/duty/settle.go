package duty

import (
	"fmt"
	"slices"
	"time"

	"northneedle/core/interval"
)

// Undone says why a duty that was done is no longer valid. The zero value: it is still valid.
type Undone struct {
	At   *time.Time
	What string // what happened: "it failed", "Objective check failed", or an [Event]
	Note string // in words, by whoever noted it; may be empty
}

// Words says what undid it, and when; empty where nothing did.
func (u Undone) Words() string {
	if u.At == nil {
		return ""
	}
	words := u.What + " on " + u.At.Format(time.DateOnly)
	if u.Note != "" {
		words += " (" + u.Note + ")"
	}
	return words
}

// Deferral is a duty that was put off. The zero value: it was not.
type Deferral struct {
	To   *time.Time
	From *time.Time // the day it was due before; nil where it had none
	By   string
	Why  string
}

// Words says until when it was put off, by whom and why; empty where it was not.
func (d Deferral) Words() string {
	if d.To == nil {
		return ""
	}
	words := "to " + d.To.Format(time.DateOnly) + " by " + d.By + ": " + d.Why
	if d.From != nil {
		words += " (was due " + d.From.Format(time.DateOnly) + ")"
	}
	return words
}

// Recurring is one duty of one device with its present state.
type Recurring struct {
	ID        string
	Title     string
	Procedure string // by which it is done; empty: noted by hand
	Duty      Duty
	Reason    string // why it is due when it is
	State
}

// Done brings a duty up to date with its being done at a time.
func (r *Recurring) Done(at time.Time) error {
	next, err := r.Duty.Next(at)
	if err != nil {
		return err
	}
	r.LastOn, r.DueOn, r.Reason = &at, next.On, next.Reason
	r.Used, r.Undone, r.Deferred = 0, Undone{}, Deferral{}
	r.Counter.From = r.Counter.Shows
	return nil
}

// PutOff moves a due day to another, and keeps by whom, why and from when.
func (r *Recurring) PutOff(to time.Time, by, why string) {
	d := Deferral{To: &to, By: by, Why: why}
	if HasDay(r.DueOn) {
		was := r.DueOn
		d.From = &was
	}
	r.DueOn, r.Deferred = to, d
}

// Settle says what a signed run makes of a device's duties: the one that its procedure does, and
// the weaker ones which that satisfies; or, where the device failed, that one and those that wait
// for its failure. Next is the day that the run itself set, where it set one. It returns the
// changed duties and the place, among all, of the one that was done; −1 where the procedure is
// none of theirs, or the run is older than what is known.
func Settle(all []Recurring, procedure string, at time.Time, passed bool,
	next *interval.Due) (changed []Recurring, done int, err error) {
	done = slices.IndexFunc(all, func(r Recurring) bool { return r.Procedure != "" && r.Procedure == procedure })
	if done < 0 || all[done].LastOn != nil && at.Before(*all[done].LastOn) {
		return nil, -1, nil
	}
	main := all[done]
	if !passed {
		main.Undone = Undone{At: &at, What: "it failed"}
		return append(Failed(all, main, at), main), done, nil
	}
	for i, r := range all {
		later := r.LastOn != nil && at.Before(*r.LastOn)
		if i != done && (later || !slices.Contains(main.Duty.Satisfies, r.Duty.ID)) {
			continue
		}
		if err := r.Done(at); err != nil {
			return nil, done, err
		}
		if i != done {
			r.Reason += "; done with: " + main.Title
		} else if next != nil && next.On.Before(r.DueOn) {
			r.DueOn, r.Reason = next.On, next.Reason
		}
		changed = append(changed, r)
	}
	return changed, done, nil
}

// Failed are those of a device's duties that are due at once because another one failed.
func Failed(all []Recurring, failed Recurring, at time.Time) []Recurring {
	var due []Recurring
	for _, r := range all {
		if slices.Contains(r.Duty.IfFailed, failed.Duty.ID) {
			r.Undone = Undone{At: &at, What: failed.Title + " failed"}
			r.DueOn, r.Reason = earlier(r.DueOn, at), r.Undone.Words()
			due = append(due, r)
		}
	}
	return due
}

// Happened are those of a device's duties that an event undoes, due at once.
func Happened(all []Recurring, event Event, note string, at time.Time) []Recurring {
	var due []Recurring
	for _, r := range all {
		if slices.Contains(r.Duty.On, event) {
			r.Undone = Undone{At: &at, What: string(event), Note: note}
			r.DueOn, r.Reason = earlier(r.DueOn, at), r.Undone.Words()
			due = append(due, r)
		}
	}
	return due
}

// Doubted are those of a device's duties that a procedure does and that were done last by a run in doubt: due at once.
func Doubted(all []Recurring, procedure string, done time.Time, why string, at time.Time) []Recurring {
	var due []Recurring
	for _, r := range all {
		if r.Procedure == procedure && procedure != "" && r.LastOn != nil && r.LastOn.Equal(done) {
			r.DueOn, r.Reason = earlier(r.DueOn, at), "in doubt: "+why
			due = append(due, r)
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

// SetInterval sets the interval of a duty in days; a multiple of 365 is stored as months. It refuses more
// days than the present interval where a rule fixes that. A duty that is valid gets a new due day, counted
// from when it was last done, and loses its deferral.
func (r *Recurring) SetInterval(days int) error {
	if r.Duty.Fixed && days > r.Duty.Calendar() {
		return fmt.Errorf("a rule binds this one: %d days are its ceiling", r.Duty.Calendar())
	}
	r.Duty.Days, r.Duty.Months = days, 0
	if days%365 == 0 {
		r.Duty.Days, r.Duty.Months = 0, 12*days/365
	}
	if r.LastOn == nil || r.Undone.At != nil {
		return nil
	}
	next, err := r.Duty.Next(*r.LastOn)
	if err != nil {
		return err
	}
	r.DueOn, r.Reason, r.Deferred = next.On, next.Reason, Deferral{}
	return nil
}
