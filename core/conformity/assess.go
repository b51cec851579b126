package conformity

import (
	"fmt"
	"math"

	"gonum.org/v1/gonum/stat/distuv"
)

// Zone is where an error lies, given the uncertainty it was measured with.
type Zone string

const (
	Inside          Zone = "inside"
	InsideDoubtful  Zone = "inside_doubtful"  // inside, but within U of a limit
	OutsideDoubtful Zone = "outside_doubtful" // outside, but within U of a limit
	Outside         Zone = "outside"
)

// Words is the zone as it stands in a verdict sentence.
func (z Zone) Words() string {
	switch z {
	case Inside:
		return "inside"
	case InsideDoubtful:
		return "inside, but within U of the limit"
	case OutsideDoubtful:
		return "outside, but within U of the limit"
	case Outside:
		return "outside"
	}
	return "not done"
}

// Within reports whether the error itself is inside the limits, doubtful or not.
func (z Zone) Within() bool { return z == Inside || z == InsideDoubtful }

// Assessment is everything a decision rule may look at.
type Assessment struct {
	Error                  float64 `json:"error"`
	Limits                 Limits  `json:"-"`
	ExpandedUncertainty    float64 `json:"expanded_uncertainty"`
	TUR                    float64 `json:"tur"` // test uncertainty ratio: half-width over U; 0 where U is 0
	Zone                   Zone    `json:"zone"`
	ConformanceProbability float64 `json:"conformance_probability"`
	ErrorToLimit           float64 `json:"error_to_limit"`
}

// notAbove compares as decimal numbers do: a difference in the last binary digits is none.
func notAbove(a, b, scale float64) bool { return a <= b+1e-12*scale }

// Assess places an error against its limits, given the expanded uncertainty and
// its k. The limits must not be reversed, U not negative, k above zero, all
// numbers finite but for a missing limit. JCGM 106:2012, 7 and 8; ILAC-G8:09/2019.
func Assess(err float64, limits Limits, expanded, k float64) (Assessment, error) {
	switch {
	case math.IsNaN(err) || math.IsInf(err, 0):
		return Assessment{}, fmt.Errorf("the error is not a number")
	case math.IsNaN(limits.Low) || math.IsNaN(limits.High) || limits.Low > limits.High:
		return Assessment{}, fmt.Errorf("the limits %g and %g are reversed or not numbers", limits.Low, limits.High)
	case !(expanded >= 0) || math.IsInf(expanded, 0):
		return Assessment{}, fmt.Errorf("the expanded uncertainty must not be negative, it is %g", expanded)
	case !(k > 0):
		return Assessment{}, fmt.Errorf("the coverage factor k must be above zero, it is %g", k)
	}
	a := Assessment{Error: err, Limits: limits, ExpandedUncertainty: expanded, ErrorToLimit: limits.ErrorToLimit(err)}
	if expanded > 0 {
		a.TUR = limits.HalfWidth() / expanded
	}
	scale := math.Abs(err) + expanded + limits.HalfWidth()
	in := notAbove(limits.Low, err, scale) && notAbove(err, limits.High, scale)
	surelyIn := notAbove(limits.Low+expanded, err, scale) && notAbove(err, limits.High-expanded, scale)
	nearlyIn := notAbove(limits.Low-expanded, err, scale) && notAbove(err, limits.High+expanded, scale)
	switch {
	case surelyIn:
		a.Zone = Inside
	case in:
		a.Zone = InsideDoubtful
	case nearlyIn && expanded > 0:
		a.Zone = OutsideDoubtful
	default:
		a.Zone = Outside
	}
	a.ConformanceProbability = probability(err, limits, expanded/k, in)
	return a, nil
}

func probability(err float64, limits Limits, u float64, in bool) float64 {
	if u == 0 {
		if in {
			return 1
		}
		return 0
	}
	n := distuv.UnitNormal
	return n.CDF((limits.High-err)/u) - n.CDF((limits.Low-err)/u)
}

// RuleKind names a way of deciding.
type RuleKind string

const (
	Simple  RuleKind = "simple"
	Guarded RuleKind = "guarded"
	Risk    RuleKind = "risk"
)

// RuleKinds lists every way of deciding, in the order they are offered.
var RuleKinds = []RuleKind{Simple, Guarded, Risk}

