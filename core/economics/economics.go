// Package economics says whether a device should be calibrated by an accredited
// laboratory, in house, or replaced.
package economics

import (
	"fmt"
	"math"
	"strings"
)

// Use is what a device's result is relied on for.
type Use string

const (
	Reference  Use = "reference"  // others are compared with it
	Decision   Use = "decision"   // diagnosis or treatment follows from it
	Indication Use = "indication" // it only shows
)

// Case is a device and what its options cost. Money is in one currency, a year is the unit
// of time.
type Case struct {
	Use         Use     `json:"use" enum:"reference,decision,indication"`
	Demanded    bool    `json:"demanded" doc:"a rule or a customer demands an accredited certificate"`
	TUR         float64 `json:"tur" doc:"tolerance over the U of the reference that an in-house run has"`
	LeastTUR    float64 `json:"least_tur" doc:"that is wanted"`
	PerYear     float64 `json:"per_year" doc:"calibrations"`
	Accredited  float64 `json:"accredited" doc:"price of one, with freight and the time it is away"`
	InHouse     float64 `json:"in_house" doc:"cost of one: hands, gas, references"`
	Failures    float64 `json:"failures" doc:"a year"`
	Repair      float64 `json:"repair" doc:"price of one"`
	Replacement float64 `json:"replacement" doc:"price of a new one"`
	Remaining   float64 `json:"remaining" doc:"years this one may still serve"`
	Life        float64 `json:"life" doc:"years a new one serves"`
	Without     float64 `json:"without,omitempty" doc:"what a year without it costs: borrowed, sent out, waited for; 0: it cannot be done without, or nobody has said"`
}

// Check reports what is wrong with a case, if anything.
func (c Case) Check() error {
	for name, v := range map[string]float64{
		"tur":         c.TUR,
		"least_tur":   c.LeastTUR,
		"per_year":    c.PerYear,
		"accredited":  c.Accredited,
		"in_house":    c.InHouse,
		"failures":    c.Failures,
		"repair":      c.Repair,
		"replacement": c.Replacement,
		"remaining":   c.Remaining,
		"without":     c.Without,
	} {
		if !(v >= 0) || math.IsInf(v, 0) {
			return fmt.Errorf("%s must not be negative, it is %g", strings.ReplaceAll(name, "_", " "), v)
		}
	}
	if !(c.Life > 0) {
		return fmt.Errorf("a new one serves for some years: more than none")
	}
	if c.Use != Reference && c.Use != Decision && c.Use != Indication {
		return fmt.Errorf("the use is reference, decision or indication, not %q", c.Use)
	}
	return nil
}

// Way is one way to go on.
type Way struct {
	Name   string  `json:"name"`
	Yearly float64 `json:"yearly"`
	Not    string  `json:"not,omitempty"` // why it will not do
	Parts  string  `json:"parts"`         // what the yearly cost is made of
}

// said is the way as a sentence begins with it.
func (w Way) said() string {
	return map[string]string{"accredited": "Accredited", "in house": "In house", "replace": "A new one", "do without": "Doing without"}[w.Name]
}

// Weighed is the options with the one to take.
type Weighed struct {
	Take     string `json:"take"`
	Sentence string `json:"sentence"`
	Options  []Way  `json:"options"`
}

// newFails is what share of this one's failures a new one has.
const newFails = 0.25

// Weigh compares the options by what they cost a year: calibrations, repairs, and what is
// put by for the next one (its price over the years until it is needed). An in-house
// calibration will not do where an accredited one is demanded, where the device is itself
// a reference for others, or where it does not reach the ratio that is wanted. ILAC-P10
// and ISO/IEC 17025 on traceability; the comparison is straight-line.
func Weigh(c Case) (Weighed, error) {
	if err := c.Check(); err != nil {
		return Weighed{}, err
	}
	until := c.Remaining + c.Life // one bought when this one ends serves so long from now
	putBy := c.Replacement / until
	keep := func(name string, each float64) Way {
		cal, repairs := c.PerYear*each, c.Failures*c.Repair
		return Way{Name: name, Yearly: cal + repairs + putBy,
			Parts: fmt.Sprintf("calibration %.0f, repairs %.0f, put by for the next %.0f", cal, repairs, putBy)}
	}
	accredited, inHouse := keep("accredited", c.Accredited), keep("in house", c.InHouse)
	each, by := c.InHouse, "in house"
	switch {
	case c.Demanded:
		inHouse.Not = "an accredited certificate is demanded"
	case c.Use == Reference:
		inHouse.Not = "it is itself a reference for others"
	case c.TUR < c.LeastTUR && c.Use != Indication:
		inHouse.Not = fmt.Sprintf("the limit is %.1f times the U of its reference; %.1f are wanted", c.TUR, c.LeastTUR)
	}
	if inHouse.Not != "" {
		each, by = c.Accredited, "accredited"
	}
	cal, repairs, price := c.PerYear*each, newFails*c.Failures*c.Repair, c.Replacement/c.Life
	replace := Way{Name: "replace", Yearly: cal + repairs + price,
		Parts: fmt.Sprintf("calibration (%s) %.0f, repairs %.0f, its price over %g years %.0f", by, cal, repairs,
			c.Life, price)}
	without := Way{Name: "do without", Yearly: c.Without, Parts: fmt.Sprintf("borrowed, sent out or waited for %.0f", c.Without)}
	if c.Without == 0 {
		without.Not = "what a year without it costs is not given"
	}
	a := Weighed{Options: []Way{accredited, inHouse, replace, without}}
	if c.Remaining == 0 {
		for i := range a.Options[:2] {
			a.Options[i].Not = "its life is over"
		}
	}
	best := -1
	for i, o := range a.Options {
		if o.Not == "" && (best < 0 || o.Yearly < a.Options[best].Yearly) {
			best = i
		}
	}
	take := a.Options[best] // to replace is always possible
	a.Take = take.Name
	words := map[string]string{"accredited": "Have it calibrated by an accredited laboratory",
		"in house": "Calibrate it in house", "replace": "Replace it", "do without": "Do without it"}[take.Name]
	a.Sentence = fmt.Sprintf("%s: %.0f a year.", words, take.Yearly)
	for _, o := range a.Options {
		switch {
		case o.Name == take.Name || o.Name == without.Name && c.Without == 0:
		case o.Not != "":
			a.Sentence += fmt.Sprintf(" %s will not do: %s.", o.said(), o.Not)
		default:
			a.Sentence += fmt.Sprintf(" %s would cost %.0f.", o.said(), o.Yearly)
		}
	}
	if c.Use == Indication && take.Name != "replace" && take.Name != without.Name {
		a.Sentence += " It only shows: whether it needs calibrating at all is worth asking."
	}
	return a, nil
}
