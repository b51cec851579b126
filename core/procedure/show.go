package procedure

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"northneedle/core/adjust"
	"northneedle/core/method"
	"northneedle/core/quantity"
)

// View computes what there is to show at a moment.
func (r Run) View(now time.Time) View {
	r = r.remembering()
	p := r.Procedure
	v := View{ID: r.ID, Status: r.Status, Seq: r.Seq, OpenedAt: r.OpenedAt, OpenedBy: r.OpenedBy, Device: r.Device, Lab: r.Lab.Name, Replaces: r.Replaces,
		Procedure: ProcedureBrief{p.ID, p.Revision, p.Title, r.Hash, p.Cautions}, Rule: r.Rule().Meaning(),
		Parts: p.Parts, Changed: []ChangeView{}, Ambient: r.Ambient, Room: r.Lab.Room.Settled(), Revisions: []RevisionView{}, Notes: append([]Note{}, r.Notes...), Returned: r.Returned, EndReason: r.EndReason, Next: r.Next()}
	for _, s := range p.Way() {
		if !r.Wanted(s.When) {
			continue
		}
		sv := r.viewStep(s, now)
		if !sv.Done && v.Current == "" {
			v.Current, v.Now = s.ID, sv.Title
		}
		v.Steps = append(v.Steps, sv)
		switch s.Kind() {
		case StepMeasure:
			v.Measures = append(v.Measures, r.viewMeasure(s))
		case StepFinding:
			v.Findings = append(v.Findings, r.viewFinding(s))
		}
	}
	for _, c := range r.Changed {
		v.Changed = append(v.Changed, ChangeView{c.Reason, c.Steps, c.At, c.By.Name})
	}
	for _, role := range p.Roles {
		rv := RoleView{Role: role}
		if b, ok := r.Bound[role.ID]; ok {
			rv.Standard, rv.Override, rv.Problems = &b.Standard, b.Override, b.Problems
		}
		v.Roles = append(v.Roles, rv)
	}
	v.LooseEnds = r.viewLooseEnds()
	v.Timer = r.viewNextTimer(now)
	v.Result, v.ResultWhy = r.Outcome()
	v.Remarks = r.remarks()
	if r.Status == Open {
		v.Blockers = r.Blockers(now)
		v.NeedsReview = r.NeedsReview(r.OpenedBy)
	} else {
		v.Blockers = []string{}
		v.Current, v.Now = "", string(r.Status)
	}
	if r.Signature != nil {
		device, remarks := r.certified()
		v.Device, v.Revision, v.Revisions = device, len(r.Revisions)+1, r.viewRevisions()
		v.Remarks = append(v.Remarks, remarks...)
	}
	if s := r.Signature; s != nil {
		v.Signature = &SignatureView{Statement: s.Statement, Result: s.Result, At: s.At, By: s.By, Reviewer: s.Reviewer}
		v.Result = s.Result
		if r.Reviewed != nil {
			v.Signature.ReviewedAt, v.Signature.ReviewedBy, v.Signature.ReviewNote = &r.Reviewed.At, r.Reviewed.By.Name, r.Reviewed.Note
		}
	}
	return v
}

// Brief is what a list shows of a run.
type Brief struct {
	Now   string
	Timer *TimerView
}

// Brief computes what a list shows, without judging every point.
func (r Run) Brief(now time.Time) Brief {
	r = r.remembering()
	b := Brief{Now: string(r.Status)}
	if r.Status != Open {
		return b
	}
	b.Timer = r.viewNextTimer(now)
	for _, s := range r.Procedure.Way() {
		if !r.stepDone(s, now) {
			b.Now = s.Title
			break
		}
	}
	return b
}

func (r Run) viewStep(s Step, now time.Time) StepView {
	v := StepView{ID: s.ID, Kind: s.Kind(), Title: s.Title, Do: s.Do, Caution: s.Caution, Symptom: s.Symptom, Why: s.Why, Opens: s.Opens, Closes: s.Closes,
		Minutes: s.Minutes, Fields: s.Fields, Tests: s.Tests(), Done: r.stepDone(s, now)}
	if mark, ok := r.Marks[s.ID]; ok {
		v.At, v.Answer, v.Note, v.Skipped = &mark.At, mark.Answer, mark.Note, mark.Skipped
	}
	if t, ok := r.Timers[s.ID]; ok {
		v.Timer = r.viewTimer(s, t, now)
		v.At = &t.Started
	}
	if kind := s.Kind(); !v.Done && (kind == StepAct || kind == StepMeasure) {
		if err := r.inOrder(s, now); err != nil {
			v.Waits = err.Error()
		}
	}
	if s.Kind() == StepRecord {
		v.Plate, v.Choices = r.Plate, r.Choices
	}
	v.Summary = r.summary(s, v)
	return v
}

