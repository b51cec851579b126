package run

import (
	"bytes"
	"encoding/json"
	"fmt"
	"strconv"
	"strings"
	"time"

	"northneedle/core/person"
	"northneedle/core/procedure"
)

// Replay carries a run out once more, command by command, by the rules of its procedure, and holds what each command
// gives against the events that a record says it gave. The error names the first event that the rules would not have
// let come about so. Who was competent, and when accounts were made, is not asked: another workshop's people are not
// known.
func Replay(p *procedure.Procedure, events []Event) error {
	r := NewRun(p)
	for from := 0; from < len(events); {
		if _, ok := events[from].Fact.(TakenIn); ok { // whoever takes it in says so at its end, by no command
			r, from = r.Apply(events[from]), from+1
			continue
		}
		to := from + 1
		for to < len(events) && sameCommand(events[from].ID, events[to].ID) {
			to++
		}
		if err := r.replayed(events[from:to]); err != nil {
			return fmt.Errorf("event %d, %s: %w", events[from].Seq, KindOf(events[from].Fact), err)
		}
		for _, e := range events[from:to] {
			r = r.Apply(e)
		}
		from = to
	}
	return nil
}

// sameCommand reports whether an event follows another of the same command: its id then is the first one's with a number.
func sameCommand(first, id string) bool {
	suffix, ok := strings.CutPrefix(id, first+".")
	_, err := strconv.Atoi(suffix)
	return ok && err == nil
}

// replayed holds the events of one command against what the command gives.
func (r Run) replayed(events []Event) error {
	c, given := r.commandOf(events)
	if c == nil {
		return fmt.Errorf("no command begins with it")
	}
	if events[0].At.Before(r.last) {
		return fmt.Errorf("it is earlier than the one before it")
	}
	err := r.comesOf(c, given, events)
	if f, omitted := events[0].Fact.(PointOmitted); omitted && err != nil { // a step that is left out leaves its points out
		return r.comesOf(SkipStep{f.Measure, f.Reason}, given, events)
	}
	return err
}

// comesOf holds the events of one command against what it gives.
func (r Run) comesOf(c Command, given *time.Time, events []Event) error {
	first := events[0]
	order := Order{At: first.At, By: first.By, Given: given, elsewhere: true}
	gives, err := r.Decide(first.ID, c, order)
	if err != nil {
		return err
	}
	if len(gives) != len(events) {
		return fmt.Errorf("it comes with %d events, the rules give %d", len(events), len(gives))
	}
	for i, e := range events {
		if e.By != first.By || !e.At.Equal(first.At) {
			return fmt.Errorf("the events of one command are of one person and one moment")
		}
		if err := sameFact(e.Fact, gives[i].Fact); err != nil {
			return err
		}
	}
	return nil
}

// sameFact holds a fact against the one that the rules give. How the signer showed who they were, and what the room's
// instrument was, is only in the record.
func sameFact(said, given Fact) error {
	switch s := said.(type) {
	case RunSigned:
		g, ok := given.(RunSigned)
		if ok && s.Next != nil && g.Next != nil && s.Next.On.Sub(g.Next.On).Abs() < 48*time.Hour { // another zone, another midnight
			g.Next = s.Next
		}
		g.Signing, g.ReviewerName = s.Signing, s.ReviewerName
		given = g
	case RunReviewed:
		g, _ := given.(RunReviewed)
		g.Signing, g.InPlaceOf = s.Signing, s.InPlaceOf
		given = g
	case CertificateRevised:
		g, _ := given.(CertificateRevised)
		g.Signing = s.Signing
		given = g
	case AmbientRecorded:
		g, _ := given.(AmbientRecorded)
		near := func(a, b float64) bool { return a-b < 1e-6 && b-a < 1e-6 }
		if near(s.Ambient.TemperatureC, g.Ambient.TemperatureC) && near(s.Ambient.PressureHPa, g.Ambient.PressureHPa) &&
			near(s.Ambient.HumidityPercent, g.Ambient.HumidityPercent) {
			g.Ambient = s.Ambient
		}
		given = g
	case StandardBound:
		g, _ := given.(StandardBound)
		if g.Standard.ID == s.Standard.ID && g.Standard.Kind == s.Standard.Kind {
			g.Standard = s.Standard // as it was prepared then
		}
		given = g
	case WaitStarted:
		g, _ := given.(WaitStarted)
		if s.Until.Equal(g.Until) {
			g.Until = s.Until
		}
		given = g
	}
	a, err := json.Marshal(said)
	if err != nil {
		return err
	}
	b, err := json.Marshal(given)
	if err != nil {
		return err
	}
	if KindOf(said) != KindOf(given) || !bytes.Equal(a, b) {
		return fmt.Errorf("the rules give another one: %s %s", KindOf(given), shortened(b))
	}
	return nil
}

func shortened(text []byte) string {
	if len(text) > 300 {
		return string(text[:300]) + "…"
	}
	return string(text)
}

const takenBack = "taken back: "

