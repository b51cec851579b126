package runview

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"northneedle/core/procedure"
	"northneedle/core/quantity"
	"northneedle/core/run"
)

// MatterKind is why something of a run is to be looked at before it is countersigned.
type MatterKind string

// The kinds of matter, in the order that a reviewer reads them.
const (
	MatterOutside   MatterKind = "outside"
	MatterFailed    MatterKind = "failed"
	MatterLeftOut   MatterKind = "left out"
	MatterException MatterKind = "exception"
	MatterCutShort  MatterKind = "cut short"
	MatterOverruled MatterKind = "overruled"
	MatterVoided    MatterKind = "not the device's"
	MatterFarOut    MatterKind = "far out, and repeated"
	MatterWithdrawn MatterKind = "withdrawn"
	MatterEarly     MatterKind = "taken early"
	MatterTyped     MatterKind = "typed, with a link there"
	MatterChanged   MatterKind = "changed on the way"
)

// MatterKinds lists every MatterKind in the order that a reviewer reads them.
var MatterKinds = []MatterKind{MatterOutside, MatterFailed, MatterLeftOut, MatterException, MatterCutShort, MatterOverruled,
	MatterVoided, MatterFarOut, MatterWithdrawn, MatterEarly, MatterTyped, MatterChanged}

// Matter is something of a run that a reviewer looks at first.
type Matter struct {
	Kind    MatterKind `json:"kind"`
	Words   string     `json:"words"`
	Measure string     `json:"measure,omitempty"` // where it is one of a point
	Point   string     `json:"point,omitempty"`
}

// Matters are what a reviewer looks at first, the gravest first; what is in order is not among them.
func Matters(r run.Run) []Matter {
	all := mattersOfSteps(r)
	for _, m := range r.Procedure.Measures() {
		all = append(all, mattersOfPoints(r, m)...)
	}
	all = append(all, mattersOfSetUp(r)...)
	slices.SortStableFunc(all, func(a, b Matter) int {
		return slices.Index(MatterKinds, a.Kind) - slices.Index(MatterKinds, b.Kind)
	})
	return all
}

func mattersOfSteps(r run.Run) (all []Matter) {
	say := func(kind MatterKind, format string, args ...any) {
		all = append(all, Matter{Kind: kind, Words: fmt.Sprintf(format, args...)})
	}
	for _, step := range r.Procedure.Way() {
		b := step.Base()
		mark := r.Marks[b.ID]
		if mark.Skipped != "" {
			say(MatterLeftOut, "%s: %s", b.Title, mark.Skipped)
		}
		if t := r.Timers[b.ID]; t.Cut != "" {
			say(MatterCutShort, "%s: %s", b.Title, t.Cut)
		}
		switch s := step.(type) {
		case *procedure.CheckStep:
			if mark.Answer == run.NotFine {
				say(MatterFailed, "%s: %s", b.Title, mark.Note)
			}
			if mark.Answer == run.NA {
				say(MatterLeftOut, "%s: %s, %s", b.Title, AnswerWords(s.Tests(), mark.Answer), mark.Note)
			}
		case *procedure.Finding:
			state := r.Findings[s.ID]
			for _, d := range state.Decisions {
				if d.Reason != "" {
					say(MatterOverruled, "%s: advised to %s, decided to %s: %s", s.Title, d.Advised, d.Decision, d.Reason)
				}
			}
			for _, v := range state.Voided {
				say(MatterVoided, "%s", voidedWords(s, v))
			}
		}
	}
	for _, role := range r.Procedure.Roles {
		for _, b := range r.Bindings(role.ID) {
			if b.Override != "" {
				say(MatterException, "%s: %s", b.Standard.Tag, b.Override)
			}
			if b.Exchange != "" {
				say(MatterChanged, "%s: exchanged for %s: %s", role.Title, b.Standard.Tag, b.Exchange)
			}
		}
	}
	for _, c := range r.Changed {
		say(MatterChanged, "%s", c.Reason)
	}
	for _, c := range r.RoomCorrected {
		say(MatterChanged, "The room was recorded again (before: %s): %s", roomWords(c.Before), c.Reason)
	}
	return all
}

// mattersOfPoints are those of a measure's points, in every round: what is outside as it was left before what was found.
func mattersOfPoints(r run.Run, m *procedure.Measure) (all []Matter) {
	for i := range m.Points {
		p := &m.Points[i]
		say := func(kind MatterKind, format string, args ...any) {
			all = append(all, Matter{kind, m.Title + " " + p.Label + ": " + fmt.Sprintf(format, args...), m.ID, p.ID})
		}
		for round := r.LastRound(m); round >= 0; round-- {
			if v, err := r.Judge(m, p, round); err == nil && v != nil && !v.Pass {
				say(MatterOutside, "%s, %s", run.PhaseOf(round), Sentence(*v))
			}
			if why := r.Omitted[run.PointKey{Measure: m.ID, Point: p.ID, Round: round}]; why != "" {
				say(MatterLeftOut, "%s, %s", run.PhaseOf(round), why)
			}
			for range r.Superseded(m, p, round) {
				say(MatterFarOut, "%s; found at the set-up: %s", run.PhaseOf(round),
					r.SetUpNote[run.PointKey{Measure: m.ID, Point: p.ID, Round: round}])
			}
		}
		for _, reading := range r.Readings {
			if reading.Measure != m.ID || reading.Point != p.ID || reading.Void {
				continue
			}
			switch {
			case reading.Withdrawn != "":
				say(MatterWithdrawn, "%s, %s", quantity.Format(reading.Values[0], r.Resolution(m)), reading.Withdrawn)
			case reading.Early != "":
				say(MatterEarly, "%s", reading.Early)
			case reading.Source == run.Typed && m.Capture != nil:
				say(MatterTyped, "%s by %s", reading.Typed, reading.By.Name)
			}
		}
	}
	return all
}

// mattersOfSetUp are the settings of an instrument that differ between the readings of a measure.
func mattersOfSetUp(r run.Run) (all []Matter) {
	type set struct{ measure, setting string }
	seen := map[set]string{}
	for _, reading := range r.Readings {
		m := r.Procedure.Measure(reading.Measure)
		if reading.Origin == nil || !reading.Stands() || m == nil {
			continue
		}
		for _, setting := range slices.Sorted(maps.Keys(reading.Origin.Settings)) {
			key, now := set{m.ID, setting}, reading.Origin.Settings[setting]
			if before, known := seen[key]; known && before != now && !driven(m, setting) {
				all = append(all, Matter{MatterChanged, fmt.Sprintf("%s: %s of %s was %s, then %s", m.Title, setting, reading.Origin.Name,
					before, now), m.ID, reading.Point})
			}
			seen[key] = now
		}
	}
	return all
}

// driven reports whether a measure's points set something themselves.
func driven(m *procedure.Measure, setting string) bool {
	return slices.ContainsFunc(m.Points, func(p procedure.Point) bool {
		_, set := p.Drive[strings.ToLower(setting)]
		return set
	})
}
