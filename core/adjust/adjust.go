// Package adjust says what to do about an error, and by how much, in the steps of
// the device's own controls.
package adjust

import (
	"fmt"
	"math"
	"strings"

	"northneedle/core/fit"
	"northneedle/core/quantity"
)

// Decision is what is done about a finding.
type Decision string

const (
	Leave       Decision = "leave"
	Adjust      Decision = "adjust"
	Investigate Decision = "investigate"
	Withdraw    Decision = "withdraw"
)

// Valid reports whether the decision is one of the four.
func (d Decision) Valid() bool {
	return d == Leave || d == Adjust || d == Investigate || d == Withdraw
}

// School is one of the three ways of deciding when to adjust.
type School string

const (
	Threshold   School = "threshold"    // adjust beyond a share of the tolerance: our default
	Nominal     School = "nominal"      // adjust to nominal every time an error is significant
	MeasureOnly School = "measure-only" // measure and change nothing
)

// Policy is the adjustment policy of a lab or a procedure.
type Policy struct {
	School    School  `json:"school" yaml:"school"`
	Threshold float64 `json:"threshold" yaml:"threshold"`   // share of the tolerance, 0 to 1
	MaxRounds int     `json:"max_rounds" yaml:"max_rounds"` // rounds of adjustment before looking for another cause
}

// Check reports what is wrong with the policy, if anything.
func (p Policy) Check() error {
	switch {
	case p.School != Threshold && p.School != Nominal && p.School != MeasureOnly:
		return fmt.Errorf("the adjustment policy %q is not known: use %q, %q or %q", p.School, Threshold, Nominal, MeasureOnly)
	case p.School == Threshold && !(p.Threshold > 0 && p.Threshold <= 1):
		return fmt.Errorf("the threshold is a share of the tolerance above 0 and at most 1, it is %g", p.Threshold)
	case p.MaxRounds < 1:
		return fmt.Errorf("max_rounds must be 1 at least, it is %d", p.MaxRounds)
	}
	return nil
}

// Control is something on the device that changes what it indicates.
type Control struct {
	ID    string    `json:"id" yaml:"id"`
	Label string    `json:"label" yaml:"label"`
	Kind  fit.Shape `json:"kind" yaml:"kind"`   // offset or gain
	Step  float64   `json:"step" yaml:"step"`   // per press: in the measure's unit for an offset, in percent for a gain
	Range float64   `json:"range" yaml:"range"` // the most it can be moved, as step's unit
}

// Point is one judged point: its level, error, limits of tolerance as a half-width, and U.
type Point struct {
	Label string
	Level float64
	Error float64
	Lean  float64 // error ÷ limit
	Limit float64 // half-width of the tolerance
	U     float64 // expanded
	Gross bool
}

// Move is a change of one control: Steps presses, up if positive.
type Move struct {
	Control string  `json:"control"`
	Label   string  `json:"label"`
	Steps   int     `json:"steps"`
	Change  float64 `json:"change"` // in the control's unit
	Words   string  `json:"words"`
}

// Advice is the advised decision with the sentence why, and for an adjustment the moves and what to expect.
type Advice struct {
	Decision Decision    `json:"decision"`
	Why      string      `json:"why"`
	Anatomy  fit.Anatomy `json:"anatomy"`
	Moves    []Move      `json:"moves,omitempty"`
	After    []float64   `json:"after,omitempty"` // predicted error at each point
	Fine     bool        `json:"fine"`            // the control's step is fine enough
}

