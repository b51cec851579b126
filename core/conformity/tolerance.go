// Package conformity says whether an error is within what is permitted, and how
// sure that is.
package conformity

import (
	"fmt"
	"math"
	"strconv"
	"strings"
)

// Limits bound the error (indication − reference), in the unit of the reference.
// A side without a limit is infinite.
type Limits struct{ Low, High float64 }

// HalfWidth is half the distance between the limits, or the distance of the only
// limit from zero where there is one side only.
func (l Limits) HalfWidth() float64 {
	switch {
	case math.IsInf(l.Low, 0):
		return math.Abs(l.High)
	case math.IsInf(l.High, 0):
		return math.Abs(l.Low)
	}
	return (l.High - l.Low) / 2
}

// Scale multiplies both limits by a positive factor, to state them in another unit.
func (l Limits) Scale(factor float64) Limits { return Limits{l.Low * factor, l.High * factor} }

// Widen moves both limits outwards by an amount of at least zero, in their unit. A side without a limit stays without.
func (l Limits) Widen(by float64) Limits { return Limits{l.Low - by, l.High + by} }

// ErrorToLimit is the error as a share of the limit on its side: 0 is no error, ±1 the limit.
func (l Limits) ErrorToLimit(err float64) float64 {
	limit := l.High
	if err < 0 {
		limit = -l.Low
	}
	switch {
	case math.IsInf(limit, 0):
		return 0
	case limit > 0:
		return err / limit
	case err == 0:
		return 0
	}
	return math.Copysign(9, err)
}

// Tolerance is a maximum permissible error in the handbook's text form:
//
//	±2                          of the unit
//	±5 % of reading             of the magnitude of the reference
//	±3 % of span 200
//	±(0.43 + 8 % of reading)    a sum
//	max(±2, ±5 % of reading)    the wider; min(…) the narrower
//	-0.5/+1.0                   asymmetric
//	<= 2.5    >= -0.5           one-sided
//	20..200                     the indication itself must lie in this range
//	0..40: ±2; 40..100: ±5 % of reading     by range of the reference, upper bound inclusive
//
// The zero value permits nothing to be judged; [ParseTolerance] makes the others.
type Tolerance struct{ root node }

type node interface {
	limits(reference float64) (Limits, error)
	String() string
}

// IsZero reports whether the tolerance is the zero value.
func (t Tolerance) IsZero() bool { return t.root == nil }

// Limits are the limits on the error at a reference value. It is an error where
// the reference is not finite, or lies in none of the tolerance's ranges.
func (t Tolerance) Limits(reference float64) (Limits, error) {
	if t.root == nil {
		return Limits{}, fmt.Errorf("no tolerance is given")
	}
	if math.IsNaN(reference) || math.IsInf(reference, 0) {
		return Limits{}, fmt.Errorf("the reference value is not a number")
	}
	return t.root.limits(reference)
}

// String writes the tolerance so that [ParseTolerance] reads the same one back.
func (t Tolerance) String() string {
	if t.root == nil {
		return ""
	}
	return t.root.String()
}

// MarshalText makes a tolerance travel as its text form.
func (t Tolerance) MarshalText() ([]byte, error) { return []byte(t.String()), nil }

// term is an amount: a fixed part plus a share of reading plus a share of spans.
type term struct {
	value float64
	kind  byte // 0 fixed, 'r' percent of reading, 's' percent of span
	span  float64
}

func (t term) amount(reference float64) float64 {
	switch t.kind {
	case 'r':
		return t.value / 100 * math.Abs(reference)
	case 's':
		return t.value / 100 * t.span
	}
	return t.value
}

func (t term) String() string {
	switch t.kind {
	case 'r':
		return number(t.value) + " % of reading"
	case 's':
		return number(t.value) + " % of span " + number(t.span)
	}
	return number(t.value)
}

func number(v float64) string { return strconv.FormatFloat(v, 'g', -1, 64) }

type symmetric []term

func (s symmetric) limits(reference float64) (Limits, error) {
	sum := 0.0
	for _, t := range s {
		sum += t.amount(reference)
	}
	return Limits{-sum, sum}, nil
}

func (s symmetric) String() string {
	parts := make([]string, len(s))
	for i, t := range s {
		parts[i] = t.String()
	}
	if len(parts) == 1 {
		return "±" + parts[0]
	}
	return "±(" + strings.Join(parts, " + ") + ")"
}

type widest struct {
	narrow bool
	of     []node
}

func (w widest) limits(reference float64) (Limits, error) {
	best, err := w.of[0].limits(reference)
	if err != nil {
		return best, err
	}
	for _, n := range w.of[1:] {
		l, err := n.limits(reference)
		if err != nil {
			return l, err
		}
		if w.narrow {
			best = Limits{math.Max(best.Low, l.Low), math.Min(best.High, l.High)}
		} else {
			best = Limits{math.Min(best.Low, l.Low), math.Max(best.High, l.High)}
		}
	}
	return best, nil
}

func (w widest) String() string {
	parts := make([]string, len(w.of))
	for i, n := range w.of {
		parts[i] = n.String()
	}
	if w.narrow {
		return "min(" + strings.Join(parts, ", ") + ")"
	}
	return "max(" + strings.Join(parts, ", ") + ")"
}

type sided struct{ low, high float64 } // either may be infinite

func (s sided) limits(float64) (Limits, error) { return Limits{s.low, s.high}, nil }

func (s sided) String() string {
	switch {
	case math.IsInf(s.low, 0):
		return "<= " + number(s.high)
	case math.IsInf(s.high, 0):
		return ">= " + number(s.low)
	}
	return number(s.low) + "/+" + number(s.high)
}

type within struct{ low, high float64 } // of the indication

func (w within) limits(reference float64) (Limits, error) {
	return Limits{w.low - reference, w.high - reference}, nil
}

func (w within) String() string { return number(w.low) + ".." + number(w.high) }

type piece struct {
	low, high float64
	of        node
}

type pieces []piece

func (p pieces) limits(reference float64) (Limits, error) {
	for _, r := range p {
		if reference >= r.low && reference <= r.high {
			return r.of.limits(reference)
		}
	}
	return Limits{}, fmt.Errorf("the tolerance %q says nothing about %g", p.String(), reference)
}

func (p pieces) String() string {
	parts := make([]string, len(p))
	for i, r := range p {
		parts[i] = number(r.low) + ".." + number(r.high) + ": " + r.of.String()
	}
	return strings.Join(parts, "; ")
}
