// Package device says how a device stands: one truth, which every screen, label, calendar, list and report asks.
package device

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"northneedle/core/duty"
	"northneedle/core/run"
)

// State is how a device stands.
type State string

const (
	Retired          State = "retired"        // disposed of, lost or replaced
	OutOfUse         State = "out of use"     // withdrawn by a person or a run
	NotToBeUsed      State = "not to be used" // what is known of it says so
	NotEveryTest     State = "in use, not for every test"
	AwayFrom         State = "away"     // lent, or at an outside laboratory
	InDoubt          State = "in doubt" // what its newest run rested on is not so any more
	Overdue          State = "overdue"  // within its grace
	Due              State = "due"
	WaitingForReview State = "in use, waiting for review"
	NotYetAccepted   State = "not yet accepted" // new or back from a repair, and what it is accepted by is not signed
	InUse            State = "in use"
)

// States are all of them, the first that holds first.
var States = []State{Retired, OutOfUse, NotToBeUsed, InDoubt, NotEveryTest, AwayFrom, Overdue, Due, WaitingForReview,
	NotYetAccepted, InUse}

// Stop reports whether a device that stands so is marked STOP.
func (s State) Stop() bool {
	return s == Retired || s == OutOfUse || s == NotToBeUsed || s == NotYetAccepted
}

// LastRun is the newest run of a procedure on a device that was signed and not replaced, taken from no older paper.
type LastRun struct {
	ID        string
	Procedure string
	Title     string
	Result    run.Result
	At        time.Time
	Waiting   bool     // for its review
	GivenBack bool     // by its reviewer, and not signed again
	EachUse   bool     // a check before each use, without which there is none
	Doubts    []string // why it cannot be relied on any more: a reference that was found out
}

// Facts are what is known of a device.
type Facts struct {
	Register string // "in use", "out of use" or "retired": what was entered, or followed from a withdrawal
	Duties   []duty.Recurring
	Last     []LastRun // one of each procedure
	Rejected []Rejection
	Faults   []Fault    // reported, and not judged yet
	Notices  []Notice   // safety notices that are open on it
	Away     *Away      // nil: it is at its place
	Accept   *time.Time // since when it waits to be accepted; nil: it was, or was in use before it was entered
	Why      string     // it is out of use, or gone; empty where a run withdrew it
	Grace    int        // days that a duty which blocks nothing may be late
}

// Fault is something wrong that was reported of a device.
type Fault struct {
	What     string
	Reporter string
	At       time.Time
}

// Notice is a safety notice under which something is to be done with a device.
type Notice struct {
	Number, Issuer, Title string
	Unsure                string     // why it is not known whether the notice is about the device; empty: it is
	Stops                 bool       // it is not to be used until that was done
	Until                 *time.Time // by when; nil: no day was given
}

// words say it in a sentence.
func (n Notice) words() string {
	text := fmt.Sprintf("Safety notice %s of %s (%s)", n.Number, n.Issuer, strings.TrimRight(n.Title, "."))
	if n.Unsure != "" {
		text += " may be about it. " + strings.TrimRight(n.Unsure, ".")
	} else {
		text += " is open"
	}
	if n.Until != nil {
		text += fmt.Sprintf("; to be settled by %s", day(*n.Until))
	}
	return text + "."
}

// Away is where a device is that is not at its place, since when, and until when where that was said.
type Away struct {
	To    string     `json:"to"`
	Since time.Time  `json:"since"`
	Until *time.Time `json:"until,omitempty"`
}

// words say it in a sentence.
func (a Away) words(now time.Time) string {
	text := fmt.Sprintf("With %s since %s", a.To, day(a.Since))
	switch {
	case a.Until == nil:
	case now.After(a.Until.AddDate(0, 0, 1)):
		text += fmt.Sprintf("; it was due back on %s", day(*a.Until))
	default:
		text += fmt.Sprintf(", due back on %s", day(*a.Until))
	}
	return text + "."
}

// Rejection is a control that was rejected.
type Rejection struct{ Analyte, Words string }

// Standing is how a device stands, why, and what could lift it.
type Standing struct {
	State State  `json:"state"`
	Words string `json:"words"` // why; empty where nothing is to be said
	Stop  bool   `json:"stop"`  // it is not to be used

	Lifts []string `json:"-"` // the procedures that can lift a stop; any can where there is none
}

// May reports whether a run of a procedure can be opened on a device that stands so: any, unless others must come first.
func (s Standing) May(procedure string) bool {
	return !s.Stop || len(s.Lifts) == 0 || slices.Contains(s.Lifts, procedure)
}

// Of says how a device stands: the first state, in the order of [States], that holds. One that is not accepted yet is marked
// STOP however else it stands; nothing else of it is due until then.
func Of(f Facts, now time.Time) Standing {
	unsigned := f.unsigned()
	s := f.first(unsigned, now)
	if len(unsigned) > 0 && !s.Stop {
		s.Stop, s.Words = true, strings.TrimSpace(s.Words+" "+f.acceptance(unsigned))
	}
	return s
}

