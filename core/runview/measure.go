package runview

import (
	"slices"

	"northneedle/core/procedure"
	"northneedle/core/quantity"
	"northneedle/core/run"
)

func viewMeasure(r run.Run, m *procedure.Measure) MeasureView {
	unit := r.Unit(m)
	reads := quantity.ShowUnit(unit)
	if m.Reads != "" {
		reads = quantity.ShowUnit(m.Reads)
	}
	v := MeasureView{
		ID:         m.ID,
		Title:      m.Title,
		Finding:    m.Judge.ID,
		Method:     m.MethodName,
		Quantity:   m.Quantity,
		Also:       m.Also,
		Do:         m.Do,
		Absent:     m.Absent,
		Caution:    m.Caution,
		Unit:       unit,
		Shown:      quantity.ShowUnit(unit),
		Reads:      reads,
		Resolution: r.Resolution(m),
		Tolerance:  r.Tolerance(m),
		LimitPlus:  r.Plate[m.LimitPlus],
		Low:        m.Low,
		Repeats:    m.Repeats,
		SetUp:      m.SetUp,
		Points:     []PointView{},
	}
	if stage := m.Method.Stage; stage != nil {
		v.Stage = &StageView{stage.Shows, quantity.ShowUnit(stage.Unit)}
	}
	for _, a := range r.Alternatives(m) {
		v.Schools = append(v.Schools, AlternativeView{a.Title, a.Tolerance})
	}
	if m.Capture != nil {
		capture := *m.Capture
		capture.Method = procedure.CaptureMethod{} // a view is data
		v.Capture = &capture
	}
	round, err := r.PointRound(m)
	v.Reading = err == nil && r.Status == run.Open
	v.Round = round
	if err != nil {
		last := max(0, r.Findings[m.Judge.ID].Closed-1)
		if v.Round = last; !slices.Contains(r.Affected(m.Judge, last), m) {
			v.Round = 0
		}
	}
	for i := range m.Points {
		if p := &m.Points[i]; r.Holds(p.Condition) {
			v.Points = append(v.Points, viewPoint(r, m, p, v.Round))
		}
	}
	return v
}

func viewPoint(r run.Run, m *procedure.Measure, p *procedure.Point, round int) PointView {
	key := run.PointKey{Measure: m.ID, Point: p.ID, Round: round}
	v := PointView{
		ID:        p.ID,
		Label:     p.Label,
		At:        p.At,
		Role:      p.Role,
		U:         p.U,
		Own:       p.Own,
		Do:        p.Do,
		Zone:      p.Zone,
		Omitted:   r.Omitted[key],
		Complete:  r.Complete(m, p, round),
		GrossOpen: r.GrossOpen(m, p, round),
		SetUpSeen: r.SetUpChecked(m, p, round),
		SetUpNote: r.SetUpNote[key],
		Move:      r.ToMove(p),
		Readings:  []ReadingView{},
	}
	v.With, _ = r.With(m, p) // what a choice still to be made gives is missing
	if other, q := r.Paired(m, p); other != nil {
		v.Pair = &PairView{other.ID, q.ID}
	}
	if m.Method.Stage != nil {
		v.Stage = viewStage(r, m, key)
	}
	for _, mark := range r.Marked {
		if mark.Measure == m.ID && mark.Point == p.ID {
			v.Marked = mark.Note
		}
	}
	if e, err := r.Expect(m, p); err == nil {
		v.Expected = &e
		if v.Do == "" {
			v.Do = e.Do
		}
	} else {
		v.Missing = err.Error()
	}
	v.Earlier = r.EarlierOf(m, p)
	v.Found = verdictOf(r, m, p, 0)
	for _, voided := range r.Findings[m.Judge.ID].Voided {
		if first := voided.Verdict(m.ID, p.ID); first != nil {
			v.Voided = append(v.Voided, VerdictView{Verdict: *first, Sentence: Sentence(*first)})
		}
	}
	for last := round; last > 0 && v.Left == nil; last-- {
		v.Left = verdictOf(r, m, p, last)
	}
	farOut := map[string]bool{}
	for last := range round + 1 {
		for _, reading := range r.Superseded(m, p, last) {
			farOut[reading.Reading] = true
		}
	}
	for _, reading := range r.Readings {
		if reading.Measure == m.ID && reading.Point == p.ID {
			v.Readings = append(v.Readings, ReadingView{ID: reading.Reading, Phase: reading.Phase, Round: reading.Round,
				Values: reading.Values, Typed: reading.Typed, Source: reading.Source,
				Link: reading.Link, Origin: reading.Origin, Given: reading.Given, Detail: reading.Detail, Early: reading.Early, Fine: reading.Fine, Left: reading.Left, Quantum: reading.Quantum, Withdrawn: reading.Withdrawn, FarOut: farOut[reading.Reading], Void: reading.Void,
				Curves: reading.Curves, Absent: reading.Absent, Stage: reading.Stage, At: reading.At, By: reading.By.Name})
		}
	}
	return v
}

// viewStage is how far the stage of a point is that is read by hand.
func viewStage(r run.Run, m *procedure.Measure, key run.PointKey) *PointStage {
	stage, open := r.Stages[key]
	if !open {
		if before, ok := r.StageBefore(m, key.Round); ok {
			return &PointStage{Offered: &before}
		}
		return nil
	}
	v := &PointStage{Before: stage.Typed, Started: &stage.At}
	if !stage.Stopped.IsZero() {
		v.Stopped = &stage.Stopped
	}
	return v
}

// verdictOf is the verdict on a point in a round, with its sentence; nil where there is none.
func verdictOf(r run.Run, m *procedure.Measure, p *procedure.Point, round int) *VerdictView {
	v, err := r.Judge(m, p, round)
	if err != nil || v == nil {
		return nil
	}
	return &VerdictView{*v, Sentence(*v), r.Accredited(m, *v)}
}
