package run

import (
	"fmt"
	"math"
	"strings"

	"northneedle/core/procedure"
	"northneedle/core/quantity"
)

// plausible asks again where the decimal mark of what was typed seems to have slipped.
func (c CaptureReading) plausible(r Run, m *procedure.Measure, expected Expected, v float64) error {
	if c.Confirmed {
		return nil
	}
	if words := otherUnit(v, expected); words != "" {
		return refuse(Question, "magnitude", "typed", "%s", words)
	}
	likelier := slipped(v, expected, m.Gross)
	if likelier == "" {
		return nil
	}
	typed, unit := c.Typed, expected.Unit
	if m.Reads != "" {
		unit = m.Reads
	}
	if _, staged := r.Stages[PointKey{m.ID, c.Point, r.LastRound(m)}]; staged {
		typed = quantity.Format(v, r.Resolution(m)) + " from what was"
	}
	return refuse(Question, "magnitude", "typed", "%s %s expected, %s typed: is that what the device shows? %s would fit.",
		quantity.Format(expected.Reference, r.Resolution(m)), strings.TrimSpace(quantity.ShowUnit(unit)), typed, likelier)
}

// alike is by which share two values may differ and still be taken for one and the same in two units.
const alike = 0.02

// otherUnit asks whether what was typed is the expected value in a unit that the display may have been left in.
func otherUnit(v float64, e Expected) string {
	if e.Unit != "kg" || e.Reference == 0 {
		return ""
	}
	pounds, err := quantity.Convert(e.Reference, "kg", "[lb_av]")
	if err != nil || math.Abs(v-pounds) > alike*pounds {
		return ""
	}
	return fmt.Sprintf("%.6g is %.6g kg in pounds: does the display show pounds? Set it to kg, lock it there, and read again. A dose is computed from this number.",
		v, e.Reference)
}

// slipped says which value would be plausible with the decimal mark moved, where the typed one is not.
func slipped(v float64, e Expected, gross float64) string {
	if e.Low == nil || e.High == nil || v == 0 {
		return ""
	}
	half := gross * (*e.High - *e.Low) / 2
	plausible := func(x float64) bool { return math.Abs(x-e.Reference) <= half }
	if plausible(v) {
		return ""
	}
	for _, shift := range []int{-1, 1, -2, 2, -3, 3} {
		if moved := v * math.Pow10(shift); plausible(moved) {
			return fmt.Sprintf("%.6g", moved)
		}
	}
	return ""
}
