package run

import (
	"fmt"
	"strings"

	"northneedle/core/procedure"
	"northneedle/core/quantity"
)

// mostOwnPoints is how many points of their own people add to a measure.
const mostOwnPoints = 20

// AddPoint adds a point of the technician's own to a measure whose round is open. It is judged as the others are, and is
// set by hand where they are set over a link.
type AddPoint struct {
	Measure string
	Label   string
	At      string // as in a procedure: a number in the measure's unit, "25 % of capacity", "mixture.CO2"
	U       string // expanded (k = 2), in the measure's unit, where no standard of the measure realises the point
	Do      string
}

func (c AddPoint) decide(r Run, _ Order) ([]Fact, error) {
	m, err := stepOf[*procedure.Measure](r, c.Measure)
	if err != nil {
		return nil, err
	}
	if _, err := r.PointRound(m); err != nil {
		return nil, err
	}
	at := strings.TrimSpace(c.At)
	level, err := quantity.ParseNumber(at)
	number := err == nil
	if number {
		at = fmt.Sprintf("%g", level)
	}
	label := strings.TrimSpace(c.Label)
	if label == "" {
		label = strings.TrimSpace(at + " " + quantity.ShowUnit(m.Unit))
	}
	own := 0
	for _, p := range m.Points {
		if p.Own {
			own++
		}
	}
	switch {
	case at == "":
		return nil, refuse(Invalid, "at", "at", "%s: say at which value the point lies, in %s.", m.Title, quantity.ShowUnit(m.Unit))
	case len([]rune(label)) > 40:
		return nil, refuse(Invalid, "label", "label", "The point's name has 40 characters at most.")
	case own >= mostOwnPoints:
		return nil, refuse(Conflict, "many", "point", "%s has %d points of your own already.", m.Title, own)
	}
	fact := PointAdded{Measure: m.ID, Point: fmt.Sprintf("own-%d", own+1), Label: label, At: at, Role: m.Role, Do: strings.TrimSpace(c.Do)}
	if m.Role == "" && number {
		if fact.U, err = quantity.ParseNumber(c.U); err != nil || fact.U <= 0 {
			return nil, refuse(Invalid, "u", "u",
				"%s: no standard of this measure realises the point: give the uncertainty of its value (k = 2), in %s.", m.Title,
				quantity.ShowUnit(m.Unit))
		}
	}
	next, mistakes := r.Procedure.WithPoint(m.ID, fact.own())
	if len(mistakes) > 0 {
		return nil, refuse(Invalid, "at", "at", "%s: %s.", m.Title, mistakes[0].Error())
	}
	with := r
	with.Procedure = next
	longer := next.Measure(m.ID)
	with.limits = with.limitsInForce()
	if _, err := with.expect(longer, longer.Point(fact.Point), with.LastRound(longer)); err != nil {
		return nil, refuse(Invalid, "at", "at", "%s at %s cannot be judged: %s.", m.Title, at, err)
	}
	return []Fact{fact}, nil
}

// own is the point that a fact adds.
func (f PointAdded) own() procedure.Point {
	return procedure.Point{ID: f.Point, Label: f.Label, At: f.At, U: f.U, Role: f.Role, Do: f.Do, Own: true}
}
