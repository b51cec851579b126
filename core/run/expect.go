package run

import (
	"fmt"
	"math"
	"strings"

	"northneedle/core/conformity"
	"northneedle/core/procedure"
	"northneedle/core/quantity"
	"northneedle/core/uncertainty"
)

// Expect computes what a point should show. The error says what is missing.
func (r Run) Expect(m *procedure.Measure, p *procedure.Point) (Expected, error) {
	round := r.LastRound(m)
	known, ok := r.expected[PointKey{m.ID, p.ID, round}]
	if ok && !m.Method.Series && known.room == r.room(m.Judge, round) { // a series follows from its readings too
		return known.Expected, known.err
	}
	return r.expect(m, p, round)
}

// expectation is what a point should show in a room, or what is missing to say so.
type expectation struct {
	Expected
	err  error
	room procedure.Ambient
}

// expecting is the run with what every point should show computed from what is recorded by now.
func (r Run) expecting() Run {
	all := map[PointKey]expectation{}
	for _, m := range r.Procedure.Measures() {
		round := r.LastRound(m)
		for i := range m.Points {
			e, err := r.expect(m, &m.Points[i], round)
			all[PointKey{m.ID, m.Points[i].ID, round}] = expectation{e, err, r.room(m.Judge, round)}
		}
	}
	r.expected = all
	return r
}

// longer says how long a point should be measured where U is too large for the limit by the ratio that its role asks for;
// empty where it is small enough, or where time changes nothing. Terms that shrink in proportion to time are the outcome's.
func (r Run) longer(m *procedure.Measure, out procedure.Outcome, limits conformity.Limits, budget uncertainty.Budget) string {
	half := limits.HalfWidth()
	role, ok := r.Procedure.RoleOf(m.Role)
	if !ok || role.TUR <= 0 || out.Minutes <= 0 || !(half > 0) || math.IsInf(half, 0) || half/budget.Expanded >= role.TUR {
		return ""
	}
	timed, err := uncertainty.Combine(out.Timed...)
	if err != nil {
		return ""
	}
	goal := half / role.TUR / budget.K
	rest := goal*goal - (budget.Combined*budget.Combined - timed.Combined*timed.Combined)
	if rest <= 0 {
		return fmt.Sprintf("U is too large for the limit, and measuring longer does not help: a finer %s does", strings.ToLower(role.Title))
	}
	return fmt.Sprintf("too short for its limit: U is small enough (TUR %g) from about %s min on", role.TUR,
		quantity.Format(math.Ceil(out.Minutes*timed.Combined/math.Sqrt(rest)), 1))
}

func (r Run) expect(m *procedure.Measure, p *procedure.Point, round int) (Expected, error) {
	in, err := r.input(m, p, nil, round)
	if err != nil {
		return Expected{}, err
	}
	out, err := m.Method.Evaluate(in)
	if err != nil {
		return Expected{}, err
	}
	limits, err := r.limitsAt(r.limits[m.ID], out)
	if err != nil {
		return Expected{}, err
	}
	shown := func(v float64) float64 { return v/out.UnitsPerReading - out.ReadingOffset }
	e := Expected{Reference: shown(out.Reference), Unit: out.Unit, Do: out.Do, Formula: out.Formula,
		Window: conformity.BoundsValue(r.Tolerance(m), out.Reference), Measured: out.Measured}
	e.Low, e.High = finite(shown(out.Reference+limits.Low)), finite(shown(out.Reference+limits.High))
	if out.ReadsReference {
		e.Set = &out.Indicated
		e.Low, e.High = finite(shown(out.Indicated-limits.High)), finite(shown(out.Indicated-limits.Low))
	}
	if out.Delivers {
		e.Set, e.Measured = &out.Reference, true
	}
	if m.Capture != nil {
		e.Steady = m.Capture.Limit * out.Factor
	}
	budget, err := uncertainty.Combine(out.Terms...)
	if err != nil {
		return Expected{}, err
	}
	e.U = budget.Expanded / out.UnitsPerReading
	if half := limits.HalfWidth(); e.U > 0 && !math.IsInf(half, 0) {
		e.TUR = half / budget.Expanded
	}
	e.Longer = r.longer(m, out, limits, budget)
	if out.Pipetted > 0 && e.TUR > 0 && e.TUR < 1 {
		return Expected{}, fmt.Errorf("%.3g µL cannot decide it: by the pipette’s certificate U is larger than the tolerance (TUR %.1f). About %.0f µL would do, or a finer pipette: exchange it",
			out.Pipetted, e.TUR, math.Ceil(out.Pipetted/e.TUR))
	}
	return e, nil
}