// summary is the line under a step's title.
func (r Run) summary(s Step, v StepView) string {
	if v.Skipped != "" {
		return "left out: " + v.Skipped
	}
	switch s.Kind() {
	case StepBring:
		return fmt.Sprintf("%d of %d", len(r.Bound), len(r.Procedure.Roles))
	case StepAmbient:
		if a := r.Ambient; v.Done {
			return roomWords(a)
		}
	case StepWait:
		switch {
		case v.Timer == nil:
			return fmt.Sprintf("%g min", s.Minutes)
		case v.Timer.Cut != "":
			return "cut short: " + v.Timer.Cut
		}
	case StepMeasure:
		return r.progress(s)
	case StepFinding:
		if d := r.Findings[s.ID].last(); d.Decision != "" {
			return string(d.Decision)
		}
	case StepCheck:
		words := s.AnswerWords(v.Answer)
		if v.Answer == NotFine {
			return words + ": " + v.Note
		}
		return words
	case StepRecord:
		return r.chosen(s)
	case StepAct:
		switch {
		case !v.Done && s.Opens != "":
			return "opens: " + strings.ToLower(s.Opens)
		case !v.Done && len(s.Closes) > 0:
			return "closes: " + strings.ToLower(strings.Join(s.Closes, ", "))
		}
	}
	return ""
}

func (r Run) progress(m Step) string {
	done, all := 0, 0
	for _, p := range m.Points {
		if !r.exists(p) {
			continue
		}
		all++
		if r.complete(m, p, 0) {
			done++
		}
	}
	return fmt.Sprintf("%d of %d points", done, all)
}

// AnswerWords is an answer as the check puts it.
func (s Step) AnswerWords(a Answer) string {
	if !s.Tests() {
		return string(a)
	}
	return map[Answer]string{Fine: "passed", NotFine: "failed", NA: "not fitted"}[a]
}

// chosen is what a record says, on one line.
func (r Run) chosen(s Step) string {
	var words []string
	for _, f := range s.Fields {
		if choice := r.Choices[f.ID]; choice != "" {
			words = append(words, choice)
		} else if v, ok := r.Plate[f.ID]; ok {
			words = append(words, strings.TrimSpace(fmt.Sprintf("%g %s", v, quantity.ShowUnit(f.Unit))))
		}
	}
	return strings.Join(words, " · ")
}

func (r Run) viewTimer(s Step, t Timer, now time.Time) *TimerView {
	return &TimerView{Step: s.ID, Title: s.Title, Started: t.Started, Until: t.Until, Cut: t.Cut, Over: t.Over(now)}
}

// viewNextTimer is the running timer that ends first; without one, none.
func (r Run) viewNextTimer(now time.Time) *TimerView {
	var next *TimerView
	for _, s := range r.Procedure.Steps {
		if t, ok := r.Timers[s.ID]; ok && !t.Over(now) && (next == nil || t.Until.Before(next.Until)) {
			next = r.viewTimer(s, t, now)
		}
	}
	return next
}

func (r Run) viewMeasure(m Step) MeasureView {
	finding, _ := r.Procedure.FindingOf(m.ID)
	unit := r.shownUnit(m)
	reads := quantity.ShowUnit(unit)
	if m.Reads != "" {
		reads = quantity.ShowUnit(m.Reads)
	}
	v := MeasureView{Reads: reads, ID: m.ID, Title: m.Title, Finding: finding.ID, Do: m.Do, Caution: m.Caution, Unit: unit, Shown: quantity.ShowUnit(unit), Resolution: r.Resolution(m),
		Tolerance: r.tolerance(m), Repeats: m.Repeats, Schools: r.otherSchools(m), Capture: m.Capture, SetUp: m.SetUp}
	round, err := r.pointRound(m, finding)
	v.Reading = err == nil && r.Status == Open
	v.Round = round
	if err != nil {
		last := max(0, r.Findings[finding.ID].Closed-1)
		if v.Round = last; !slices.Contains(r.affected(finding, last), m.ID) {
			v.Round = 0
		}
	}
	for _, p := range m.Points {
		if r.exists(p) {
			v.Points = append(v.Points, r.viewPoint(m, p, v.Round))
		}
	}
	return v
}

