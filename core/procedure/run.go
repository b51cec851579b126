package procedure

import (
	"maps"
	"slices"
	"time"

	"northneedle/core/adjust"
	"northneedle/core/interval"
	"northneedle/core/method"
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
	ConformsAdjusted Result = "conforms after adjustment"
	Fails            Result = "does not conform"
	NoStatement      Result = "no statement"
)

// Passed reports whether the device may be used.
func (r Result) Passed() bool { return r == Conforms || r == ConformsAdjusted }

// Bound is a standard that fills a role.
type Bound struct {
	StandardBound
	At time.Time
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
	By        Person
	Withdrawn string // the reason, if it was
}

// Mark is an answer, a skip or a completion of a step.
type Mark struct {
	At      time.Time
	By      Person
	Answer  Answer
	Note    string
	Skipped string // the reason, if it was
}

// LooseEnd is something a step left open.
type LooseEnd struct {
	What     string
	Step     string
	OpenedAt time.Time
	By       Person
	ClosedAt time.Time // zero while open
	Note     string
}

// Finding is the state of judging a group of measures.
type Finding struct {
	Closed      int // phases closed: 0 none, 1 as found, 2 the first round as left, …
	Decisions   []FindingDecided
	Adjustments []AdjustmentMade
	rooms       []method.Ambient // the conditions of each closed round
}

// last is the latest decision; its zero value where there is none.
func (f Finding) last() FindingDecided {
	if len(f.Decisions) == 0 {
		return FindingDecided{}
	}
	return f.Decisions[len(f.Decisions)-1]
}

