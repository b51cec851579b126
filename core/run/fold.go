package run

import (
	"cmp"
	"maps"
	"slices"
)

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
	next := e.Fact.apply(r, e)
	next.ID, next.Seq, next.last = e.Run, e.Seq, e.At
	if !slices.Contains(r.Hands, e.By) && r.recordsInIt(e.Fact) {
		next.Hands = append(slices.Clip(r.Hands), e.By)
	}
	return next
}

// recordsInIt reports whether a fact is something that is recorded of the device. What a reviewer does is not, nor is
// saying whom one works under.
func (r Run) recordsInIt(f Fact) bool {
	switch f.(type) {
	case RunReviewed, RunReturned, CertificateRevised, SupervisorNamed, TakenIn:
		return false
	case NoteAdded:
		return r.Status == Open
	}
	return true
}

func (f RunOpened) apply(r Run, e Event) Run {
	r.Status, r.OpenedAt, r.OpenedBy = Open, e.At, e.By
	r.Device, r.Lab, r.Hash, r.Replaces = f.Device, f.Lab, f.Hash, f.Replaces
	r.Earlier, r.Under = f.Earlier, f.Under
	r.limits = r.limitsInForce()
	return r
}

func (f StandardBound) apply(r Run, e Event) Run {
	if before, bound := r.Bound[f.Role]; bound && f.Exchange != "" {
		r.Exchanged = with(r.Exchanged, f.Role, append(slices.Clip(r.Exchanged[f.Role]), before))
	}
	r.Bound, r.SetAt = with(r.Bound, f.Role, Bound{f, e.At, len(r.Readings)}), e.At
	return r.judgedAnew()
}

func (f CheckAnswered) apply(r Run, e Event) Run {
	r.Marks = with(r.Marks, f.Step, Mark{At: e.At, By: e.By, Answer: f.Answer, Note: f.Note, Read: f.Read})
	return r
}

func (f StepDone) apply(r Run, e Event) Run {
	r.Marks = with(r.Marks, f.Step, Mark{At: e.At, By: e.By})
	return r
}

func (f StepSkipped) apply(r Run, e Event) Run {
	r.Marks = with(r.Marks, f.Step, Mark{At: e.At, By: e.By, Skipped: f.Reason})
	return r
}

func (f AmbientRecorded) apply(r Run, e Event) Run {
	if f.Reason != "" {
		r.RoomCorrected = append(slices.Clip(r.RoomCorrected), Correction{r.Ambient, f.Reason, e.At, e.By})
	}
	r.Ambient = f.Ambient
	r.Marks = with(r.Marks, f.Step, Mark{At: e.At, By: e.By})
	return r.judgedAnew()
}

func (f PlateRecorded) apply(r Run, e Event) Run {
	for k, v := range f.Values {
		r.Plate = with(r.Plate, k, v)
	}
	for k, v := range f.Choices {
		r.Choices = with(r.Choices, k, v)
	}
	r.Marks = with(r.Marks, f.Step, Mark{At: e.At, By: e.By})
	r.limits = r.limitsInForce() // they may go by what was chosen
	return r.judgedAnew()
}

func (f PartChanged) apply(r Run, e Event) Run {
	r.Changed = append(slices.Clip(r.Changed), Change{f, e.At, e.By})
	r.Marks = maps.Clone(r.Marks)
	r.Timers = maps.Clone(r.Timers)
	r.Readings = slices.Clone(r.Readings)
	for _, step := range f.Steps {
		delete(r.Marks, step)
		delete(r.Timers, step)
		for key := range r.Stages {
			if key.Measure == step {
				r = r.withoutStage(key)
			}
		}
		for i := range r.Readings {
			if r.Readings[i].Measure == step && r.Readings[i].Stands() {
				r.Readings[i].Withdrawn = f.Reason
			}
		}
	}
	return r.judgedAnew()
}

func (f WaitStarted) apply(r Run, e Event) Run {
	r.Timers = with(r.Timers, f.Step, Timer{Started: e.At, Until: f.Until})
	return r
}

func (f WaitCutShort) apply(r Run, _ Event) Run {
	t := r.Timers[f.Step]
	t.Cut = f.Reason
	r.Timers = with(r.Timers, f.Step, t)
	return r
}

func (f NoteAdded) apply(r Run, e Event) Run {
	r.Notes = append(slices.Clip(r.Notes), Note{f.Text, e.At, e.By})
	return r
}

func (f OpenItemAdded) apply(r Run, e Event) Run {
	r.OpenItems = append(slices.Clip(r.OpenItems), OpenItem{What: f.What, Step: f.Step, OpenedAt: e.At, By: e.By})
	return r
}

