package procedure

import (
	"fmt"
	"math"
	"slices"

	"northneedle/core/adjust"
	"northneedle/core/conformity"
	"northneedle/core/method"
)

// latest is the last verdict on a point up to a round; a measure that an adjustment
// does not touch keeps the one as found.
func (r Run) latest(m Step, p Point, round int) (*Verdict, error) {
	for ; round > 0; round-- {
		if v, err := r.judge(m, p, round); v != nil || err != nil {
			return v, err
		}
	}
	return r.judge(m, p, 0)
}

// affected are the measures read in a round: all of them as found and after the set-up
// was mended, otherwise those that the controls act on.
func (r Run) affected(finding Step, round int) []string {
	if round == 0 || len(finding.Controls) == 0 || r.Findings[finding.ID].decided(round) == adjust.Investigate {
		return finding.Judges
	}
	var touched []string
	for i, group := range r.byUnit(finding) {
		if len(r.controlsOn(finding, group, i == 0)) > 0 {
			touched = append(touched, group.Judges...)
		}
	}
	return touched
}

// controlsOn are a finding's controls that act on a group of its measures; those that
// name none act on the first.
func (r Run) controlsOn(finding, group Step, first bool) []adjust.Control {
	var on []adjust.Control
	for _, c := range r.controls(finding) {
		if len(c.On) == 0 && first || slices.ContainsFunc(c.On, func(id string) bool { return slices.Contains(group.Judges, id) }) {
			on = append(on, c)
		}
	}
	return on
}

// controls are the controls of a finding that are there in this run.
func (r Run) controls(finding Step) []adjust.Control {
	return slices.DeleteFunc(slices.Clone(finding.Controls), func(c adjust.Control) bool { return !r.Wanted(c.When) })
}

// judged are the points of a finding up to a round, for the advice, with those that have a verdict.
func (r Run) judged(finding Step, round int) ([]adjust.Point, []Verdict, error) {
	var points []adjust.Point
	var verdicts []Verdict
	for _, id := range finding.Judges {
		m, _ := r.Procedure.Step(id)
		for _, p := range m.Points {
			v, err := r.latest(m, p, round)
			if err != nil {
				return nil, nil, fmt.Errorf("%s, %s: %w", m.Title, p.Label, err)
			}
			if v == nil {
				continue
			}
			limits := conformity.Limits{Low: orInf(v.Low, -1), High: orInf(v.High, 1)}
			points = append(points, adjust.Point{ID: m.ID + "/" + p.ID, Label: m.Title + " " + p.Label, Level: v.Reference, Error: v.Error, Lean: v.Lean, Limit: limits.HalfWidth(), U: v.U, Gross: v.Gross, Direction: m.Direction, Zone: p.Zone, Told: v.Told})
			verdicts = append(verdicts, *v)
		}
	}
	return points, verdicts, nil
}

func orInf(v *float64, sign int) float64 {
	if v == nil {
		return math.Inf(sign)
	}
	return *v
}

// Advise gives the advice on a finding whose latest phase is closed. Measures of one
// unit are judged together, since errors of different units make no shape; the gravest
// advice counts.
func (r Run) Advise(finding Step) (adjust.Advice, error) {
	state := r.Findings[finding.ID]
	if state.Closed == 0 {
		return adjust.Advice{}, fmt.Errorf("as found is not closed yet")
	}
	var gravest adjust.Advice
	worst, found := 0.0, false
	for i, group := range r.byUnit(finding) {
		points, _, err := r.judged(group, state.Closed-1)
		if err != nil {
			return adjust.Advice{}, err
		}
		if len(points) == 0 {
			continue
		}
		controls := r.controlsOn(finding, group, i == 0)
		tried, err := r.tried(finding, group)
		if err != nil {
			return adjust.Advice{}, err
		}
		advice, err := adjust.Advise(points, r.Policy(), controls, tried)
		if err != nil {
			return adjust.Advice{}, err
		}
		if lean := largest(points); !found || graver(advice.Decision, gravest.Decision) || advice.Decision == gravest.Decision && lean > worst {
			gravest, worst, found = advice, lean, true
		}
	}
	if !found {
		return adjust.Advice{}, fmt.Errorf("there is no point to judge")
	}
	return gravest, nil
}

