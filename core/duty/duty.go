// Package duty says what recurs on a device, what makes it due, and how it stands.
package duty

import (
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"northneedle/core/interval"
)

// Event is something that happened to a device, and makes what depends on it due at once.
type Event string

const (
	Repair      Event = "repair"
	Fall        Event = "fall"
	FailedCheck Event = "failed check"
	NewSensor   Event = "sensor replaced"
	Moved       Event = "moved"
	SealBroken  Event = "seal broken"
	NewLot      Event = "new lot"
	NewTubing   Event = "tubing changed"
	NewSoftware Event = "software changed"
)

// Events are those that can be noted.
var Events = []Event{Repair, Fall, FailedCheck, NewSensor, Moved, SealBroken, NewLot, NewTubing, NewSoftware}

// Duty is something that recurs on a device, as the template of its family or model says.
// It may be due by the calendar, by use, by an event, or by several of them: whichever
// comes first.
type Duty struct {
	ID        string   `json:"id" yaml:"id"`
	Title     string   `json:"title" yaml:"title"`
	Procedure string   `json:"procedure,omitempty" yaml:"procedure"` // empty: noted by hand when it was done
	Months    int      `json:"months,omitempty" yaml:"months"`
	Days      int      `json:"days,omitempty" yaml:"days"`
	Uses      float64  `json:"uses,omitempty" yaml:"uses"` // due after so much use
	Unit      string   `json:"unit,omitempty" yaml:"unit"` // of use, in words: "hours", "samples"
	On        []Event  `json:"on,omitempty" yaml:"on"`
	IfFailed  []string `json:"if_failed,omitempty" yaml:"if_failed"` // due at once when one of these duties of the device fails
	Satisfies []string `json:"satisfies,omitempty" yaml:"satisfies"` // weaker duties that it does too
	Blocks    bool     `json:"blocks,omitempty" yaml:"blocks"`       // not met: no patient work
	Test      string   `json:"test,omitempty" yaml:"test"`           // the one test of an analyser that it is about: it stops that, not the device
	Outside   bool     `json:"outside,omitempty" yaml:"outside"`     // done by a body entitled to it; recorded here, never issued
	Fixed     bool     `json:"fixed,omitempty" yaml:"fixed"`         // a rule binds it: the interval is a ceiling that nothing lengthens
	Accepts   bool     `json:"accepts,omitempty" yaml:"accepts"`     // a device is not accepted without it; see [Acceptance]
	Maintains bool     `json:"maintains,omitempty" yaml:"maintains"` // its procedure measures nothing
	Why       string   `json:"why,omitempty" yaml:"why"`
}

// Check reports what is wrong with a duty, if anything.
func (d Duty) Check() error {
	switch {
	case d.ID == "" || d.Title == "":
		return fmt.Errorf("a duty needs an id and a title")
	case d.Months < 0 || d.Months > 120 || d.Days < 0 || d.Days > 3650 || d.Months > 0 && d.Days > 0:
		return fmt.Errorf("%s: give months (1 to 120) or days (1 to 3650), not both", d.ID)
	case d.Uses < 0 || d.Uses > 0 && d.Unit == "":
		return fmt.Errorf("%s: use is counted in something: give its unit", d.ID)
	case d.Maintains && d.Procedure == "":
		return fmt.Errorf("%s: it maintains by a procedure: name that", d.ID)
	case slices.Contains(d.IfFailed, d.ID):
		return fmt.Errorf("%s: it cannot wait for its own failure", d.ID)
	case d.Months == 0 && d.Days == 0 && d.Uses == 0 && len(d.On) == 0 && len(d.IfFailed) == 0:
		return fmt.Errorf("%s: nothing makes it due: give months, days, uses, events or what must have failed", d.ID)
	}
	for _, e := range d.On {
		if !slices.Contains(Events, e) {
			return fmt.Errorf("%s: the event %q is not known: use one of %q", d.ID, e, Events)
		}
	}
	return nil
}

