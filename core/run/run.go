package run

import (
	"slices"
	"time"

	"northneedle/core/adjust"
	"northneedle/core/interval"
	"northneedle/core/person"
	"northneedle/core/procedure"
)

// Status of a run.
type Status string

const (
	Open      Status = "open"
	InReview  Status = "in review"
	Signed    Status = "signed" // and reviewed, where a review was wanted
	Abandoned Status = "abandoned"
)

// Result is the statement of conformity of a signed run.
type Result string

const (
	Conforms         Result = "conforms"
	ConformsSetUp    Result = "conforms, after a cause outside the device was removed"
	ConformsAdjusted Result = "conforms after adjustment"
	Fails            Result = "does not conform"
	Maintained       Result = "done; nothing was measured" // of a procedure that maintains: no statement of conformity
	NotComplete      Result = "not complete"               // something that is required was not done
)

// UnmarshalText reads a result. Earlier versions wrote "no statement" where something was left out.
func (r *Result) UnmarshalText(text []byte) error {
	if *r = Result(text); *r == "no statement" {
		*r = NotComplete
	}
	return nil
}

// Passed reports whether the device may be used.
func (r Result) Passed() bool { return slices.Contains(PassedResults, r) }

// PassedResults are those with which a device may be used.
var PassedResults = []Result{Conforms, ConformsSetUp, ConformsAdjusted, Maintained}

// Bound is a standard that fills a role.
type Bound struct {
	StandardBound
	At    time.Time
	After int // readings there were in the run when it was bound
}

// Timer is a wait that was started.
type Timer struct {
	Started, Until time.Time
	Cut            string // why it was cut short
}

// Over reports whether the wait is over, by time or by hand.
func (t Timer) Over(now time.Time) bool { return t.Cut != "" || !now.Before(t.Until) }

// Reading is a captured reading and what became of it.
type Reading struct {
	ReadingCaptured
	At        time.Time
	By        person.Person
	Withdrawn string // the reason, if it was
	Void      bool   // of an as found that was the set-up's
}

// Stands reports whether a reading was neither withdrawn nor of an as found that was the set-up's.
func (r *Reading) Stands() bool { return r.Withdrawn == "" && !r.Void }

// at reports whether a reading is of a point in a round.
func (r *Reading) at(key PointKey) bool {
	return r.Measure == key.Measure && r.Point == key.Point && r.Round == key.Round
}

// Mark is an answer, a skip or a completion of a step.
type Mark struct {
	At      time.Time
	By      person.Person
	Answer  Answer
	Note    string
	Read    string // what the record said, where the check reads it
	Skipped string // the reason, if it was
}

// OpenItem is something a step left open.
type OpenItem struct {
	What     string
	Step     string
	OpenedAt time.Time
	By       person.Person
	ClosedAt time.Time // zero while open
	Note     string
}

// Finding is the state of judging a group of measures.
type Finding struct {
	Closed      int // phases closed: 0 none, 1 as found, 2 the first round as left, …
	Decisions   []FindingDecided
	Adjustments []AdjustmentMade
	Rooms       []procedure.Ambient // the conditions of each closed round
	Voided      []VoidedAsFound     // as found, where it was the set-up's
}

// Last is the latest decision; its zero value where there is none.
func (f Finding) Last() FindingDecided {
	if len(f.Decisions) == 0 {
		return FindingDecided{}
	}
	return f.Decisions[len(f.Decisions)-1]
}

// Adjusting reports whether a round is under way: of adjustment, or of looking for the
// cause and reading again.
func (f Finding) Adjusting() bool {
	d := f.Last()
	return (d.Decision == adjust.Adjust || d.Decision == adjust.Investigate) && f.Closed == d.Round
}

// decided is the decision that a round began with.
func (f Finding) decided(round int) adjust.Decision {
	for i := len(f.Decisions) - 1; i >= 0; i-- {
		if f.Decisions[i].Round == round {
			return f.Decisions[i].Decision
		}
	}
	return ""
}