// Rule turns an assessment into a statement of conformity. It is the lab's
// setting. TURFloor is the ratio below which simple acceptance warns (0 means 4);
// GuardFactor is r in w = r·U (0 means 1); Probability the conformance
// probability that risk-based acceptance asks for (0 means 0.95).
type Rule struct {
	Kind        RuleKind `json:"kind" yaml:"kind"`
	TURFloor    float64  `json:"tur_floor,omitempty" yaml:"tur_floor,omitempty"`
	GuardFactor float64  `json:"guard_factor,omitempty" yaml:"guard_factor,omitempty"`
	Probability float64  `json:"probability,omitempty" yaml:"probability,omitempty"`
}

// ruleKinds says of each way of deciding what it means and what it accepts.
var ruleKinds = map[RuleKind]struct {
	title   string
	meaning func(Rule) string
	accepts func(Rule, Assessment) (pass bool, warning string)
}{
	Simple: {
		title: "simple acceptance: inside the limit",
		meaning: func(r Rule) string {
			return fmt.Sprintf("Simple acceptance: a point conforms when its error is inside the tolerance; a ratio of tolerance to uncertainty (TUR) below %.3g is noted (ILAC-G8).", orElse(r.TURFloor, 4))
		},
		accepts: func(r Rule, a Assessment) (pass bool, warning string) {
			floor := orElse(r.TURFloor, 4)
			if a.TUR > 0 && a.TUR < floor {
				warning = fmt.Sprintf("TUR %.1f is below %.3g, the least this rule wants", a.TUR, floor)
			}
			return a.Zone.Within(), warning
		},
	},
	Guarded: {
		title: "guarded acceptance: inside the limit by U",
		meaning: func(r Rule) string {
			return fmt.Sprintf("Guarded acceptance: a point conforms when its error is inside the tolerance by at least %.3g × the expanded uncertainty U (JCGM 106).", orElse(r.GuardFactor, 1))
		},
		accepts: func(r Rule, a Assessment) (bool, string) {
			w := orElse(r.GuardFactor, 1) * a.ExpandedUncertainty
			scale := math.Abs(a.Error) + a.ExpandedUncertainty + a.Limits.HalfWidth()
			return notAbove(a.Limits.Low+w, a.Error, scale) && notAbove(a.Error, a.Limits.High-w, scale), ""
		},
	},
	Risk: {
		title: "by probability of conformance",
		meaning: func(r Rule) string {
			return fmt.Sprintf("Risk-based acceptance: a point conforms when the probability that its true error is inside the tolerance is at least %.4g %% (JCGM 106).", 100*orElse(r.Probability, 0.95))
		},
		accepts: func(r Rule, a Assessment) (bool, string) {
			return a.ConformanceProbability >= orElse(r.Probability, 0.95), ""
		},
	},
}

// Title is the way of deciding in a few words.
func (k RuleKind) Title() string { return ruleKinds[k].title }

// Check reports what is wrong with the rule, if anything.
func (r Rule) Check() error {
	_, known := ruleKinds[r.Kind]
	switch {
	case !known:
		return fmt.Errorf("the decision rule %q is not known: use one of %q", r.Kind, RuleKinds)
	case r.TURFloor < 0 || r.GuardFactor < 0:
		return fmt.Errorf("the decision rule's figures must not be negative")
	case r.Probability < 0 || r.Probability >= 1:
		return fmt.Errorf("the decision rule's probability must be below 1")
	}
	return nil
}

func orElse(v, otherwise float64) float64 {
	if v == 0 {
		return otherwise
	}
	return v
}

// Accepts decides one point, and warns in words where the rule's own condition is not met. A rule
// of an unknown kind accepts nothing.
func (r Rule) Accepts(a Assessment) (pass bool, warning string) {
	kind, known := ruleKinds[r.Kind]
	if !known {
		return false, fmt.Sprintf("the decision rule %q is not known", r.Kind)
	}
	return kind.accepts(r, a)
}

// Meaning is the rule in one sentence, as the certificate prints it.
func (r Rule) Meaning() string {
	kind, known := ruleKinds[r.Kind]
	if !known {
		return fmt.Sprintf("The decision rule %q is not known.", r.Kind)
	}
	return kind.meaning(r)
}
