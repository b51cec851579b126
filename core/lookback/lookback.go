// Package lookback says what a bad finding touches: the time in doubt, by how much and
// which way the device was off, and what its owner is told.
package lookback

import (
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"northneedle/core/quantity"
)

// Level is one level at which a device was found out: its error, and the limit it
// went beyond, all in one unit.
type Level struct {
	Label     string  `json:"label"`
	Reference float64 `json:"reference"`
	Error     float64 `json:"error"`
	Limit     float64 `json:"limit"` // half-width
	U         float64 `json:"u"`
	Unit      string  `json:"unit"`           // UCUM
	Gave      bool    `json:"gave,omitempty"` // it is what the device delivered, not what it showed
	Said      string  `json:"said,omitempty"` // what is out, in words, where that is no error of a level: "no alarm within 30 s"
}

// Words say how far off a level was, and which way.
func (l Level) Words() string {
	if l.Said != "" {
		return l.Label + ": " + l.Said
	}
	unit := quantity.ShowUnit(l.Unit)
	way := "too high"
	if l.Error < 0 {
		way = "too low"
	}
	did := "showed"
	switch {
	case l.Gave && l.Unit == "Cel" && l.Error < 0:
		did, way = "was", "too cold"
	case l.Gave && l.Unit == "Cel":
		did, way = "was", "too warm"
	case l.Gave && l.Error < 0:
		did, way = "gave", "too little"
	case l.Gave:
		did, way = "gave", "too much"
	}
	words := fmt.Sprintf("%s: %s %s %s %s", l.Label, did, figure(math.Abs(l.Error)), unit, way)
	if l.Reference != 0 && math.Abs(l.Error/l.Reference) < 5 {
		words += fmt.Sprintf(" (%s %%)", quantity.FormatSigned(100*l.Error/l.Reference, 0.1))
	}
	if l.Limit > 0 && !math.IsInf(l.Limit, 0) {
		words += fmt.Sprintf("; allowed ±%s", figure(l.Limit))
	}
	return words
}

func figure(v float64) string { return fmt.Sprintf("%.3g", v) }

// Window is the time in doubt: from when it was last known to be good, up to when it was
// found out. A zero From means that it was never known to be good.
type Window struct {
	From  time.Time `json:"from"`
	Until time.Time `json:"until"`
}

// Days is how long the window is, in whole days; 0 where its beginning is not known.
func (w Window) Days() int {
	if w.From.IsZero() || w.Until.Before(w.From) {
		return 0
	}
	return int(w.Until.Sub(w.From).Hours()/24 + 0.5)
}

// Words say the window.
func (w Window) Words() string {
	if w.From.IsZero() {
		return "from the first use here until " + w.Until.Format(time.DateOnly) + ": it was not found good before"
	}
	return fmt.Sprintf("from %s, when it was last found good, until %s: %d days", w.From.Format(time.DateOnly),
		w.Until.Format(time.DateOnly), w.Days())
}

// UseOf says what a device of a family is relied on for, by how grave a wrong value is.
func UseOf(risk int) string {
	switch {
	case risk >= 5:
		return "life support or a decision made at once"
	case risk == 4:
		return "treatment: a dose or a setting follows from it"
	case risk == 3:
		return "diagnosis or a dose calculated from it"
	case risk == 2:
		return "diagnosis, together with other findings"
	}
	return "indication only"
}

// Subject is what a notice is about.
type Subject struct {
	Lab, Tag, Device, Place string
	Risk                    int
}

// DeviceNotice is what the owner of a device that was found out is told: what was found,
// since when it is in doubt, and what is asked. Which patients' records depended on it is
// the owner's knowledge.
func DeviceNotice(s Subject, w Window, found []Level, mended string) string {
	var b strings.Builder
	fmt.Fprintf(&b, "%s (%s), %s\n\n", s.Device, s.Tag, s.Place)
	fmt.Fprintf(&b, "At its verification on %s it was found outside its limits:\n", w.Until.Format(time.DateOnly))
	for _, l := range worstFirst(found) {
		fmt.Fprintf(&b, "  %s.\n", l.Words())
	}
	fmt.Fprintf(&b, "\nIn doubt is what was measured with it %s.\n", w.Words())
	fmt.Fprintf(&b, "Its use: %s.\n", UseOf(s.Risk))
	if mended != "" {
		fmt.Fprintf(&b, "Since then: %s.\n", mended)
	}
	b.WriteString("\nPlease look at what was decided by its values in that time, and tell us what you found and what you did, even if it was nothing.\n\n")
	b.WriteString(s.Lab + "\n")
	return b.String()
}

// ReferenceNotice writes the notice to the owner of a device whose verification used a reference that
// was later found to be wrong. changed lists the points whose statement of conformity changes, each a
// sentence.
func ReferenceNotice(s Subject, reference, found string, at time.Time, changed []string) string {
	var b strings.Builder
	fmt.Fprintf(&b, "%s (%s), %s\n\n", s.Device, s.Tag, s.Place)
	fmt.Fprintf(&b, "It was verified on %s with %s, which has since been found out: %s.\n", at.Format(time.DateOnly),
		reference, found)
	b.WriteString("Seen with what is known now, the statement for these points changes:\n")
	for _, c := range changed {
		fmt.Fprintf(&b, "  %s\n", c)
	}
	b.WriteString("\nPlease take it out of use until it has been verified again, and tell us what was decided by its values since then.\n\n")
	b.WriteString(s.Lab + "\n")
	return b.String()
}

// ControlNotice is what the laboratory is told when a control was rejected: results
// since the last one accepted are in doubt, by about as much as the control was off.
func ControlNotice(s Subject, w Window, analyte, verdict string, off []string) string {
	var b strings.Builder
	fmt.Fprintf(&b, "%s (%s), %s\n\n", s.Device, s.Tag, s.Place)
	fmt.Fprintf(&b, "A control of %s was rejected. %s\n", analyte, verdict)
	for _, o := range off {
		fmt.Fprintf(&b, "  %s\n", o)
	}
	fmt.Fprintf(&b, "\nIn doubt are results of %s from %s, when its control was last accepted, until %s.\n", analyte,
		moment(w.From), moment(w.Until))
	b.WriteString("Repeat samples of that time once the controls are accepted again, where a difference like this would have changed what was done; and tell us what you found.\n\n")
	b.WriteString(s.Lab + "\n")
	return b.String()
}

func moment(t time.Time) string {
	if t.IsZero() {
		return "the first use here"
	}
	return t.Format("2006-01-02 15:04")
}

// worstFirst orders levels by how far beyond their limit they are.
func worstFirst(found []Level) []Level {
	found = slices.Clone(found)
	slices.SortStableFunc(found, func(a, b Level) int {
		switch x, y := a.beyond(), b.beyond(); {
		case x > y:
			return -1
		case x < y:
			return 1
		}
		return 0
	})
	return found
}

func (l Level) beyond() float64 {
	if !(l.Limit > 0) || math.IsInf(l.Limit, 0) {
		return math.Abs(l.Error)
	}
	return math.Abs(l.Error) / l.Limit
}