// Done reports whether the finding is settled.
func (f Finding) Done() bool {
	d := f.Last()
	return (d.Decision == adjust.Leave || d.Decision == adjust.Withdraw) && f.Closed == d.Round+1
}

// Change is a part that was replaced, and the steps that this invalidated.
type Change struct {
	PartChanged
	At time.Time
	By person.Person
}

// Correction keeps the room conditions that a later entry replaced, with the reason for replacing them.
type Correction struct {
	Before procedure.Ambient
	Reason string
	At     time.Time
	By     person.Person
}

// Note is a remark in the record.
type Note struct {
	Text string        `json:"text"`
	At   time.Time     `json:"at"`
	By   person.Person `json:"by"`
}

// pointKey names one point in one phase and round.
type PointKey struct {
	Measure, Point string
	Round          int
}

// Run is the state of a run: the fold of its events over its procedure. It is a
// value; [Run.Apply] returns the next one and leaves the old one as it was.
type Run struct {
	ID        string
	Procedure *procedure.Procedure
	Hash      string
	Device    Device
	Lab       Lab
	Replaces  string
	Seq       int
	Status    Status
	OpenedAt  time.Time
	OpenedBy  person.Person
	Ambient   procedure.Ambient
	Earlier   []procedure.Earlier // what the device gave before, where a trend is kept of it

	RoomCorrected []Correction // what was recorded of the room before, the earliest first

	Plate     map[string]float64
	Choices   map[string]string
	Changed   []Change
	Bound     map[string]Bound   // the standard that fills a role now
	Exchanged map[string][]Bound // those that filled it before, the earliest first
	Marks     map[string]Mark
	Timers    map[string]Timer
	Readings  []Reading
	Own       []PointAdded
	Moved     string                     // what the hand moved last, and where to
	Moves     int                        // how often it did
	SetAt     time.Time                  // of the last change that makes what a link showed before say nothing any more
	Stages    map[PointKey]StageUnderWay // started and not read yet
	Restarts  []Restart
	Omitted   map[PointKey]string
	SetUp     map[PointKey]int // readings there were when the set-up was checked
	SetUpNote map[PointKey]string
	Findings  map[string]Finding
	OpenItems []OpenItem
	Notes     []Note
	Signature *Signature
	Reviewed  *Countersignature
	Returned  string
	GivenBack *Signature  // the one it had before it was given back, until it is signed again
	Marked    []PointMark // where it was given back
	EndReason string
	Hands     []person.Person // everyone who recorded something in it, as what they were then
	Under     *person.Person  // whom somebody works under who may not do this alone; that one countersigns
	TakenIn   *Intake         // where it was made elsewhere
	Revisions []Revision      // of its certificate, after the first

	last     time.Time                       // of its last event
	verdicts map[PointKey]judgement          // of every point that was read, judged as its readings were folded in
	expected map[PointKey]expectation        // by point, in the round that is read or was read last
	limits   map[string]procedure.LimitsFunc // in force, by measure
}

// Signature is a signed statement.
type Signature struct {
	RunSigned
	At time.Time
	By person.Person
}

// Intake is by whom a run was taken in that was made elsewhere, and when.
type Intake struct {
	TakenIn
	At time.Time
	By person.Person
}

// Countersignature is the signature of a second person.
type Countersignature struct {
	RunReviewed
	At time.Time
	By person.Person
}

// NewRun is a run of a procedure before its first event.
func NewRun(p *procedure.Procedure) Run { return Run{Procedure: p} }

// Fold applies events in order.
func Fold(p *procedure.Procedure, events []Event) Run {
	r := NewRun(p)
	for _, e := range events {
		r = r.Apply(e)
	}
	return r
}

// Next returns the due date that signing set, if any.
func (r Run) Next() *interval.Due {
	if r.Signature == nil {
		return nil
	}
	return r.Signature.Next
}
