package runview

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"northneedle/core/adjust"
	"northneedle/core/procedure"
	"northneedle/core/quantity"
	"northneedle/core/run"
)

// Of computes what there is to show of a run at a moment.
func Of(r run.Run, now time.Time) View {
	p := r.Procedure
	v := View{
		ID:       r.ID,
		Status:   r.Status,
		Seq:      r.Seq,
		OpenedAt: r.OpenedAt,
		OpenedBy: r.OpenedBy,
		Device:   r.Device,
		Lab:      r.Lab.Name,

		Letterhead: r.Lab.Letterhead,

		Replaces:  r.Replaces,
		Procedure: ProcedureBrief{p.ID, p.Revision, p.Title, r.Hash, p.Test, p.Cautions, p.Maintains},
		Rule:      r.Rule().Meaning(),
		Parts:     p.Parts,
		Roles:     []RoleView{},
		Measures:  []MeasureView{},
		Findings:  []FindingView{},
		Changed:   []ChangeView{},
		Ambient:   r.Ambient,
		Room:      r.Lab.Room.Settled(),
		Revisions: []RevisionView{},
		Notes:     append([]run.Note{}, r.Notes...),
		Returned:  r.Returned,
		Marked:    r.Marked,
		EndReason: r.EndReason,
		Next:      r.Next(),
	}
	way := p.Way()
	v.Steps = make([]StepView, 0, len(way))
	for _, s := range way {
		if !r.Holds(s.Base().Condition) {
			continue
		}
		sv := viewStep(r, s, now)
		if !sv.Done {
			if v.Current == "" {
				v.Current, v.Now = sv.ID, sv.Title
			} else {
				sv.Waits = waits(r, s, now)
			}
		}
		v.Steps = append(v.Steps, sv)
		switch s := s.(type) {
		case *procedure.Measure:
			v.Measures = append(v.Measures, viewMeasure(r, s))
		case *procedure.Finding:
			v.Findings = append(v.Findings, viewFinding(r, s))
		}
	}
	for _, c := range r.Changed {
		v.Changed = append(v.Changed, ChangeView{c.Reason, c.Steps, c.At, c.By.Name})
	}
	for _, role := range p.Roles {
		rv := RoleView{Role: role}
		if b, ok := r.Bound[role.ID]; ok {
			rv.Standard, rv.BoundAt, rv.Override, rv.Problems = &b.Standard, &b.At, b.Override, b.Problems
			rv.Earlier, rv.Used = earlier(r, role.ID), r.UsedIn(role.ID)
		}
		v.Roles = append(v.Roles, rv)
	}
	v.OpenItems = viewOpenItems(r)
	v.Under, v.Hands = r.Under, r.Hands
	if t := r.TakenIn; t != nil {
		v.TakenIn = &TakenInView{t.Origin, t.File, t.Ours, t.By.Name, t.At}
	}
	v.Timer = viewNextTimer(r, now)
	v.Result, v.ResultWhy = r.Outcome()
	v.Statement = statement(r, v.ResultWhy)
	for _, only := range r.Limited() {
		v.Limited = append(v.Limited, strings.TrimSpace(fmt.Sprintf("%s: from %g to %g %s", only.Title, only.From, only.To,
			quantity.ShowUnit(only.Unit))))
	}
	v.Remarks = remarks(r)
	if r.Status == run.Open {
		v.Blockers = r.Blockers(now)
		v.NeedsReview = r.NeedsReview(r.OpenedBy, v.Result)
	} else {
		v.Blockers = []string{}
		v.Current, v.Now = "", string(r.Status)
	}
	if s := r.Signature; s != nil {
		device, added := r.Certified()
		v.Device, v.Revision, v.Revisions = device, len(r.Revisions)+1, viewRevisions(r)
		v.Remarks = append(v.Remarks, added...)
		v.Signature = &SignatureView{Statement: s.Statement, Result: s.Result, At: s.At, By: s.By,
			Reviewer: s.Reviewer, Signing: s.Signing}
		v.Result = s.Result
		v.Matters = Matters(r)
		if r.Reviewed != nil {
			v.Signature.InPlaceOf, v.Signature.Reviewing = r.Reviewed.InPlaceOf, &r.Reviewed.Signing
			v.Signature.ReviewedAt, v.Signature.ReviewedBy, v.Signature.ReviewNote = &r.Reviewed.At, r.Reviewed.By.Name, r.Reviewed.Note
		}
	}
	return v
}