func (f OpenItemClosed) apply(r Run, e Event) Run {
	r.OpenItems = slices.Clone(r.OpenItems)
	for i, end := range r.OpenItems {
		if end.What == f.What && end.ClosedAt.IsZero() {
			r.OpenItems[i].ClosedAt, r.OpenItems[i].Note = e.At, f.Note
		}
	}
	return r
}

func (f ReadingCaptured) apply(r Run, e Event) Run {
	r.Readings = append(slices.Clip(r.Readings), Reading{ReadingCaptured: f, At: e.At, By: e.By})
	if _, p, err := r.point(f.Measure, f.Point); err == nil && p.Move != "" {
		r.Moved = p.Move // who typed it had moved it
	}
	key := PointKey{f.Measure, f.Point, f.Round}
	r = r.withoutStage(key)
	if _, ok := r.Omitted[key]; ok {
		r.Omitted = maps.Clone(r.Omitted)
		delete(r.Omitted, key)
	}
	return r.judgedAt(key)
}

func (f ReadingWithdrawn) apply(r Run, e Event) Run {
	r.SetAt = e.At
	r.Readings = slices.Clone(r.Readings)
	for i, reading := range r.Readings {
		if reading.Reading == f.Reading {
			r.Readings[i].Withdrawn = f.Reason
			r = r.judgedAt(PointKey{reading.Measure, reading.Point, reading.Round})
		}
	}
	return r
}

func (f PointOmitted) apply(r Run, _ Event) Run {
	key := PointKey{f.Measure, f.Point, f.Round}
	r.Omitted = with(r.Omitted, key, f.Reason)
	return r.withoutStage(key)
}

func (f PointAdded) apply(r Run, _ Event) Run {
	if p, mistakes := r.Procedure.WithPoint(f.Measure, f.own()); len(mistakes) == 0 {
		r.Procedure = p
		r.limits = r.limitsInForce()
	}
	r.Own = append(slices.Clip(r.Own), f)
	return r.judgedAnew()
}

func (f HandMoved) apply(r Run, e Event) Run {
	r.Moved, r.SetAt = f.Move, e.At
	r.Moves++
	return r
}

func (f SetUpChecked) apply(r Run, e Event) Run {
	r.SetAt = e.At
	key := PointKey{f.Measure, f.Point, f.Round}
	r.SetUp = with(r.SetUp, key, len(r.Readings))
	r.SetUpNote = with(r.SetUpNote, key, f.Note)
	return r.judgedAt(key)
}

func (f PhaseClosed) apply(r Run, _ Event) Run {
	state := r.Findings[f.Finding]
	state.Closed = f.Round + 1
	state.Rooms = append(slices.Clip(state.Rooms), r.Ambient)
	r.Findings = with(r.Findings, f.Finding, state)
	return r.expecting()
}

func (f FindingDecided) apply(r Run, _ Event) Run {
	state := r.Findings[f.Finding]
	state.Decisions = append(slices.Clip(state.Decisions), f)
	r.Findings = with(r.Findings, f.Finding, state)
	return r.expecting()
}

func (f AdjustmentMade) apply(r Run, e Event) Run {
	r.SetAt = e.At
	state := r.Findings[f.Finding]
	state.Adjustments = append(slices.Clip(state.Adjustments), f)
	r.Findings = with(r.Findings, f.Finding, state)
	return r
}

func (f RunSigned) apply(r Run, e Event) Run {
	r.Signature, r.GivenBack = &Signature{f, e.At, e.By}, nil
	r.Marked = nil
	r.Status = Signed
	if f.Reviewer != "" {
		r.Status = InReview
	}
	return r
}

func (f SupervisorNamed) apply(r Run, _ Event) Run {
	r.Under = &f.Under
	return r
}

func (f TakenIn) apply(r Run, e Event) Run {
	r.TakenIn = &Intake{f, e.At, e.By}
	r.Device.ID = cmp.Or(f.Device, r.Device.ID)
	return r
}

func (f RunReviewed) apply(r Run, e Event) Run {
	r.Reviewed = &Countersignature{f, e.At, e.By}
	r.Status = Signed
	return r
}

func (f RunReturned) apply(r Run, _ Event) Run {
	r.Status, r.Returned, r.Marked = Open, f.Reason, f.Marks
	r.GivenBack, r.Signature = r.Signature, nil
	return r
}

func (f RunAbandoned) apply(r Run, _ Event) Run {
	r.Status, r.EndReason = Abandoned, f.Reason
	return r
}

func (f CertificateRevised) apply(r Run, e Event) Run {
	r.Revisions = append(slices.Clip(r.Revisions), Revision{f, e.Seq, e.At, e.By})
	return r
}
