package run

import (
	"fmt"
	"maps"
	"math"
	"slices"
	"strconv"
	"strings"

	"northneedle/core/adjust"
	"northneedle/core/procedure"
	"northneedle/core/reference"
)

// latest is the last verdict on a point up to a round; a measure that an adjustment
// does not touch keeps the one as found.
func (r Run) latest(m *procedure.Measure, p *procedure.Point, round int) (*Verdict, error) {
	for ; round > 0; round-- {
		if v, err := r.Judge(m, p, round); v != nil || err != nil {
			return v, err
		}
	}
	return r.Judge(m, p, 0)
}

// Affected are the measures read in a round: all of them as found; after the set-up was put right all that the finding is the
// first to judge; otherwise those that the controls act on.
func (r Run) Affected(f *procedure.Finding, round int) []*procedure.Measure {
	if round == 0 {
		return f.Measures
	}
	var own []*procedure.Measure
	for _, m := range f.Measures {
		if m.Judge == f {
			own = append(own, m)
		}
	}
	if len(f.Controls) == 0 || r.Findings[f.ID].decided(round) == adjust.Investigate {
		return own
	}
	var touched []*procedure.Measure
	for i, group := range byQuantity(own) {
		if len(r.controlsOn(f, group, i == 0)) > 0 {
			touched = append(touched, group...)
		}
	}
	return touched
}

// controlsOn are a finding's controls that act on a group of its measures; those that
// name none act on the first.
func (r Run) controlsOn(f *procedure.Finding, group []*procedure.Measure, first bool) []adjust.Control {
	var on []adjust.Control
	for _, c := range r.Controls(f) {
		names := func(m *procedure.Measure) bool { return slices.Contains(c.On, m.ID) }
		if len(c.On) == 0 && first || slices.ContainsFunc(group, names) {
			on = append(on, c)
		}
	}
	return on
}

// controlStep begins the setting of a device that names the step of one of its controls: "step.table".
const controlStep = "step."

// Controls are the controls of a finding that are there in this run, with the device's own step where that is known.
func (r Run) Controls(f *procedure.Finding) []adjust.Control {
	var there []adjust.Control
	for i, c := range f.Controls {
		if r.Holds(f.Conditions[i]) {
			if step, err := strconv.ParseFloat(r.Device.Settings[controlStep+c.ID], 64); err == nil && step > 0 {
				c.Step = step
			}
			there = append(there, c)
		}
	}
	return there
}