// tried is what was adjusted of a group before, and what the family sees in it.
func (r Run) tried(finding, group Step) (adjust.Tried, error) {
	closed := r.Findings[finding.ID].Closed
	state := r.Findings[finding.ID]
	tried := adjust.Tried{Rounds: closed - 1, Looked: closed > 1 && state.decided(closed-1) == adjust.Investigate}
	if seen, ok := r.see(finding, closed-1); ok && seen.Investigate {
		tried.SetUp = seen.Words
	}
	if tried.Rounds == 0 {
		return tried, nil
	}
	tried.Past = r.past(finding, group)
	before, _, err := r.judged(group, closed-2)
	tried.Before = largest(before)
	return tried, err
}

// past are the rounds of a finding's adjustments so far: what was moved at which point,
// and the errors before and after.
func (r Run) past(finding, group Step) []adjust.Round {
	state := r.Findings[finding.ID]
	var rounds []adjust.Round
	for round := 1; round < state.Closed; round++ {
		made := adjust.Round{Trims: map[string]float64{}, Before: map[string]float64{}, After: map[string]float64{}}
		for _, a := range state.Adjustments {
			at := slices.IndexFunc(finding.Controls, func(c adjust.Control) bool { return c.ID == a.Control })
			if a.Round == round && a.Point != "" && at >= 0 {
				made.Trims[a.Point] += float64(a.Steps) * finding.Controls[at].Step
			}
		}
		before, _, err := r.judged(group, round-1)
		after, _, err2 := r.judged(group, round)
		if err != nil || err2 != nil || len(made.Trims) == 0 {
			continue
		}
		for _, p := range before {
			made.Before[p.ID] = p.Error
		}
		for _, p := range after {
			made.After[p.ID] = p.Error
		}
		rounds = append(rounds, made)
	}
	return rounds
}

func largest(points []adjust.Point) (lean float64) {
	for _, p := range points {
		lean = math.Max(lean, math.Abs(p.Lean))
	}
	return lean
}

// graver reports whether one decision is more serious than another.
func graver(a, b adjust.Decision) bool {
	order := []adjust.Decision{adjust.Leave, adjust.Adjust, adjust.Investigate, adjust.Withdraw}
	return slices.Index(order, a) > slices.Index(order, b)
}

// byUnit splits a finding into findings of one unit each, in the order of its measures.
func (r Run) byUnit(finding Step) []Step {
	var groups []Step
	var units []string
	for _, id := range finding.Judges {
		m, _ := r.Procedure.Step(id)
		i := slices.Index(units, m.Unit)
		if i < 0 {
			i, units = len(units), append(units, m.Unit)
			group := finding
			group.Judges = nil
			groups = append(groups, group)
		}
		groups[i].Judges = append(groups[i].Judges, id)
	}
	return groups
}

// see reads a finding's errors by its family's pattern, where it names one.
func (r Run) see(finding Step, round int) (method.Seen, bool) {
	if finding.Pattern == "" {
		return method.Seen{}, false
	}
	var placed []method.Placed
	for _, id := range finding.Judges {
		m, _ := r.Procedure.Step(id)
		for _, p := range m.Points {
			if v, err := r.latest(m, p, round); err == nil && v != nil {
				placed = append(placed, method.Placed{Label: m.Title + " " + p.Label, Measure: m.ID, With: p.With, Reference: v.Reference, Error: v.Error, U: v.U, Lean: v.Lean})
			}
		}
	}
	return method.See(finding.Pattern, method.Case{Points: placed, Ambient: r.room(finding, round), Choices: r.Choices, Plate: r.Plate})
}