// Advise judges the points of one finding. Round is how many rounds of adjustment
// were made before. The order of the questions: gross or unexplained error →
// investigate; all inside the threshold or not significant → leave; a systematic
// error that a control can move → adjust; otherwise investigate or withdraw.
func Advise(points []Point, policy Policy, controls []Control, round int) (Advice, error) {
	if len(points) == 0 {
		return Advice{}, fmt.Errorf("there is no point to judge")
	}
	found := make([]fit.ErrorAt, len(points))
	worst := points[0]
	significant, gross, out := false, "", ""
	for i, p := range points {
		if !(p.U > 0) {
			return Advice{}, fmt.Errorf("%s: the uncertainty must be above zero", p.Label)
		}
		found[i] = fit.ErrorAt{Level: p.Level, Error: p.Error, U: p.U / 2}
		significant = significant || math.Abs(p.Error) > p.U
		if math.Abs(p.Lean) > math.Abs(worst.Lean) {
			worst = p
		}
		if p.Gross {
			gross = p.Label
		}
		if math.Abs(p.Lean) > 1+1e-12 {
			out = p.Label
		}
	}
	a := Advice{Anatomy: fit.Dissect(found)}
	share := fmt.Sprintf("the largest error is %.0f %% of its limit (%s)", 100*math.Abs(worst.Lean), worst.Label)
	switch {
	case gross != "":
		return a.say(Investigate, "%s is far beyond anything an adjustment should be used for: look for a set-up mistake or a fault first", gross), nil
	case policy.School == MeasureOnly && out != "":
		return a.say(Withdraw, "%s is outside its limit, and this procedure changes nothing: %s", out, share), nil
	case policy.School == MeasureOnly:
		return a.say(Leave, "this procedure measures and changes nothing: %s", share), nil
	case policy.School == Threshold && math.Abs(worst.Lean) <= policy.Threshold+1e-12:
		return a.say(Leave, "%s, below the %.0f %% at which it is worth adjusting", share, 100*policy.Threshold), nil
	case !significant && out == "":
		return a.say(Leave, "no error stands out from its own uncertainty: adjusting would only add noise"), nil
	case len(controls) == 0 && out == "":
		return a.say(Leave, "%s; inside, and nothing here can be adjusted", share), nil
	case len(controls) == 0:
		return a.say(Withdraw, "%s is outside its limit and nothing here can be adjusted", out), nil
	case round >= policy.MaxRounds:
		return a.say(Investigate, "%d rounds of adjustment have not brought it in: look for another cause", round), nil
	case a.Anatomy.Shape == fit.Bent || a.Anatomy.Shape == fit.Scatter:
		return a.say(Investigate, "the errors follow no straight line (%s): an adjustment would only move them about", a.Anatomy.Shape), nil
	}
	return a.plan(points, controls, share, out), nil
}

func (a Advice) say(d Decision, format string, args ...any) Advice {
	text := fmt.Sprintf(format, args...)
	a.Decision, a.Why = d, strings.ToUpper(text[:1])+text[1:]+"."
	return a
}

// plan finds the presses for the shape, and predicts what remains.
func (a Advice) plan(points []Point, controls []Control, share, out string) Advice {
	offset, gain := 0.0, 0.0
	for _, c := range controls {
		wanted := 0.0
		switch {
		case c.Kind == fit.Gain && (a.Anatomy.Shape == fit.Gain || a.Anatomy.Shape == fit.Both):
			wanted = 100 * (1/(1+a.Anatomy.Gain) - 1)
		case c.Kind == fit.Offset && (a.Anatomy.Shape == fit.Offset || a.Anatomy.Shape == fit.Both || a.Anatomy.Shape == fit.Unknown):
			wanted = -a.Anatomy.Offset
		}
		steps := int(math.Round(wanted / c.Step))
		if steps == 0 {
			continue
		}
		if c.Range > 0 && math.Abs(wanted) > c.Range {
			return a.say(Withdraw, "%s would have to move by %.3g, more than the %.3g it can", c.Label, wanted, c.Range)
		}
		m := Move{Control: c.ID, Label: c.Label, Steps: steps, Change: float64(steps) * c.Step}
		m.Words = Presses(steps) + " on " + c.Label
		a.Moves = append(a.Moves, m)
		if c.Kind == fit.Gain {
			gain = m.Change / 100
		} else {
			offset = m.Change
		}
	}
	if len(a.Moves) == 0 {
		if out != "" {
			return a.say(Investigate, "%s, and no control here moves an error of this kind (%s)", share, a.Anatomy.Shape)
		}
		return a.say(Leave, "%s, less than one step of its control can mend", share)
	}
	a.Fine = true
	for _, p := range points {
		after := p.Error + gain*(p.Level+p.Error) + offset
		a.After = append(a.After, after)
		a.Fine = a.Fine && math.Abs(after) <= p.Limit
	}
	words := make([]string, len(a.Moves))
	for i, m := range a.Moves {
		words[i] = m.Words
	}
	a = a.say(Adjust, "%s, and it is systematic: %s", share, strings.Join(words, ", "))
	if !a.Fine {
		a.Why += " The control alone will not bring every point inside."
	}
	return a
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