// adjusting reports whether a round is under way: of adjustment, or of looking for the
// cause and reading again.
func (f Finding) adjusting() bool {
	d := f.last()
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

// done reports whether the finding is settled.
func (f Finding) done() bool {
	d := f.last()
	return (d.Decision == adjust.Leave || d.Decision == adjust.Withdraw) && f.Closed == d.Round+1
}

// Change is a part that was changed, and what counts no more since.
type Change struct {
	PartChanged
	At time.Time
	By Person
}

// Note is a remark in the record.
type Note struct {
	Text string    `json:"text"`
	At   time.Time `json:"at"`
	By   Person    `json:"by"`
}

// pointKey names one point in one phase and round.
type pointKey struct {
	measure, point string
	round          int
}

// Run is the state of a run: the fold of its events over its procedure. It is a
// value; [Run.Apply] returns the next one and leaves the old one as it was.
type Run struct {
	ID        string
	Procedure Procedure
	Hash      string
	Device    Device
	Lab       Lab
	Replaces  string
	Seq       int
	Status    Status
	OpenedAt  time.Time
	OpenedBy  Person
	Ambient   method.Ambient
	Plate     map[string]float64
	Choices   map[string]string
	Changed   []Change
	Bound     map[string]Bound
	Marks     map[string]Mark
	Timers    map[string]Timer
	Readings  []Reading
	Omitted   map[pointKey]string
	SetUp     map[pointKey]int // readings there were when the set-up was checked
	SetUpNote map[pointKey]string
	Findings  map[string]Finding
	LooseEnds []LooseEnd
	Notes     []Note
	Signature *Signature
	Reviewed  *Mark
	Returned  string
	EndReason string
	Revisions []Revision // of its certificate, after the first

	verdicts map[pointKey]*Verdict // judged already, while one question is answered; nil otherwise
}

// remembering is the run with room to remember its verdicts while one question,
// which asks for them again and again, is answered.
func (r Run) remembering() Run {
	r.verdicts = map[pointKey]*Verdict{}
	return r
}

// Signature is a signed statement.
type Signature struct {
	RunSigned
	At time.Time
	By Person
}

// NewRun is a run of a procedure before its first event.
func NewRun(p Procedure) Run { return Run{Procedure: p} }

// Fold applies events in order.
func Fold(p Procedure, events []Event) Run {
	run := NewRun(p)
	for _, e := range events {
		run = run.Apply(e)
	}
	return run
}

// with returns a copy of the map with one entry set.
func with[K comparable, V any](m map[K]V, key K, value V) map[K]V {
	next := maps.Clone(m)
	if next == nil {
		next = map[K]V{}
	}
	next[key] = value
	return next
}

// Apply folds one event. It never fails and never asks whether the event was
// allowed: that was [Run.Decide]'s work.
func (r Run) Apply(e Event) Run {
	r.ID, r.Seq, r.verdicts = e.Run, e.Seq, nil
	switch f := e.Fact.(type) {
	case RunOpened:
		r.Status, r.OpenedAt, r.OpenedBy = Open, e.At, e.By
		r.Device, r.Lab, r.Hash, r.Replaces = f.Device, f.Lab, f.Hash, f.Replaces
	case StandardBound:
		r.Bound = with(r.Bound, f.Role, Bound{f, e.At})
	case CheckAnswered:
		r.Marks = with(r.Marks, f.Step, Mark{At: e.At, By: e.By, Answer: f.Answer, Note: f.Note})
	case StepDone:
		r.Marks = with(r.Marks, f.Step, Mark{At: e.At, By: e.By})
	case StepSkipped:
		r.Marks = with(r.Marks, f.Step, Mark{At: e.At, By: e.By, Skipped: f.Reason})
	case AmbientRecorded:
		r.Ambient = f.Ambient
		r.Marks = with(r.Marks, f.Step, Mark{At: e.At, By: e.By})
	case PlateRecorded:
		for k, v := range f.Values {
			r.Plate = with(r.Plate, k, v)
		}
		for k, v := range f.Choices {
			r.Choices = with(r.Choices, k, v)
		}
		r.Marks = with(r.Marks, f.Step, Mark{At: e.At, By: e.By})
	case PartChanged:
		r.Changed = append(slices.Clip(r.Changed), Change{f, e.At, e.By})
		r.Marks = maps.Clone(r.Marks)
		r.Readings = slices.Clone(r.Readings)
		for _, step := range f.Steps {
			delete(r.Marks, step)
			for i := range r.Readings {
				if r.Readings[i].Measure == step && r.Readings[i].Withdrawn == "" {
					r.Readings[i].Withdrawn = f.Reason
				}
			}
		}
	case WaitStarted:
		r.Timers = with(r.Timers, f.Step, Timer{Started: e.At, Until: f.Until})
	case WaitCutShort:
		t := r.Timers[f.Step]
		t.Cut = f.Reason
		r.Timers = with(r.Timers, f.Step, t)
	case NoteAdded:
		r.Notes = append(slices.Clip(r.Notes), Note{f.Text, e.At, e.By})
	case LooseEndOpened:
		r.LooseEnds = append(slices.Clip(r.LooseEnds), LooseEnd{What: f.What, Step: f.Step, OpenedAt: e.At, By: e.By})
	case LooseEndClosed:
		r.LooseEnds = slices.Clone(r.LooseEnds)
		for i, end := range r.LooseEnds {
			if end.What == f.What && end.ClosedAt.IsZero() {
				r.LooseEnds[i].ClosedAt, r.LooseEnds[i].Note = e.At, f.Note
			}
		}
	case CertificateRevised:
		r.Revisions = append(slices.Clip(r.Revisions), Revision{f, e.Seq, e.At, e.By})
	case RunSigned, RunReviewed, RunReturned, RunAbandoned:
		return r.applyEnding(e)
	default:
		return r.applyMeasuring(e)
	}
	return r
}

func (r Run) applyMeasuring(e Event) Run {
	switch f := e.Fact.(type) {
	case ReadingCaptured:
		r.Readings = append(slices.Clip(r.Readings), Reading{ReadingCaptured: f, At: e.At, By: e.By})
		if _, ok := r.Omitted[pointKey{f.Measure, f.Point, f.Round}]; ok {
			r.Omitted = maps.Clone(r.Omitted)
			delete(r.Omitted, pointKey{f.Measure, f.Point, f.Round})
		}
	case ReadingWithdrawn:
		r.Readings = slices.Clone(r.Readings)
		for i := range r.Readings {
			if r.Readings[i].Reading == f.Reading {
				r.Readings[i].Withdrawn = f.Reason
			}
		}
	case PointOmitted:
		r.Omitted = with(r.Omitted, pointKey{f.Measure, f.Point, f.Round}, f.Reason)
	case SetUpChecked:
		key := pointKey{f.Measure, f.Point, f.Round}
		r.SetUp = with(r.SetUp, key, len(r.Readings))
		r.SetUpNote = with(r.SetUpNote, key, f.Note)
	case PhaseClosed:
		state := r.Findings[f.Finding]
		state.Closed = f.Round + 1
		state.rooms = append(slices.Clip(state.rooms), r.Ambient)
		r.Findings = with(r.Findings, f.Finding, state)
	case FindingDecided:
		state := r.Findings[f.Finding]
		state.Decisions = append(slices.Clip(state.Decisions), f)
		r.Findings = with(r.Findings, f.Finding, state)
	case AdjustmentMade:
		state := r.Findings[f.Finding]
		state.Adjustments = append(slices.Clip(state.Adjustments), f)
		r.Findings = with(r.Findings, f.Finding, state)
	}
	return r
}

func (r Run) applyEnding(e Event) Run {
	switch f := e.Fact.(type) {
	case RunSigned:
		r.Signature = &Signature{f, e.At, e.By}
		r.Status = Signed
		if f.Reviewer != "" {
			r.Status = InReview
		}
	case RunReviewed:
		r.Reviewed = &Mark{At: e.At, By: e.By, Note: f.Note}
		r.Status = Signed
	case RunReturned:
		r.Status, r.Returned, r.Signature = Open, f.Reason, nil
	case RunAbandoned:
		r.Status, r.EndReason = Abandoned, f.Reason
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
