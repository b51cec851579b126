package run

import (
	"fmt"
	"strings"

	"northneedle/core/adjust"
	"northneedle/core/procedure"
)

// TakeBack puts every control back to where it stood before the last round: after a
// correction that was made from bad readings, or that made things worse. The points are
// then read again.
type TakeBack struct{ Finding, Reason string }

func (c TakeBack) decide(r Run, _ Order) ([]Fact, error) {
	finding, err := stepOf[*procedure.Finding](r, c.Finding)
	if err != nil {
		return nil, err
	}
	reason := strings.TrimSpace(c.Reason)
	moves := r.Undo(finding)
	switch {
	case len(moves) == 0:
		return nil, refuse(Conflict, "nothing-to-undo", "finding",
			"%s: there is no adjustment that could be taken back now.", finding.Title)
	case reason == "":
		return nil, refuse(Invalid, "reason-needed", "reason",
			"Say why the adjustment is taken back. The record keeps both.")
	}
	state := r.Findings[finding.ID]
	var facts []Fact
	if !state.Adjusting() {
		advice, err := r.Advise(finding)
		if err != nil {
			return nil, refuse(Conflict, "no-advice", "finding", "%s: %s.", finding.Title, err)
		}
		facts = append(facts, FindingDecided{
			Finding:  finding.ID,
			Decision: adjust.Adjust,
			Advised:  advice.Decision,
			Why:      advice.Why,
			Reason:   "the last adjustment is taken back: " + reason,
			Round:    state.Closed,
		})
	}
	for _, m := range moves {
		facts = append(facts, AdjustmentMade{Finding: finding.ID, Round: state.Closed, Control: m.Control, Point: m.Point,
			Steps: m.Steps, Note: "taken back: " + reason})
	}
	return facts, nil
}

// Undo are the moves that take the last round's adjustment back; none once the finding
// is settled, while points of a round are being read, or after a routine of the device,
// which knows its own way back.
func (r Run) Undo(finding *procedure.Finding) []adjust.Move {
	state := r.Findings[finding.ID]
	if state.Done() || len(state.Adjustments) == 0 || state.Adjusting() && r.roundUnread(finding) != nil {
		return nil
	}
	last := state.Adjustments[len(state.Adjustments)-1].Round
	if state.Adjusting() && last != state.Closed {
		return nil
	}
	turned := map[string]AdjustmentMade{}
	var order []string
	for _, a := range state.Adjustments {
		if a.Round != last || a.Control == "" {
			continue
		}
		key := a.Control + " " + a.Point
		sum, seen := turned[key]
		if !seen {
			sum = a
			sum.Steps = 0
			order = append(order, key)
		}
		sum.Steps += a.Steps
		turned[key] = sum
	}
	var moves []adjust.Move
	for _, key := range order {
		a := turned[key]
		control, known := controlOf(finding, a.Control)
		if !known || a.Steps == 0 || control.Kind == adjust.Routine {
			continue
		}
		move := adjust.Move{
			Control: a.Control,
			Label:   control.Label,
			Point:   a.Point,
			Steps:   -a.Steps,
			Change:  -float64(a.Steps) * control.Step,
		}
		move.Words = adjust.Presses(move.Steps) + " on " + control.Label
		if measure, id, ok := strings.Cut(a.Point, "/"); ok {
			m := r.Procedure.Measure(measure)
			if m == nil || m.Point(id) == nil {
				continue
			}
			point := m.Point(id)
			if move.Words += fmt.Sprintf(" at %s %s", m.Title, point.Label); point.Zone != "" {
				move.Words = adjust.Presses(move.Steps) + " on " + control.Label + " of " + point.Zone
			}
		}
		moves = append(moves, move)
	}
	return moves
}
