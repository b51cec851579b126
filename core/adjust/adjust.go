// Package adjust says what to do about an error, and by how much, in the steps of
// the device's own controls.
package adjust

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"northneedle/core/fit"
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
	Calendar    School = "calendar"     // adjust whenever it is due, even where the check passes
)

// Schools are those a policy can follow.
var Schools = []School{Threshold, Nominal, MeasureOnly, Calendar}

// Policy is the adjustment policy of a lab or a procedure.
type Policy struct {
	School    School  `json:"school" yaml:"school"`
	Threshold float64 `json:"threshold" yaml:"threshold,omitempty"`   // share of the tolerance, 0 to 1
	MaxRounds int     `json:"max_rounds" yaml:"max_rounds,omitempty"` // rounds of adjustment before looking for another cause
}

// Check reports what is wrong with the policy, if anything.
func (p Policy) Check() error {
	switch {
	case !slices.Contains(Schools, p.School):
		return fmt.Errorf("the adjustment policy %q is not known: use one of %q", p.School, Schools)
	case p.School == Threshold && !(p.Threshold > 0 && p.Threshold <= 1):
		return fmt.Errorf("the threshold is a share of the tolerance above 0 and at most 1, it is %g", p.Threshold)
	case p.MaxRounds < 1:
		return fmt.Errorf("max_rounds must be 1 at least, it is %d", p.MaxRounds)
	}
	return nil
}

// Kind is how a control acts on what the device indicates.
type Kind string

const (
	Offset Kind = "offset" // adds the same at every level; step in the measure's unit
	Gain   Kind = "gain"   // multiplies; step in percent
	Factor Kind = "factor" // multiplies, and is set as a number; step in percent
	Table  Kind = "table"  // an entry of its own for every point; step in the measure's unit
	Zone   Kind = "zone"   // an offset of its own for every zone; step in the measure's unit

	// Routine is the device's own calibration routine: done once, it brings every judged
	// point to its reference. It has no step.
	Routine Kind = "routine"
)

// TellLoad is the sense of a control that is set by telling the device what lies on it: the span of a scale.
const TellLoad = "load"

// Kinds are those a control can have.
var Kinds = []Kind{Offset, Gain, Factor, Table, Zone, Routine}

// Control is something on the device that changes what it indicates. A device with an
// offset and a gain is adjusted at two points, zero and span, by both together.
type Control struct {
	ID    string  `json:"id" yaml:"id"`
	Label string  `json:"label" yaml:"label"`
	Kind  Kind    `json:"kind" yaml:"kind"`
	Step  float64 `json:"step" yaml:"step,omitempty"`
	Range float64 `json:"range" yaml:"range,omitempty"` // the most it can be moved, in the unit of its step; 0: no limit known

	Sense string `json:"sense,omitempty" yaml:"sense,omitempty"` // value: the device is told what was measured, in place of presses; load: it is told what lies on it

	When string `json:"when,omitempty" yaml:"when,omitempty"` // what must be so in the run for the control to be there

	On []string `json:"on,omitempty" yaml:"on,omitempty"` // the measures it acts on; none: those of the finding's first unit
}

// Tried is what was adjusted before: how many rounds, and the largest error as a share
// of its limit before the last one.
type Tried struct {
	Rounds  int
	Before  float64
	SetUp   string // a sentence that says why the set-up comes first, where the errors say so
	Looked  bool   // the set-up was looked at in the last round
	Outside bool   // the procedure names causes outside the device, which were not looked for yet
	Past    []Round
}

// Point is one judged point: its level, error, limits of tolerance as a half-width, and U.
type Point struct {
	ID           string // names it in a move; its label where there is none
	Label        string
	Level        float64
	Error        float64
	ErrorToLimit float64 // error ÷ limit
	Limit        float64 // half-width of the tolerance
	U            float64 // expanded
	Gross        bool
	Direction    string  // rising or falling, where that matters
	Zone         string  // the trim that serves it, where one serves several
	Step         float64 // of the display
	Apart        bool    // no level among the others: it is judged, and has no part in the shape
	DeviceEntry  string  // what the device is told of it, where a control takes what was measured
}

func (p Point) id() string {
	if p.ID != "" {
		return p.ID
	}
	return p.Label
}

// Move is a change of one control: Steps presses, up if positive.
type Move struct {
	Control string  `json:"control"`
	Label   string  `json:"label"`
	Point   string  `json:"point,omitempty"` // of a table or a zone: its id
	Steps   int     `json:"steps"`
	Change  float64 `json:"change"` // in the control's unit
	Words   string  `json:"words"`
}

// Advice is the advised decision with the sentence why, and for an adjustment the moves and what to expect.
type Advice struct {
	Decision   Decision            `json:"decision"`
	Why        string              `json:"why"`
	Components fit.ErrorComponents `json:"components"`
	Moves      []Move              `json:"moves,omitempty"`
	After      []float64           `json:"after,omitempty"` // predicted error at each point
	Fine       bool                `json:"fine"`            // the controls bring every point inside
	HalfStep   float64             `json:"half_step"`       // the most half a step leaves, as a share of the limit
}