func (r Run) viewPoint(m Step, p Point, round int) PointView {
	v := PointView{ID: p.ID, Label: p.Label, Do: p.Do, With: p.With, Zone: p.Zone, Omitted: r.Omitted[pointKey{m.ID, p.ID, round}], Complete: r.complete(m, p, round),
		GrossOpen: r.grossOpen(m, p, round), SetUpSeen: r.setUpChecked(m, p, round), SetUpNote: r.SetUpNote[pointKey{m.ID, p.ID, round}], Readings: []ReadingView{}}
	if e, err := r.Expect(m, p); err == nil {
		v.Expected = &e
		if v.Do == "" {
			v.Do = e.Do
		}
	} else {
		v.Missing = err.Error()
	}
	v.Found, _ = r.judge(m, p, 0)
	for last := round; last > 0 && v.Left == nil; last-- {
		v.Left, _ = r.judge(m, p, last)
	}
	for _, reading := range r.Readings {
		if reading.Measure == m.ID && reading.Point == p.ID {
			v.Readings = append(v.Readings, ReadingView{ID: reading.Reading, Phase: reading.Phase, Round: reading.Round, Values: reading.Values, Typed: reading.Typed, Source: reading.Source,
				Link: reading.Link, Detail: reading.Detail, Early: reading.Early, Withdrawn: reading.Withdrawn, At: reading.At, By: reading.By.Name})
		}
	}
	return v
}

func (r Run) viewFinding(s Step) FindingView {
	state := r.Findings[s.ID]
	v := FindingView{ID: s.ID, Title: s.Title, Judges: s.Judges, Controls: append([]adjust.Control{}, r.controls(s)...), Closed: state.Closed, Adjusting: state.adjusting(), Looking: state.adjusting() && state.last().Decision == adjust.Investigate, Done: state.done(),
		Adjusted: r.adjusted(s, state.Closed), Decisions: append([]FindingDecided{}, state.Decisions...), Adjustments: append([]AdjustmentMade{}, state.Adjustments...)}
	if state.Closed > 0 {
		if advice, err := r.Advise(s); err == nil {
			v.Advice = &advice
			v.Causes = s.causesOf(string(advice.Anatomy.Shape))
		}
		if seen, ok := r.see(s, state.Closed-1); ok {
			v.Seen, v.Causes = &seen, s.causesOf(seen.Shape)
		}
	}
	v.Undo = r.undo(s)
	if round, err := r.openRound(s); err == nil {
		v.CanClose = true
		for _, id := range r.affected(s, round) {
			m, _ := r.Procedure.Step(id)
			v.CanClose = v.CanClose && !slices.ContainsFunc(m.Points, func(p Point) bool { return !r.complete(m, p, round) })
		}
	}
	return v
}

// causesOf are a finding's likely causes of a shape, else those it names for any.
func (s Step) causesOf(shape string) []string {
	if causes := s.Causes[shape]; len(causes) > 0 {
		return causes
	}
	return s.Causes["any"]
}

func (r Run) viewLooseEnds() []LooseEndView {
	ends := make([]LooseEndView, len(r.LooseEnds))
	for i, e := range r.LooseEnds {
		ends[i] = LooseEndView{What: e.What, OpenedAt: e.OpenedAt, By: e.By.Name, Note: e.Note}
		if !e.ClosedAt.IsZero() {
			ends[i].ClosedAt = &r.LooseEnds[i].ClosedAt
		}
	}
	return ends
}

func roomWords(a method.Ambient) string {
	return fmt.Sprintf("%s °C · %s hPa · %s %%", quantity.Format(a.TemperatureC, 0.1), quantity.Format(a.PressureHPa, 1), quantity.Format(a.HumidityPercent, 1))
}