// Acceptance are the places of the duties that must be signed before a device is accepted: those that say so; where none
// does, all that are done by a procedure, by the calendar, and of the whole device.
func Acceptance(all []Duty) (places []int) {
	for _, of := range []func(Duty) bool{func(d Duty) bool { return d.Accepts }, whole} {
		for i, d := range all {
			if of(d) {
				places = append(places, i)
			}
		}
		if len(places) > 0 {
			return places
		}
	}
	return nil
}

// whole reports whether a duty is done by a procedure that measures, by the calendar, and of the whole device.
func whole(d Duty) bool {
	return d.Procedure != "" && !d.Maintains && d.Test == "" && !d.Outside && (d.Months > 0 || d.Days > 0)
}

// Main is the place of the duty that a list means which speaks of one: the first that is done by a procedure, by the
// calendar, and of the whole device. It is -1 where there is none.
func Main(all []Duty) int {
	return slices.IndexFunc(all, whole)
}

// Template is what recurs on the devices of a family; of one model of it, where one is named.
type Template struct {
	Family string `json:"family" yaml:"family"`
	Model  string `json:"model,omitempty" yaml:"model"` // maker and model
	Duties []Duty `json:"duties" yaml:"duties"`

	Takes []string `json:"takes,omitempty" yaml:"takes"` // duties of every family that it takes too, by their ids
}

// AnyFamily is the family of a template whose duties others can take.
const AnyFamily = "any"

// Resolve returns the templates of families with the duties that they take from the templates of any family, and without
// those. The error names a duty that none of them has.
func Resolve(all []Template) ([]Template, error) {
	shared := map[string]Duty{}
	for _, t := range all {
		if t.Family == AnyFamily {
			for _, d := range t.Duties {
				shared[d.ID] = d
			}
		}
	}
	var resolved []Template
	for _, t := range all {
		if t.Family == AnyFamily {
			continue
		}
		t.Duties = slices.Clone(t.Duties)
		for _, id := range t.Takes {
			d, known := shared[id]
			if !known {
				return nil, fmt.Errorf("%s takes %q, which is no duty of any family", t.Family, id)
			}
			t.Duties = append(t.Duties, d)
		}
		resolved = append(resolved, t)
	}
	return resolved, nil
}

// DutiesOf are the duties of a device: those of its model, else of its family.
func DutiesOf(all []Template, family, model string) []Duty {
	var found []Duty
	for _, t := range all {
		switch {
		case t.Family == family && t.Model == model && model != "":
			return t.Duties
		case t.Family == family && t.Model == "":
			found = t.Duties
		}
	}
	return found
}

// Status is how an activity stands.
type Status string

const (
	Valid    Status = "valid"
	Expiring Status = "expiring" // due within the warning
	Expired  Status = "expired"
	Invalid  Status = "invalid" // failed, or an event undid it
	Never    Status = "never"   // not done yet
)

// State is what became of an activity so far.
type State struct {
	LastOn   *time.Time
	DueOn    time.Time // by the calendar, or as it was deferred or re-planned
	Used     float64   // since it was last done
	Counter  Counter   // of the device, where what is used is read off it
	Undone   Undone    // why it does not count, where it does not
	Deferred Deferral  // until when it was put off, where it was
}

// warning is for how long before its day an activity is expiring: a tenth of what lies
// between, a day at least, a month at most.
func warning(d Duty) time.Duration {
	days := d.Days + 30*d.Months
	return time.Duration(min(30, max(1, days/10))) * 24 * time.Hour
}

// Standing is the status of an activity on a day, in words.
type Standing struct {
	Status Status `json:"status"`
	Words  string `json:"words"`
}

