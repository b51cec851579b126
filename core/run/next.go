package run

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"time"

	"northneedle/core/procedure"
)

// CaptureOf is how a point's reading is taken over a link: what the instrument is
// set to, and how alike the readings must be in the device's own unit.
func (r Run) CaptureOf(measure, point string) (m *procedure.Measure, p *procedure.Point, limit float64, err error) {
	m, p, err = r.point(measure, point)
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

// Together are the points of other measures that are set together with one: one setting, or one insertion, and a reading of each.
func (r Run) Together(m *procedure.Measure, p *procedure.Point) (all []Spot) {
	first := func(m *procedure.Measure) string { return cmp.Or(m.Pair, m.ID) }
	for _, other := range r.Procedure.Measures() {
		if other == m || first(m) != first(other) {
			continue
		}
		for i := range other.Points {
			if q := &other.Points[i]; len(p.Drive) > 0 && maps.Equal(p.Drive, q.Drive) && r.Holds(q.Condition) {
				all = append(all, Spot{other, q})
				break
			}
		}
	}
	return all
}

// Spot is a point with its measure.
type Spot struct {
	Measure *procedure.Measure
	Point   *procedure.Point
}

// Paired is the point to be read next of those that are set together with one: the first that is open, else the first. Nil where
// there is none.
func (r Run) Paired(m *procedure.Measure, p *procedure.Point) (*procedure.Measure, *procedure.Point) {
	all := r.Together(m, p)
	at := slices.IndexFunc(all, func(s Spot) bool { return !r.Complete(s.Measure, s.Point, r.LastRound(s.Measure)) })
	if len(all) == 0 {
		return nil, nil
	}
	return all[max(0, at)].Measure, all[max(0, at)].Point
}

// stillSet is the open point that is set together with the one that was read last; nil where there is none.
func (r Run) stillSet(round int) (*procedure.Measure, *procedure.Point) {
	for i := len(r.Readings) - 1; i >= 0; i-- {
		reading := r.Readings[i]
		if !reading.Stands() || reading.Round != round {
			continue
		}
		m, p, err := r.point(reading.Measure, reading.Point)
		if err != nil || !r.Complete(m, p, round) {
			return nil, nil
		}
		other, q := r.Paired(m, p)
		if other == nil || other.Judge != m.Judge || r.Complete(other, q, round) {
			return nil, nil
		}
		return other, q
	}
	return nil, nil
}

// inOrderOrSet refuses a point while an earlier step is open; not where it is set together with a point that is due.
func (r Run) inOrderOrSet(m *procedure.Measure, p *procedure.Point, now time.Time) error {
	err := r.InOrder(m, now)
	if err != nil && slices.ContainsFunc(r.Together(m, p), func(s Spot) bool { return r.InOrder(s.Measure, now) == nil }) {
		return nil
	}
	return err
}

// NextPoint is the point that is to be read next: the one that is set already together with the last, else the first open
// one of the measure that is due, or of the round that a finding is read in again; nil where something else is due.
func (r Run) NextPoint(now time.Time) (*procedure.Measure, *procedure.Point) {
	if r.Status != Open {
		return nil, nil
	}
	for _, s := range r.Procedure.Way() {
		if r.StepDone(s, now) {
			continue
		}
		switch s := s.(type) {
		case *procedure.Measure:
			if p := r.open(s, 0); p != nil && r.InOrder(s, now) == nil {
				if other, q := r.stillSet(0); other != nil {
					return other, q
				}
				return s, p
			}
		case *procedure.Finding:
			round, err := r.OpenRound(s)
			if err != nil || !r.Findings[s.ID].Adjusting() {
				return nil, nil
			}
			if other, q := r.stillSet(round); other != nil && slices.Contains(r.Affected(s, round), other) {
				return other, q
			}
			for _, m := range r.Affected(s, round) {
				if p := r.open(m, round); p != nil {
					return m, p
				}
			}
		}
		return nil, nil
	}
	return nil, nil
}

// WorkedBy reports whether a person opened the run or did something in it.
func (r Run) WorkedBy(id string) bool {
	if r.OpenedBy.ID == id {
		return true
	}
	for _, m := range r.Marks {
		if m.By.ID == id {
			return true
		}
	}
	return slices.ContainsFunc(r.Readings, func(reading Reading) bool { return reading.By.ID == id })
}

// Gross reports whether the error of a point is so large that the set-up must be checked first.
func (r Run) Gross(m *procedure.Measure, p *procedure.Point) bool {
	return r.GrossOpen(m, p, r.LastRound(m))
}

// TraceOf names the stretch of trace that readings of a measure may be taken from now.
// Another round, a withdrawn reading or a look at the set-up begins a new one: what an
// instrument sent before says nothing any more.
func (r Run) TraceOf(m *procedure.Measure) string {
	withdrawn := 0
	for _, reading := range r.Readings {
		if reading.Withdrawn != "" {
			withdrawn++
		}
	}
	state := r.Findings[m.Judge.ID]
	return fmt.Sprintf("%s %d %d %d %d %d %d", r.ID, state.Closed, len(state.Adjustments), len(state.Voided), withdrawn, len(r.SetUp), r.Moves)
}