// Advise judges the points of one finding. The order of the questions: gross or
// unexplained error → investigate; all inside the threshold or not significant →
// leave; a systematic error that a control can move → adjust, unless it was tried
// enough or no longer helps; otherwise investigate or withdraw.
func Advise(points []Point, policy Policy, controls []Control, tried Tried) (Advice, error) {
	if len(points) == 0 {
		return Advice{}, fmt.Errorf("there is no point to judge")
	}
	worst := points[0]
	significant, gross, out := false, "", ""
	for _, p := range points {
		significant = significant || math.Abs(p.Error) > p.U
		if math.Abs(p.ErrorToLimit) > math.Abs(worst.ErrorToLimit) {
			worst = p
		}
		if p.Gross {
			gross = p.Label
		}
		if math.Abs(p.ErrorToLimit) > 1+1e-12 {
			out = p.Label
		}
	}
	components, err := shapeOf(points)
	if err != nil {
		return Advice{}, err
	}
	a := Advice{Components: components}
	share := fmt.Sprintf("the largest error is %.0f %% of its limit (%s)", 100*math.Abs(worst.ErrorToLimit),
		worst.Label)
	switch {
	case gross != "":
		return a.say(Investigate,
			"%s is far beyond anything an adjustment should be used for: look for a set-up mistake or a fault first",
			gross), nil
	case tried.SetUp != "" && !tried.Looked:
		return a.say(Investigate, "%s Look at the set-up first, and repeat", tried.SetUp), nil
	case policy.School == MeasureOnly && out != "" && tried.Outside && !tried.Looked:
		return a.say(Investigate, "%s is outside its limit, and this procedure changes nothing: look at what lies outside the device first, and read again", out), nil
	case policy.School == MeasureOnly && out != "":
		return a.say(Withdraw, "%s is outside its limit, and this procedure changes nothing: %s", out, share), nil
	case policy.School == MeasureOnly:
		return a.say(Leave, "this procedure measures and changes nothing: %s", share), nil
	case policy.School == Threshold && math.Abs(worst.ErrorToLimit) <= policy.Threshold+1e-12:
		return a.say(Leave, "%s, below the %.0f %% at which it is worth adjusting", share, 100*policy.Threshold), nil
	case policy.School == Calendar && tried.Rounds == 0 && tried.SetUp == "" && len(controls) > 0:
		if a = a.plan(points, controls, policy, share, out); a.Decision == Adjust {
			a.Why = "It is due by the calendar. " + a.Why
		}
		return a, nil
	case policy.School == Calendar && tried.Rounds > 0 && out == "":
		return a.say(Leave, "it was adjusted by the calendar, and %s", share), nil
	case !significant && out == "":
		return a.say(Leave, "no error stands out from its own uncertainty: adjusting would only add noise"), nil
	case len(controls) == 0 && out == "":
		return a.say(Leave, "%s; inside, and nothing here can be adjusted", share), nil
	case len(controls) == 0 && tried.Outside && !tried.Looked:
		return a.say(Investigate,
			"%s is outside its limit and nothing here can be adjusted: look at what lies outside the device first, and read again",
			out), nil
	case len(controls) == 0:
		return a.say(Withdraw, "%s is outside its limit and nothing here can be adjusted", out), nil
	case tried.SetUp != "":
		return a.say(Investigate, "%s Look at the set-up first, and repeat", tried.SetUp), nil
	case tried.Rounds >= policy.MaxRounds:
		return a.say(Investigate, "%d rounds of adjustment have not brought it in: look for another cause",
			tried.Rounds), nil
	case tried.Rounds > 0 && math.Abs(worst.ErrorToLimit) >= tried.Before:
		return a.say(Investigate,
			"the last round did not help (%.0f %% of the limit before, %.0f %% after): look for another cause",
			100*tried.Before, 100*math.Abs(worst.ErrorToLimit)), nil
	case slices.ContainsFunc(controls, func(c Control) bool { return c.Kind == Zone }):
		for _, c := range controls {
			if c.Kind == Zone {
				return a.zonePlan(c, points, tried.Past, share), nil
			}
		}
	case (a.Components.Shape == fit.Hysteresis || a.Components.Shape == fit.Scatter) && !perPoint(controls):
		return a.say(Investigate, "the readings do not repeat (%s): an adjustment would only move them about",
			a.Components.Shape), nil
	case a.Components.Shape == fit.Bent && !perPoint(controls):
		return a.say(Investigate, "the errors follow no straight line: an adjustment would only move them about"), nil
	}
	return a.plan(points, controls, policy, share, out), nil
}

// Offer is what the controls would be moved by, whatever the advice is: for a decision to adjust against it.
func Offer(points []Point, controls []Control) (Advice, error) {
	if len(points) == 0 {
		return Advice{}, fmt.Errorf("there is no point to judge")
	}
	components, err := shapeOf(points)
	if err != nil {
		return Advice{}, err
	}
	a := Advice{Components: components}.moved(points, controls, Policy{School: Nominal})
	a.Decision = Adjust
	return a, nil
}

// shapeOf takes the errors of the points apart that are levels of one another; of others the shape is not known.
func shapeOf(points []Point) (fit.ErrorComponents, error) {
	var levels []fit.PointError
	for _, p := range points {
		if !p.Apart {
			levels = append(levels, fit.PointError{Level: p.Level, Error: p.Error, U: p.U / 2, Limit: finite(p.Limit),
				Direction: p.Direction, Step: p.Step})
		}
	}
	if len(levels) == 0 {
		return fit.ErrorComponents{Shape: fit.Unknown}, nil
	}
	return fit.DecomposeErrors(levels)
}

func finite(v float64) float64 {
	if math.IsInf(v, 0) {
		return 0
	}
	return v
}

// perPoint reports whether a control acts on each point by itself.
func perPoint(controls []Control) bool {
	return slices.ContainsFunc(controls, func(c Control) bool {
		return c.Kind == Table || c.Kind == Zone ||
			c.Kind == Routine
	})
}

func (a Advice) say(d Decision, format string, args ...any) Advice {
	text := fmt.Sprintf(format, args...)
	a.Decision, a.Why = d, strings.ToUpper(text[:1])+text[1:]+"."
	return a
}