// remarks are what a certificate must not keep silent.
func (r Run) remarks() []string {
	remarks := []string{}
	for _, c := range r.Changed {
		titles := make([]string, len(c.Steps))
		for i, id := range c.Steps {
			s, _ := r.Procedure.Step(id)
			titles[i] = s.Title
		}
		remarks = append(remarks, fmt.Sprintf("%s. What was done before counts no more, and was done again: %s.", c.Reason, strings.Join(titles, ", ")))
	}
	for _, s := range r.Procedure.Way() {
		if mark := r.Marks[s.ID]; mark.Skipped != "" {
			remarks = append(remarks, fmt.Sprintf("%s was left out: %s.", s.Title, mark.Skipped))
		} else if mark.Answer == NotFine {
			remarks = append(remarks, fmt.Sprintf("%s: %s: %s.", s.Title, s.AnswerWords(NotFine), mark.Note))
		}
		if t := r.Timers[s.ID]; t.Cut != "" {
			remarks = append(remarks, fmt.Sprintf("%s was cut short: %s.", s.Title, t.Cut))
		}
		judges, _ := r.Procedure.FindingOf(s.ID)
		for _, p := range s.Points {
			for round := range r.Findings[judges.ID].Closed + 1 {
				if reason, omitted := r.Omitted[pointKey{s.ID, p.ID, round}]; omitted {
					remarks = append(remarks, fmt.Sprintf("%s, %s (%s) was left out: %s.", s.Title, p.Label, phaseOf(round), reason))
				}
			}
			for _, reading := range r.Readings {
				if reading.Measure == s.ID && reading.Point == p.ID && reading.Withdrawn != "" {
					remarks = append(remarks, fmt.Sprintf("%s, %s (%s): a reading was withdrawn: %s.", s.Title, p.Label, reading.Phase, reading.Withdrawn))
				}
			}
		}
		if rooms := r.Findings[s.ID].rooms; len(rooms) > 0 && rooms[0].Recorded && rooms[0] != r.Ambient {
			remarks = append(remarks, fmt.Sprintf("%s: as found was read at %s; the room conditions were recorded again later.", s.Title, roomWords(rooms[0])))
		}
		for _, d := range r.Findings[s.ID].Decisions {
			if d.Reason != "" {
				remarks = append(remarks, fmt.Sprintf("%s: the advice was to %s, the decision to %s: %s.", s.Title, d.Advised, d.Decision, d.Reason))
			}
		}
	}
	for _, role := range r.Procedure.Roles {
		if b := r.Bound[role.ID]; b.Override != "" {
			remarks = append(remarks, fmt.Sprintf("%s was used as an exception, for as-found readings only: %s", b.Standard.Tag, b.Override))
		}
	}
	return remarks
}

// CaptureOf is how a point's reading is taken over a link: what the instrument is
// set to, and how alike the readings must be in the device's own unit.
func (r Run) CaptureOf(measure, point string) (m Step, p Point, limit float64, err error) {
	m, p, _, err = r.point(measure, point)
	if err == nil && m.Capture == nil {
		err = refuse(Conflict, "no-link", "measure", "%s is read from the display and typed.", m.Title)
	}
	if err != nil {
		return m, p, 0, err
	}
	e, err := r.Expect(m, p)
	if err != nil {
		return m, p, 0, refuse(Conflict, "not-ready", "point", "%s, %s: %s.", m.Title, p.Label, err)
	}
	return m, p, e.Steady, nil
}

// Reading is the point that is to be read next: the first open one of the measure that is
// due, or of the round that a finding is read in again; false where something else is due.
func (r Run) Reading(now time.Time) (m Step, p Point, ok bool) {
	r = r.remembering()
	if r.Status != Open {
		return m, p, false
	}
	open := func(m Step, round int) bool {
		at := slices.IndexFunc(m.Points, func(p Point) bool { return !r.complete(m, p, round) })
		if ok = at >= 0; ok {
			p = m.Points[at]
		}
		return ok
	}
	for _, s := range r.Procedure.Way() {
		if r.stepDone(s, now) {
			continue
		}
		if s.Kind() == StepMeasure {
			return s, p, open(s, 0) && r.inOrder(s, now) == nil
		}
		if s.Kind() == StepFinding && r.Findings[s.ID].adjusting() {
			round, err := r.openRound(s)
			if err != nil {
				return m, p, false
			}
			for _, id := range r.affected(s, round) {
				if m, _ = r.Procedure.Step(id); open(m, round) {
					return m, p, true
				}
			}
		}
		return m, p, false
	}
	return m, p, false
}

// Gross reports whether a point stands on an error that asks for a look at the set-up.
func (r Run) Gross(m Step, p Point) bool { return r.grossOpen(m, p, r.lastRound(m)) }

// TraceOf names the stretch of trace that readings of a measure may be taken from now.
// Another round, a withdrawn reading or a look at the set-up begins a new one: what an
// instrument sent before says nothing any more.
func (r Run) TraceOf(m Step) string {
	finding, _ := r.Procedure.FindingOf(m.ID)
	withdrawn := 0
	for _, reading := range r.Readings {
		if reading.Withdrawn != "" {
			withdrawn++
		}
	}
	state := r.Findings[finding.ID]
	return fmt.Sprintf("%s %d %d %d %d", r.ID, state.Closed, len(state.Adjustments), withdrawn, len(r.SetUp))
}