// Stands judges an activity at a moment: what an event or a failure undid is invalid,
// whatever the calendar says; then use, then the calendar.
func (d Duty) Stands(s State, now time.Time) Standing {
	day := func(t time.Time) string { return t.Format(time.DateOnly) }
	suffix := ""
	if words := s.Deferred.Words(); words != "" {
		suffix = ". Deferred " + words
	}
	over := interval.Past(s.DueOn, now)
	calendar := d.Months > 0 || d.Days > 0
	switch {
	case s.Undone.At != nil:
		return Standing{Invalid, "Invalid: " + s.Undone.Words() + suffix}
	case s.LastOn == nil && !over:
		return Standing{Never, "Not done yet; first due on " + day(s.DueOn) + suffix}
	case s.LastOn == nil:
		return Standing{Expired, "Never done; it was due on " + day(s.DueOn) + suffix}
	case d.Uses > 0 && s.Used >= d.Uses:
		return Standing{Expired, fmt.Sprintf("Used up: %g of %g %s since %s", s.Used, d.Uses, d.Unit, day(*s.LastOn)) +
			suffix}
	case calendar && over:
		return Standing{Expired, "Expired on " + day(s.DueOn) + suffix}
	case calendar && !now.Before(s.DueOn.Add(-warning(d))):
		return Standing{Expiring, "Valid until " + day(s.DueOn) + suffix}
	case d.Uses > 0 && s.Used >= 0.9*d.Uses:
		return Standing{Expiring, fmt.Sprintf("%g of %g %s used", s.Used, d.Uses, d.Unit) + suffix}
	case calendar:
		return Standing{Valid, "Valid until " + day(s.DueOn) + suffix}
	}
	return Standing{Valid, "Valid since " + day(*s.LastOn) + suffix}
}

// Stops reports whether an activity that stands so keeps the device from patient work.
func (d Duty) Stops(s Standing) bool {
	return d.Blocks && (s.Status == Expired || s.Status == Invalid)
}

// farOff is the day of what no calendar makes due.
var farOff = time.Date(9999, 1, 1, 0, 0, 0, 0, time.UTC)

// Next is when the duty is due again after it was done, by its calendar; far off where it
// has none.
func (d Duty) Next(done time.Time) (interval.Due, error) {
	switch {
	case d.Days > 0:
		return interval.FixedDays(done, d.Days, d.Why)
	case d.Months > 0:
		return interval.Fixed(done, d.Months, d.Why)
	}
	return interval.Due{On: farOff, Reason: "no calendar: " + d.Triggers()}, nil
}

// HasDay reports whether a due day is one of a calendar.
func HasDay(due time.Time) bool { return due.Year() < farOff.Year() }

// Calendar is how many days the duty's calendar lets pass, a month being 365.25/12 of
// them; 0 where it has none.
func (d Duty) Calendar() int { return d.Days + int(math.Round(float64(d.Months)*365.25/12)) }

// Triggers are what makes a duty due, in words.
func (d Duty) Triggers() string {
	words := ""
	say := func(text string) {
		if words != "" {
			words += ", "
		}
		words += text
	}
	switch {
	case d.Days == 1:
		say("every day")
	case d.Days > 0:
		say(fmt.Sprintf("every %d days", d.Days))
	case d.Months == 1:
		say("every month")
	case d.Months > 0:
		say(fmt.Sprintf("every %d months", d.Months))
	}
	if d.Uses > 0 {
		say(fmt.Sprintf("after %g %s", d.Uses, d.Unit))
	}
	for i, e := range d.On {
		if i == 0 {
			say("after " + string(e))
			continue
		}
		say(string(e))
	}
	for _, id := range d.IfFailed {
		say("when " + strings.ReplaceAll(id, "-", " ") + " fails")
	}
	return words
}

// UsedUpIn is in how many days an activity that goes by use is used up, at the rate since
// it was last done; false where that cannot be told. It is an estimate.
func (d Duty) UsedUpIn(s State, now time.Time) (int, bool) {
	if d.Uses <= 0 || s.LastOn == nil || s.Used <= 0 {
		return 0, false
	}
	passed := now.Sub(*s.LastOn).Hours() / 24
	if passed < 1 {
		return 0, false
	}
	return int(max(0, (d.Uses-s.Used)/(s.Used/passed))), true
}