// unsigned are the places of the duties that the device is accepted by and that were not signed since it waits for that.
func (f Facts) unsigned() (places []int) {
	if f.Accept == nil {
		return nil
	}
	all := make([]duty.Duty, len(f.Duties))
	for i, d := range f.Duties {
		all[i] = d.Duty
	}
	for _, i := range duty.Acceptance(all) {
		d := f.Duties[i]
		since := *f.Accept
		if d.Procedure == "" { // noted by hand, with its day alone
			since = time.Date(since.Year(), since.Month(), since.Day(), 0, 0, 0, 0, since.Location())
		}
		if d.LastOn == nil || d.LastOn.Before(since) {
			places = append(places, i)
		}
	}
	return places
}

// acceptance says what a device is not accepted without.
func (f Facts) acceptance(unsigned []int) string {
	titles := make([]string, len(unsigned))
	for i, at := range unsigned {
		titles[i] = f.Duties[at].Title
	}
	return fmt.Sprintf("Not accepted since %s: to be signed: %s.", day(*f.Accept), strings.Join(titles, "; "))
}

// first is the first state that holds.
func (f Facts) first(unsigned []int, now time.Time) Standing {
	if f.Register == string(Retired) {
		return Standing{State: Retired, Words: sentence(f.Why), Stop: true}
	}
	stops, lifts := f.stops(now)
	tests, stopped := f.tests(now)
	if tests > 0 && len(stopped) == tests {
		for _, s := range stopped {
			stops, lifts = append(stops, s.words...), append(lifts, s.lifts...)
		}
	}
	if f.Register == string(OutOfUse) {
		if f.Why != "" {
			stops = append([]string{sentence(f.Why)}, stops...)
		}
		return Standing{State: OutOfUse, Words: strings.Join(stops, " "), Stop: true}
	}
	if len(stops) > 0 {
		return Standing{State: NotToBeUsed, Words: strings.Join(stops, " "), Stop: true, Lifts: lifts}
	}
	if doubts := f.doubts(now); len(doubts) > 0 {
		return Standing{State: InDoubt, Words: strings.Join(doubts, " ")}
	}
	if len(stopped) > 0 {
		var words []string
		for _, s := range stopped {
			words = append(words, fmt.Sprintf("No patient sample for %s. %s", s.test, strings.Join(s.words, " ")))
		}
		return Standing{State: NotEveryTest, Words: strings.Join(words, " ")}
	}
	if f.Away != nil {
		return Standing{State: AwayFrom, Words: f.Away.words(now)}
	}
	if len(unsigned) > 0 {
		return Standing{State: NotYetAccepted, Words: f.acceptance(unsigned), Stop: true}
	}
	var late, soon, waiting []string
	for _, d := range f.Duties {
		switch s := d.Duty.Stands(d.State, now); s.Status {
		case duty.Expired:
			late = append(late, d.Title+": "+s.Words+".")
		case duty.Expiring:
			soon = append(soon, d.Title+": "+s.Words+".")
		}
	}
	for _, n := range f.Notices {
		if n.Until != nil && !now.Before(n.Until.AddDate(0, 0, 1)) {
			late = append(late, n.words())
		} else {
			soon = append(soon, n.words())
		}
	}
	for _, r := range f.Last {
		if r.Waiting {
			waiting = append(waiting, fmt.Sprintf("%s: %s, signed on %s, not countersigned yet.", r.Title, r.Result, day(r.At)))
		}
	}
	switch {
	case len(late) > 0:
		return Standing{State: Overdue, Words: strings.Join(late, " ")}
	case len(soon) > 0:
		return Standing{State: Due, Words: strings.Join(soon, " ")}
	case len(waiting) > 0:
		return Standing{State: WaitingForReview, Words: strings.Join(waiting, " ")}
	}
	return Standing{State: InUse}
}

// sentence ends a text as one; an empty text is none.
func sentence(text string) string {
	if text = strings.TrimSpace(text); text == "" || strings.HasSuffix(text, ".") {
		return text
	}
	return text + "."
}

func day(t time.Time) string { return t.Format(time.DateOnly) }