// commandOf is the command that the first of some events would have come of, and when it was given where that was
// earlier; nil where none would.
func (r Run) commandOf(events []Event) (c Command, given *time.Time) {
	number := func(v float64) string { return strconv.FormatFloat(v, 'g', -1, 64) }
	switch f := events[0].Fact.(type) {
	case RunOpened:
		return OpenRun{f}, nil
	case StandardBound:
		return BindStandard{Role: f.Role, Standard: f.Standard, Override: f.Override, Exchange: f.Exchange}, nil
	case CheckAnswered:
		c := AnswerCheck{Step: f.Step, Answer: f.Answer, Note: f.Note}
		if f.Read != "" {
			c.Known = &Known{Words: f.Read, Good: f.Answer == Fine}
		}
		return c, nil
	case StepDone:
		return DoStep(f), nil
	case StepSkipped:
		return SkipStep(f), nil
	case AmbientRecorded:
		a := f.Ambient
		return RecordAmbient{Step: f.Step, Temperature: number(a.TemperatureC) + " °C",
			Pressure: number(a.PressureHPa) + " hPa",
			Humidity: number(a.HumidityPercent), Source: a.Source, Confirmed: true, Reason: f.Reason}, nil
	case PlateRecorded:
		values := map[string]string{}
		for id, v := range f.Values {
			values[id] = number(v)
		}
		for id, words := range f.Choices {
			values[id] = words
		}
		return RecordPlate{Step: f.Step, Values: values}, nil
	case PartChanged:
		reason := f.Reason
		for _, part := range r.Procedure.Parts {
			if part.ID == f.Part {
				reason = strings.TrimPrefix(reason, part.Title+": ")
			}
		}
		return ChangePart{f.Part, reason}, nil
	case WaitStarted:
		return StartWait{f.Step}, nil
	case WaitCutShort:
		return CutWait(f), nil
	case StageStarted:
		return StartStage{Measure: f.Measure, Point: f.Point, Typed: f.Typed, Again: f.Again}, f.Given
	case StageStopped:
		return StopStage{f.Measure, f.Point}, f.Given
	case ReadingCaptured:
		return r.captureOf(f), f.Given
	case ReadingWithdrawn:
		return WithdrawReading(f), nil
	case PointOmitted:
		return OmitPoint{f.Measure, f.Point, f.Reason}, nil
	case PointAdded:
		return AddPoint{Measure: f.Measure, Label: f.Label, At: f.At, U: number(f.U), Do: f.Do}, nil
	case HandMoved:
		return MoveByHand{f.Measure, f.Point}, nil
	case SetUpChecked:
		return CheckSetUp{f.Measure, f.Point, f.Note}, nil
	case PhaseClosed:
		return ClosePhase{f.Finding}, nil
	case FindingDecided:
		if len(events) > 1 {
			if a, ok := events[1].Fact.(AdjustmentMade); ok {
				return TakeBack{f.Finding, strings.TrimPrefix(a.Note, takenBack)}, nil
			}
		}
		return DecideFinding{f.Finding, f.Decision, f.Reason}, nil
	case AdjustmentMade:
		if reason, back := strings.CutPrefix(f.Note, takenBack); back {
			return TakeBack{f.Finding, reason}, nil
		}
		return MakeAdjustment{Finding: f.Finding, Control: f.Control, Point: f.Point, Steps: f.Steps, Note: f.Note,
			Nothing: f.Nothing,
			Typed:   firstWord(f.Note)}, nil
	case AsFoundVoided:
		return VoidAsFound{f.Finding, f.Cause, f.Done}, nil
	case OpenItemAdded:
		return AddOpenItem{f.What}, nil
	case OpenItemClosed:
		return CloseOpenItem{f.What, f.Note}, nil
	case NoteAdded:
		return AddNote(f), nil
	case RunSigned:
		c := SignRun{Statement: f.Statement}
		if f.Reviewer != "" {
			c.Reviewer = &person.Person{ID: f.Reviewer, Name: f.ReviewerName, Role: person.Lead}
		}
		return c, nil
	case SupervisorNamed:
		return NameSupervisor(f), nil
	case RunReviewed:
		return ReviewRun{f.Note}, nil
	case RunReturned:
		return ReturnRun(f), nil
	case RunAbandoned:
		return AbandonRun(f), nil
	case CertificateRevised:
		return ReviseCertificate{Reason: f.Reason, Device: f.Device, Remark: f.Remark}, nil
	}
	return nil, nil
}

// firstWord is what was told a control, which its note begins with.
func firstWord(note string) string {
	word, _, _ := strings.Cut(note, " ")
	return word
}

// captureOf is the command that a reading would have come of.
func (r Run) captureOf(f ReadingCaptured) CaptureReading {
	c := CaptureReading{Reading: f.Reading, Measure: f.Measure, Point: f.Point, Typed: f.Typed,
		Absent: f.Absent != "", Early: f.Early,
		Confirmed: true}
	if f.Source == Linked {
		c.Typed, c.Linked, c.Values, c.Origin, c.Trace, c.Detail = "", true, f.Values, f.Origin, f.Trace, f.Detail
		c.Quantum, c.Left, c.Curves = f.Quantum, f.Left, f.Curves
		c.Steady = f.Early == ""
		if m := r.Procedure.Measure(f.Measure); m != nil && f.Early == r.cutShortBefore(m) {
			c.Steady = true
		}
	}
	if f.Stage != nil {
		c.Lasted = strconv.FormatFloat(f.Stage.Seconds, 'f', -1, 64)
	}
	return c
}
