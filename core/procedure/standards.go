package procedure

import (
	"fmt"
	"strings"
	"time"

	"northneedle/core/reference"
)

// StandardFor makes a standard that just meets what a role needs, to try the procedure with: a
// certified value in the middle where a point reads the standard's value, pieces where a method
// loads a kit, and otherwise a range. Its certificate is of the day before, for a year; U (k = 2)
// is a thousandth of what it covers, or a tenth of the role's wanted share of the tolerance where
// that is smaller.
func (p *Procedure) StandardFor(role reference.Role, at time.Time) reference.Standard {
	s := reference.Standard{
		ID:     "try-" + role.ID,
		Tag:    "TRY-" + strings.ToUpper(role.ID),
		Name:   role.Title + ", made for a try-out",
		Kind:   role.Kind,
		Status: reference.Usable,
		Certificate: reference.Certificate{
			Number: "TRY-OUT",
			Issuer: "made for a try-out",
			On:     at.AddDate(0, 0, -1),
			DueOn:  at.AddDate(1, 0, 0),
		},
	}
	for _, n := range role.Needs {
		u := max((n.To-n.From)/1000, n.To/10000, 1e-9)
		line := reference.Certified{Quantity: n.Quantity, Unit: n.Unit, U: u, K: 2}
		switch {
		case p.loadsKit(role.ID, n.Quantity):
			for i, share := range []float64{0.2, 0.2, 0.2, 0.2, 0.1, 0.05, 0.02, 0.02, 0.01, 0.005} {
				piece := line
				piece.Piece, piece.Value, piece.U = fmt.Sprintf("piece %d", i+1), share*n.To, share*u
				s.Values = append(s.Values, piece)
			}
			last := line
			last.Piece, last.Value, last.U = "last piece", 0.01*n.To, 0.01*u
			line = last
		case p.readsValue(role.ID, n.Quantity):
			line.Value = (n.From + n.To) / 2
		default:
			line.From, line.To = n.From, n.To
		}
		s.Values = append(s.Values, line)
	}
	for _, done := range role.Prepared {
		if done.Here {
			continue // the run does it
		}
		s.Prepared = append(s.Prepared, reference.Done{
			Procedure: done.By,
			Finding:   done.Finding,
			Run:       "try-out",
			At:        at.Add(-time.Hour),
			By:        "Try-out",
			Passed:    true,
		})
	}
	return s
}

// readsValue reports whether a point takes a role's certified value of a quantity.
func (p *Procedure) readsValue(role, quantity string) bool {
	return p.anyPoint(func(m *Measure, point *Point) bool {
		return point.Target.Role == role && point.Target.Quantity == quantity ||
			point.Role == role && m.Quantity == quantity && m.Method.Value
	})
}

// loadsKit reports whether a measure loads a role's pieces.
func (p *Procedure) loadsKit(role, quantity string) bool {
	return p.anyPoint(func(m *Measure, point *Point) bool {
		return point.Role == role && m.Quantity == quantity && m.Method.Kit
	})
}

func (p *Procedure) anyPoint(is func(*Measure, *Point) bool) bool {
	for _, m := range p.Measures() {
		for i := range m.Points {
			if is(m, &m.Points[i]) {
				return true
			}
		}
	}
	return false
}
