package adjust

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"northneedle/core/fit"
	"northneedle/core/quantity"
)

// plan finds the moves for the shape, and predicts what remains. What would leave a point outside, or put one there, is no
// adjustment to offer.
func (a Advice) plan(points []Point, controls []Control, policy Policy, share, out string) Advice {
	for _, c := range ordered(controls) {
		if _, tooFar := c.moves(a.Components, points, policy); tooFar != 0 {
			return a.say(Withdraw, "%s would have to move by %.3g, more than the %.3g it can", c.Label, tooFar, c.Range)
		}
	}
	planned := a.moved(points, controls, policy)
	if len(planned.Moves) == 0 {
		if out != "" {
			return a.say(Investigate, "%s, and no control here moves an error of this kind (%s)", share,
				a.Components.Shape)
		}
		return a.say(Leave, "%s, less than one step of its control can mend", share)
	}
	for i, p := range points {
		switch inside := math.Abs(p.Error) <= p.Limit; {
		case math.Abs(planned.After[i]) <= p.Limit:
		case inside:
			return a.say(Investigate, "%s, and the controls would put %s outside: look for another cause", share, p.Label)
		default:
			return a.say(Investigate, "%s, and all that the controls can do leaves %s outside: look for another cause", share, p.Label)
		}
	}
	words := make([]string, len(planned.Moves))
	for i, m := range planned.Moves {
		words[i] = m.Words
	}
	return planned.say(Adjust, "%s, and it is systematic: %s", share, strings.Join(words, ", "))
}

// moved is the advice with the moves for the shape, and what they should leave.
func (a Advice) moved(points []Point, controls []Control, policy Policy) Advice {
	after := make([]float64, len(points))
	halfStep := make([]float64, len(points)) // in the unit of the error
	for i, p := range points {
		after[i] = p.Error
	}
	for _, c := range ordered(controls) {
		moves, _ := c.moves(a.Components, points, policy)
		a.Moves = append(a.Moves, moves...)
		for _, m := range moves {
			for i, p := range points {
				switch {
				case c.Kind == Routine:
					after[i] = 0
				case c.Kind == Gain || c.Kind == Factor:
					after[i] += m.Change / 100 * (p.Level + after[i])
					halfStep[i] += c.Step / 200 * math.Abs(p.Level)
				case m.Point == "" || m.Point == p.id():
					after[i] += m.Change
					halfStep[i] += c.Step / 2
				}
			}
		}
	}
	a.After, a.Fine = after, true
	for i, p := range points {
		a.Fine = a.Fine && math.Abs(after[i]) <= p.Limit
		if p.Limit > 0 {
			a.HalfStep = math.Max(a.HalfStep, halfStep[i]/p.Limit)
		}
	}
	return a
}

// ordered puts what multiplies before what adds: the offset that remains is then known.
func ordered(controls []Control) []Control {
	controls = slices.Clone(controls)
	slices.SortStableFunc(controls, func(x, y Control) int {
		multiplies := func(c Control) bool { return c.Kind == Gain || c.Kind == Factor }
		switch {
		case multiplies(x) && !multiplies(y):
			return -1
		case multiplies(y) && !multiplies(x):
			return 1
		}
		return 0
	})
	return controls
}

// moves are what one control should be moved by, in whole steps; tooFar is what is
// wanted where that is beyond its range.
func (c Control) moves(a fit.ErrorComponents, points []Point, policy Policy) (moves []Move, tooFar float64) {
	move := func(wanted float64, point Point) {
		steps := int(math.Round(wanted / c.Step))
		if c.Range > 0 && math.Abs(wanted) > c.Range {
			tooFar = wanted
		}
		if steps == 0 {
			return
		}
		m := Move{Control: c.ID, Label: c.Label, Point: point.id(), Steps: steps, Change: float64(steps) * c.Step}
		m.Words = Presses(steps) + " on " + c.Label
		switch {
		case c.Sense == TellLoad:
			m.Words = fmt.Sprintf("set %s by its load: by about %s %%", c.Label, quantity.FormatSigned(m.Change, 0.01))
		case c.Kind == Factor:
			m.Words = fmt.Sprintf("multiply %s by %.4f", c.Label, 1+m.Change/100) + c.telling(points)
		case point.Label != "":
			m.Words += " at " + point.Label
		}
		moves = append(moves, m)
	}
	if c.Kind == Routine {
		return []Move{{Control: c.ID, Label: c.Label, Steps: 1, Change: 1, Words: c.Label + ", once"}}, 0
	}
	gain := a.Shape == fit.Gain || a.Shape == fit.Both
	switch c.Kind {
	case Gain, Factor:
		if gain {
			move(100*(1/(1+a.Gain)-1), Point{})
		}
	case Offset:
		switch a.Shape {
		case fit.Offset, fit.Unknown:
			move(-a.Offset, Point{})
		case fit.Both:
			move(-a.Offset/(1+a.Gain), Point{}) // what is left of it once the gain is right
		}
	case Table:
		for _, p := range points {
			if policy.worthMoving(p) {
				move(-p.Error, p)
			}
		}
	}
	return moves, tooFar
}

// worthMoving reports whether an entry of a table is to be moved for its point: beyond the threshold, or, without one, beyond
// its own uncertainty. The others are left alone.
func (p Policy) worthMoving(point Point) bool {
	if p.School == Threshold {
		return math.Abs(point.ErrorToLimit) > p.Threshold+1e-12
	}
	return math.Abs(point.Error) > point.U
}

// telling is what is typed into a device whose form takes what was measured.
func (c Control) telling(points []Point) string {
	var told []string
	for _, p := range points {
		if c.Sense == "value" && p.DeviceEntry != "" {
			told = append(told, p.DeviceEntry+" at "+p.Label)
		}
	}
	if len(told) == 0 {
		return ""
	}
	return ": in its form enter " + strings.Join(told, ", ")
}

// Made puts an adjustment that was made in words: "3 presses up on the span, at 5 %". The words of the place may be empty.
func (c Control) Made(steps int, at string) string {
	words := Presses(steps) + " on " + c.Label
	switch {
	case c.Kind == Routine && steps == 1:
		words = c.Label + ", once"
	case c.Kind == Routine:
		words = fmt.Sprintf("%s, %d times", c.Label, steps)
	case c.Sense == TellLoad:
		words = c.Label + " set by its load"
	case c.Kind == Factor:
		words = fmt.Sprintf("%s multiplied by %.4f", c.Label, 1+float64(steps)*c.Step/100)
	}
	if at != "" {
		words += ", at " + at
	}
	return words
}

// Presses puts a number of steps in words: "3 presses up".
func Presses(steps int) string {
	direction, n := "up", steps
	if steps < 0 {
		direction, n = "down", -steps
	}
	if n == 1 {
		return "1 press " + direction
	}
	return quantity.Format(float64(n), 1) + " presses " + direction
}