// judged are the points of measures up to a round, for the advice, with those that have a verdict.
func (r Run) judged(measures []*procedure.Measure, round int) ([]adjust.Point, []Verdict, error) {
	var points []adjust.Point
	var verdicts []Verdict
	for _, m := range measures {
		for i := range m.Points {
			p := &m.Points[i]
			v, err := r.latest(m, p, round)
			if err != nil {
				return nil, nil, fmt.Errorf("%s, %s: %w", m.Title, p.Label, err)
			}
			if v == nil {
				continue
			}
			points = append(points, adjust.Point{
				ID:           m.ID + "/" + p.ID,
				Label:        m.Title + " " + p.Label,
				Level:        v.Reference,
				Error:        v.Error,
				ErrorToLimit: v.ErrorToLimit,
				Limit:        v.Limits().HalfWidth(),
				U:            v.U,
				Gross:        v.Gross,
				Direction:    m.Direction,
				Step:         v.Resolution,
				Apart:        m.Apart,
				Zone:         p.Zone,
				DeviceEntry:  v.DeviceEntry,
			})
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
// quantity are judged together, since errors of different quantities make no shape; the most serious
// advice counts.
func (r Run) Advise(f *procedure.Finding) (adjust.Advice, error) {
	state := r.Findings[f.ID]
	if state.Closed == 0 {
		return adjust.Advice{}, fmt.Errorf("as found is not closed yet")
	}
	if f.About != "" && !f.MustHold {
		d, _ := r.Diagnose(f, state.Closed-1)
		switch {
		case d.Fails == "":
			return adjust.Advice{Decision: adjust.Leave,
				Why: fmt.Sprintf("It is a statement about %s, and no verdict on the device.", f.About)}, nil
		case state.Closed > 1 && state.decided(state.Closed-1) == adjust.Investigate:
			return adjust.Advice{Decision: adjust.Withdraw, Why: "It was looked for, and is still so. " + d.Words}, nil
		}
		return adjust.Advice{Decision: adjust.Investigate, Why: d.Words}, nil
	}
	var chosen adjust.Advice
	worst, found := 0.0, false
	for i, group := range byQuantity(f.Measures) {
		points, _, err := r.judged(group, state.Closed-1)
		if err != nil {
			return adjust.Advice{}, err
		}
		if len(points) == 0 {
			continue
		}
		tried, err := r.tried(f, group)
		if err != nil {
			return adjust.Advice{}, err
		}
		advice, err := adjust.Advise(points, r.Policy(), r.controlsOn(f, group, i == 0), tried)
		if err != nil {
			return adjust.Advice{}, err
		}
		if most := largest(points); !found || moreSerious(advice.Decision, chosen.Decision) ||
			advice.Decision == chosen.Decision && most > worst {
			chosen, worst, found = advice, most, true
		}
	}
	if !found {
		return adjust.Advice{}, fmt.Errorf("there is no point to judge")
	}
	if d, ok := r.Diagnose(f, state.Closed-1); ok && d.Fails != "" && !moreSerious(chosen.Decision, adjust.Adjust) {
		chosen.Decision, chosen.Why, chosen.Moves = adjust.Investigate, d.Words, nil
		if state.Closed > 1 && state.decided(state.Closed-1) == adjust.Investigate {
			chosen.Decision, chosen.Why = adjust.Withdraw, "It was looked for, and is still so. "+d.Words
		}
	}
	return r.adviseOnJumps(f, chosen), nil
}

// adviseOnJumps changes the advice to leave a device as it is where a value jumped: first the cause is looked for.
func (r Run) adviseOnJumps(f *procedure.Finding, a adjust.Advice) adjust.Advice {
	closed := r.Findings[f.ID].Closed
	jumps := r.Jumps(f, closed-1)
	if a.Decision != adjust.Leave || len(jumps) == 0 {
		return a
	}
	said := strings.Join(jumps, "; ") + "."
	if closed > 1 && r.Findings[f.ID].decided(closed-1) == adjust.Investigate {
		a.Why = "Every limit is kept. The cause of the jump was looked for, and it stays as a finding: " + said
		return a
	}
	a.Decision = adjust.Investigate
	a.Why = "Every limit is kept, and yet a value has jumped. " + said + " Look for the cause before it goes back into use."
	return a
}

// Offer is what the controls of a finding would be moved by against the advice, group by group; nil where nothing can be.
func (r Run) Offer(f *procedure.Finding) *adjust.Advice {
	var all *adjust.Advice
	for i, group := range byQuantity(f.Measures) {
		controls := r.controlsOn(f, group, i == 0)
		points, _, err := r.judged(group, max(0, r.Findings[f.ID].Closed-1))
		if err != nil || len(points) == 0 || len(controls) == 0 {
			continue
		}
		offer, err := adjust.Offer(points, controls)
		if err != nil || len(offer.Moves) == 0 {
			continue
		}
		if all == nil {
			all = &offer
			continue
		}
		all.Moves = append(all.Moves, offer.Moves...)
	}
	return all
}

// tried is what was adjusted of a group before, and what the family sees in it.
func (r Run) tried(f *procedure.Finding, group []*procedure.Measure) (adjust.Tried, error) {
	state := r.Findings[f.ID]
	closed := state.Closed
	tried := adjust.Tried{Rounds: closed - 1, Looked: closed > 1 && state.decided(closed-1) == adjust.Investigate,
		Outside: len(f.Outside) > 0 && len(state.Voided) == 0}
	if d, ok := r.Diagnose(f, closed-1); ok && d.Investigate {
		tried.SetUp = d.Words
	}
	if tried.Rounds == 0 {
		return tried, nil
	}
	tried.Past = r.past(f, group)
	before, _, err := r.judged(group, closed-2)
	tried.Before = largest(before)
	return tried, err
}

// past are the rounds of a finding's adjustments so far: what was moved at which point,
// and the errors before and after.
func (r Run) past(f *procedure.Finding, group []*procedure.Measure) []adjust.Round {
	state := r.Findings[f.ID]
	var rounds []adjust.Round
	for round := 1; round < state.Closed; round++ {
		made := adjust.Round{Trims: map[string]float64{}, Before: map[string]float64{}, After: map[string]float64{}}
		for _, a := range state.Adjustments {
			if control, ok := controlOf(f, a.Control); ok && a.Round == round && a.Point != "" {
				made.Trims[a.Point] += float64(a.Steps) * control.Step
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

// controlOf finds a control of a finding by its id.
func controlOf(f *procedure.Finding, id string) (adjust.Control, bool) {
	at := slices.IndexFunc(f.Controls, func(c adjust.Control) bool { return c.ID == id })
	if at < 0 {
		return adjust.Control{}, false
	}
	return f.Controls[at], true
}

// largest is the largest error to limit, by magnitude.
func largest(points []adjust.Point) (most float64) {
	for _, p := range points {
		most = math.Max(most, math.Abs(p.ErrorToLimit))
	}
	return most
}

// moreSerious reports whether one decision is more serious than another.
func moreSerious(a, b adjust.Decision) bool {
	order := []adjust.Decision{adjust.Leave, adjust.Adjust, adjust.Investigate, adjust.Withdraw}
	return slices.Index(order, a) > slices.Index(order, b)
}

// byQuantity splits measures into groups of one quantity in one unit each, in their order; a measure that names no quantity
// is a group by itself.
func byQuantity(measures []*procedure.Measure) [][]*procedure.Measure {
	var groups [][]*procedure.Measure
	for _, m := range measures {
		i := slices.IndexFunc(groups, func(g []*procedure.Measure) bool {
			return m.Quantity != "" && g[0].Unit == m.Unit && g[0].Quantity == m.Quantity
		})
		if i < 0 {
			groups = append(groups, []*procedure.Measure{m})
			continue
		}
		groups[i] = append(groups[i], m)
	}
	return groups
}

// Diagnose reads a finding's errors up to a round by its family's pattern, where it names one.
func (r Run) Diagnose(f *procedure.Finding, round int) (procedure.Diagnosis, bool) {
	if f.PatternName == "" {
		return procedure.Diagnosis{}, false
	}
	var points []procedure.JudgedPoint
	set := map[string]string{}
	for _, reading := range r.Readings {
		if reading.Round == round && reading.Stands() && reading.Origin != nil && slices.Contains(f.Judges, reading.Measure) {
			maps.Copy(set, reading.Origin.Settings)
		}
	}
	for _, m := range f.Measures {
		for i := range m.Points {
			p := &m.Points[i]
			if v, err := r.latest(m, p, round); err == nil && v != nil {
				points = append(points, procedure.JudgedPoint{
					Label:        m.Title + " " + p.Label,
					Measure:      m.ID,
					With:         p.With,
					Reference:    v.Reference,
					Error:        v.Error,
					U:            v.U,
					ErrorToLimit: v.ErrorToLimit,
					Pass:         v.Pass,
					Jump:         v.Jump,
				})
			}
		}
	}
	bound := map[string]reference.Standard{}
	for role, b := range r.Bound {
		bound[role] = b.Standard
	}
	units := map[string]string{}
	for name, unit := range r.Device.Settings {
		if of, is := strings.CutPrefix(name, "unit."); is {
			units[of] = unit
		}
	}
	return f.Pattern.Diagnose(procedure.FindingInput{
		Points:  points,
		Bound:   bound,
		Units:   units,
		Ambient: r.room(f, round),
		Choices: r.Choices,
		Plate:   r.Plate,
		Set:     set,
		Again:   len(r.Findings[f.ID].Voided) > 0,
	})
}