// earlier are the standards that filled a role before they were exchanged, each with the points that were read with it.
func earlier(r run.Run, role string) (all []EarlierView) {
	bindings := r.Bindings(role)
	for i, b := range bindings[:max(0, len(bindings)-1)] {
		next := bindings[i+1]
		v := EarlierView{Standard: b.Standard, Points: []string{}, Until: next.At, Why: next.Exchange}
		for at, reading := range r.Readings {
			m := r.Procedure.Measure(reading.Measure)
			if at < b.After || at >= next.After || m == nil || m.Point(reading.Point) == nil {
				continue
			}
			p := m.Point(reading.Point)
			name := fmt.Sprintf("%s %s (%s)", m.Title, p.Label, reading.Phase)
			if m.Uses(p, role) && !slices.Contains(v.Points, name) {
				v.Points = append(v.Points, name)
			}
		}
		all = append(all, v)
	}
	return all
}

// Brief is what a list shows of a run.
type Brief struct {
	Now   string
	Timer *TimerView
}

// BriefOf computes what a list shows, without judging every point.
func BriefOf(r run.Run, now time.Time) Brief {
	b := Brief{Now: string(r.Status)}
	if r.Status != run.Open {
		return b
	}
	b.Timer = viewNextTimer(r, now)
	for _, s := range r.Procedure.Way() {
		if !r.StepDone(s, now) {
			b.Now = s.Base().Title
			break
		}
	}
	return b
}

func viewStep(r run.Run, s procedure.Step, now time.Time) StepView {
	b := s.Base()
	v := StepView{
		ID:      b.ID,
		Kind:    s.Kind(),
		Title:   b.Title,
		Do:      b.Do,
		Caution: b.Caution,
		Symptom: b.Symptom,
		Opens:   b.Opens,
		Closes:  b.Closes,
		Done:    r.StepDone(s, now),
	}
	mark, marked := r.Marks[b.ID]
	if marked {
		v.At, v.Answer, v.Note, v.Read, v.Skipped = &mark.At, mark.Answer, mark.Note, mark.Read, mark.Skipped
	}
	switch s := s.(type) {
	case *procedure.ActStep:
		v.Vessels = len(Vessels(r, s.ID))
	case *procedure.CheckStep:
		v.Tests = s.Tests()
	case *procedure.WaitStep:
		v.Minutes, v.Why = s.Minutes, s.Why
		if t, ok := r.Timers[s.ID]; ok {
			v.Timer = viewTimer(s, t, now)
			v.At = &t.Started
		}
	case *procedure.RecordStep:
		v.Fields, v.Plate, v.Choices = slices.Clone(s.Fields), r.Plate, r.Choices
		for i := range v.Fields {
			v.Fields[i].Unit = r.FieldUnit(v.Fields[i])
			if set, done, tag, ok := r.LeftAs(v.Fields[i].ID); ok {
				if v.Left == nil {
					v.Left = map[string]string{}
				}
				v.Left[v.Fields[i].ID] = fmt.Sprintf("%s was left at %s on %s", tag, set.Value, done.At.Format("2006-01-02"))
			}
		}
	}
	v.Summary = summary(r, s, v)
	return v
}

// waits says what must come before an act or a measure; empty where nothing must.
func waits(r run.Run, s procedure.Step, now time.Time) string {
	switch s.(type) {
	case *procedure.ActStep, *procedure.Measure:
		if err := r.InOrder(s, now); err != nil {
			return err.Error()
		}
	}
	return ""
}

// summary is the line under a step's title.
func summary(r run.Run, step procedure.Step, v StepView) string {
	if v.Skipped != "" {
		return "left out: " + v.Skipped
	}
	switch s := step.(type) {
	case *procedure.BringStep:
		return fmt.Sprintf("%d of %d", len(r.Bound), len(r.Procedure.Roles))
	case *procedure.AmbientStep:
		if v.Done {
			return roomWords(r.Ambient)
		}
	case *procedure.WaitStep:
		switch {
		case v.Timer == nil:
			return fmt.Sprintf("%g min", s.Minutes)
		case v.Timer.Cut != "":
			return "cut short: " + v.Timer.Cut
		}
	case *procedure.Measure:
		return progress(r, s)
	case *procedure.Finding:
		if d := r.Findings[s.ID].Last(); d.Decision != "" {
			return string(d.Decision)
		}
	case *procedure.CheckStep:
		words := AnswerWords(s.Tests(), v.Answer)
		if v.Answer == run.NotFine {
			return words + ": " + v.Note
		}
		return words
	case *procedure.RecordStep:
		return chosen(r, s)
	case *procedure.ActStep:
		switch {
		case !v.Done && s.Opens != "":
			return "opens: " + strings.ToLower(s.Opens)
		case !v.Done && len(s.Closes) > 0:
			return "closes: " + strings.ToLower(strings.Join(s.Closes, ", "))
		}
	}
	return ""
}