// stops are why a device is not to be used, each in a sentence, and the procedures that can lift them; none where any can.
func (f Facts) stops(now time.Time) (words, lifts []string) {
	anyLifts := false
	for _, r := range f.Last {
		if why := f.failed(r); why != "" && f.testOf(r.Procedure) == "" {
			words, lifts = append(words, why), append(append(lifts, r.Procedure), f.satisfying(r.Procedure)...)
		}
	}
	for _, d := range f.Duties {
		if why := f.undone(d, now); why != "" && d.Duty.Test == "" {
			words = append(words, why)
			if d.Procedure != "" { // what is noted by hand is lifted by no run
				lifts = append(append(lifts, d.Procedure), f.satisfying(d.Procedure)...)
			}
		}
	}
	for _, fault := range f.Faults { // judged by a person, lifted by no run
		words = append(words, fmt.Sprintf("A fault is reported: %s (%s, %s). It is not judged yet.",
			strings.TrimRight(fault.What, "."), fault.Reporter, day(fault.At)))
	}
	for _, n := range f.Notices {
		if n.Stops {
			words = append(words, n.words())
		}
	}
	for _, control := range f.Rejected {
		if !f.hasTest(control.Analyte) {
			words, anyLifts = append(words, strings.TrimRight(control.Words, ".")+"."), true
		}
	}
	if anyLifts {
		return words, nil
	}
	return words, lifts
}

// stoppedTest is a test of an analyser that no patient sample is measured by.
type stoppedTest struct {
	test         string
	words, lifts []string
}

// tests are how many tests the device's duties are about, and those that are stopped, in the order of the duties.
func (f Facts) tests(now time.Time) (all int, stopped []stoppedTest) {
	for _, d := range f.Duties {
		if d.Duty.Test == "" {
			continue
		}
		all++
		s := stoppedTest{test: d.Duty.Test, lifts: []string{d.Procedure}}
		for _, r := range f.Last {
			if why := f.failed(r); why != "" && r.Procedure == d.Procedure {
				s.words = append(s.words, why)
			}
		}
		if why := f.undone(d, now); why != "" {
			s.words = append(s.words, why)
		}
		for _, control := range f.Rejected {
			if control.Analyte == d.Duty.Test {
				s.words = append(s.words, strings.TrimRight(control.Words, ".")+".")
			}
		}
		if len(s.words) > 0 {
			stopped = append(stopped, s)
		}
	}
	return all, stopped
}

// testOf is the test that a procedure is about; empty where it is about the device.
func (f Facts) testOf(procedure string) string {
	for _, d := range f.Duties {
		if d.Procedure == procedure && d.Duty.Test != "" {
			return d.Duty.Test
		}
	}
	return ""
}

// hasTest reports whether some duty is about a test.
func (f Facts) hasTest(test string) bool {
	return slices.ContainsFunc(f.Duties, func(d duty.Recurring) bool { return d.Duty.Test == test && test != "" })
}

// failed says why a run keeps its device from use; empty where it does not. What another procedure did since, which
// satisfies its duty, counts as well.
func (f Facts) failed(r LastRun) string {
	if r.Result.Passed() || r.Result == run.NotComplete && !r.EachUse || f.doneSince(r) {
		return ""
	}
	words := fmt.Sprintf("%s: %s, signed on %s", r.Title, r.Result, day(r.At))
	if r.Waiting {
		words += ", not countersigned yet"
	}
	if r.GivenBack {
		words += ", given back by its reviewer and not signed again"
	}
	return words + "."
}

func (f Facts) doneSince(r LastRun) bool {
	return slices.ContainsFunc(f.Duties, func(d duty.Recurring) bool {
		return d.Procedure == r.Procedure && d.LastOn != nil && d.LastOn.After(r.At) && d.Undone.At == nil
	})
}

// undone says why a duty keeps its device from use: a failure undid it, an event did and it blocks, or it is late beyond
// its grace; a duty that blocks has none. Empty where it does not.
func (f Facts) undone(d duty.Recurring, now time.Time) string {
	s := d.Duty.Stands(d.State, now)
	grace := f.Grace
	if d.Duty.Blocks {
		grace = 0
	}
	late := s.Status == duty.Expired && !now.Before(d.DueOn.AddDate(0, 0, grace+1)) && (d.LastOn != nil || f.Accept == nil)
	usedUp := s.Status == duty.Expired && d.Duty.Blocks // by its use, whatever the calendar says
	failed := s.Status == duty.Invalid && (d.Duty.Blocks || !slices.Contains(duty.Events, duty.Event(d.Undone.What)))
	if !late && !usedUp && !failed {
		return ""
	}
	return d.Title + ": " + s.Words + "."
}

// doubts are why a device is in doubt: what its newest runs rested on is not so any more, or an event undid a duty.
func (f Facts) doubts(now time.Time) (words []string) {
	for _, r := range f.Last {
		words = append(words, r.Doubts...)
	}
	for _, d := range f.Duties {
		if s := d.Duty.Stands(d.State, now); s.Status == duty.Invalid && d.Duty.Test == "" {
			words = append(words, d.Title+": "+s.Words+".")
		}
	}
	return words
}

// satisfying are the procedures whose duties do that of another one too.
func (f Facts) satisfying(procedure string) (also []string) {
	for _, weaker := range f.Duties {
		if weaker.Procedure != procedure {
			continue
		}
		for _, d := range f.Duties {
			if d.Procedure != "" && slices.Contains(d.Duty.Satisfies, weaker.Duty.ID) {
				also = append(also, d.Procedure)
			}
		}
	}
	return also
}