func progress(r run.Run, m *procedure.Measure) string {
	done, all := 0, 0
	for i := range m.Points {
		p := &m.Points[i]
		if !r.Holds(p.Condition) {
			continue
		}
		all++
		if r.Complete(m, p, 0) {
			done++
		}
	}
	return fmt.Sprintf("%d of %d points", done, all)
}

// chosen is what a record says, on one line.
func chosen(r run.Run, s *procedure.RecordStep) string {
	var words []string
	for _, f := range s.Fields {
		if said := f.Recorded(r.Plate, r.Choices); said != "" {
			words = append(words, said)
		}
	}
	return strings.Join(words, " · ")
}

func viewTimer(s procedure.Step, t run.Timer, now time.Time) *TimerView {
	return &TimerView{
		Step:    s.Base().ID,
		Title:   s.Base().Title,
		Started: t.Started,
		Until:   t.Until,
		Cut:     t.Cut,
		Over:    t.Over(now),
	}
}

// viewNextTimer is the running timer that ends first; without one, none.
func viewNextTimer(r run.Run, now time.Time) *TimerView {
	var next *TimerView
	for _, s := range r.Procedure.Steps {
		if t, ok := r.Timers[s.Base().ID]; ok && !t.Over(now) && (next == nil || t.Until.Before(next.Until)) {
			next = viewTimer(s, t, now)
		}
	}
	return next
}

func viewFinding(r run.Run, f *procedure.Finding) FindingView {
	state := r.Findings[f.ID]
	v := FindingView{
		ID:          f.ID,
		Title:       f.Title,
		Judges:      f.Judges,
		Of:          f.Of,
		About:       f.About,
		Controls:    append([]adjust.Control{}, r.Controls(f)...),
		Closed:      state.Closed,
		Adjusting:   state.Adjusting(),
		Looking:     state.Adjusting() && state.Last().Decision == adjust.Investigate,
		Done:        state.Done(),
		Adjusted:    r.Adjusted(f, state.Closed),
		Rooms:       state.Rooms,
		Decisions:   append([]run.FindingDecided{}, state.Decisions...),
		Adjustments: append([]run.AdjustmentMade{}, state.Adjustments...),
		Made:        madeWords(r, f),
		Undo:        r.Undo(f),
		Span:        r.SpanLoad(f),
		Outside:     f.Outside,
		MayVoid:     r.MayVoid(f),
		Voided:      []VoidedView{},
	}
	for _, voided := range state.Voided {
		v.Voided = append(v.Voided, VoidedView{voided.AsFoundVoided, voided.At, voided.By.Name, voided.Stands})
	}
	if state.Closed > 0 {
		if advice, err := r.Advise(f); err == nil {
			v.Advice = &advice
			v.Causes = causesOf(f, string(advice.Components.Shape))
		}
		if d, ok := r.Diagnose(f, 0); ok {
			v.FoundOut = d.Fails
		}
		if d, ok := r.Diagnose(f, state.Closed-1); ok {
			v.Seen, v.Causes = &d, causesOf(f, d.Shape)
		}
	}
	if d := state.Last(); v.Adjusting && d.Decision == adjust.Adjust && d.Advised != adjust.Adjust {
		v.Offer = r.Offer(f)
	}
	v.CanClose = r.CanClose(f)
	return v
}

func viewOpenItems(r run.Run) []OpenItemView {
	ends := make([]OpenItemView, len(r.OpenItems))
	for i, e := range r.OpenItems {
		ends[i] = OpenItemView{What: e.What, OpenedAt: e.OpenedAt, By: e.By.Name, Note: e.Note}
		if !e.ClosedAt.IsZero() {
			ends[i].ClosedAt = &r.OpenItems[i].ClosedAt
		}
	}
	return ends
}

func roomWords(a procedure.Ambient) string {
	return fmt.Sprintf("%s °C · %s hPa · %s %%", quantity.Format(a.TemperatureC, 0.1),
		quantity.Format(a.PressureHPa, 1), quantity.Format(a.HumidityPercent, 1))
}
