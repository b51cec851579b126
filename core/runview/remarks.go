package runview

import (
	"fmt"
	"strings"

	"northneedle/core/procedure"
	"northneedle/core/quantity"
	"northneedle/core/run"
)

// remarks are what a certificate must not keep silent.
func remarks(r run.Run) []string {
	said := []string{}
	say := func(format string, args ...any) { said = append(said, fmt.Sprintf(format, args...)) }
	for _, c := range r.Changed {
		titles := make([]string, len(c.Steps))
		for i, id := range c.Steps {
			if s := r.Procedure.Step(id); s != nil {
				titles[i] = s.Base().Title
			}
		}
		say("%s. What was done before counts no more, and was done again: %s.", c.Reason, strings.Join(titles, ", "))
	}
	for _, step := range r.Procedure.Way() {
		b := step.Base()
		mark := r.Marks[b.ID]
		if mark.Skipped != "" {
			say("%s was left out: %s.", b.Title, mark.Skipped)
		}
		if t := r.Timers[b.ID]; t.Cut != "" {
			say("%s was cut short: %s.", b.Title, t.Cut)
		}
		switch s := step.(type) {
		case *procedure.CheckStep:
			if mark.Read != "" {
				say("%s, by the record: %s", s.Title, sentence(mark.Read))
			}
			if mark.Skipped == "" && (mark.Answer == run.NotFine || mark.Answer == run.NA) {
				say("%s: %s: %s.", s.Title, AnswerWords(s.Tests(), mark.Answer), strings.TrimRight(mark.Note, ". "))
			}
		case *procedure.RecordStep:
			for _, f := range s.Fields {
				now := f.Recorded(r.Plate, r.Choices)
				if set, done, tag, ok := r.LeftAs(f.ID); ok && now != "" && now != set.Value {
					say("%s: %s; %s was left at %s when it was prepared on %s.", f.Label, now, tag, set.Value, done.At.Format("2006-01-02"))
				}
			}
		case *procedure.Measure:
			said = append(said, remarksOnPoints(r, s)...)
		case *procedure.Finding:
			state := r.Findings[s.ID]
			if rooms := state.Rooms; len(rooms) > 0 && rooms[0].Recorded && rooms[0] != r.Ambient {
				say("%s: as found was read at %s; the room conditions were recorded again later.", s.Title,
					roomWords(rooms[0]))
			}
			for _, voided := range state.Voided {
				say("%s", voidedWords(s, voided))
			}
			for _, jump := range r.Jumps(s, max(0, state.Closed-1)) {
				say("A finding inside the limits, %s.", jump)
			}
			if seen, is := r.Diagnose(s, max(0, state.Closed-1)); is && s.Corrects != "" && state.Done() && len(seen.Figures) > 0 {
				say("%s is corrected until the next run: %s.", s.Corrects, figureWords(seen.Figures))
			}
			for _, d := range state.Decisions {
				if d.Reason != "" {
					say("%s: the advice was to %s, the decision to %s: %s.", s.Title, d.Advised, d.Decision, d.Reason)
				}
			}
		}
	}
	said = append(said, r.States()...)
	for _, h := range r.Happened() {
		say("%s", sentence(h.Words))
	}
	for _, c := range r.RoomCorrected {
		say("The room was recorded again at %s by %s (before: %s): %s.", c.At.Format("15:04"), c.By.Name, roomWords(c.Before),
			strings.TrimRight(c.Reason, ". "))
	}
	for _, role := range r.Procedure.Roles {
		for _, b := range r.Bindings(role.ID) {
			if b.Override != "" {
				say("%s was used as an exception, for as-found readings only: %s", b.Standard.Tag, b.Override)
			}
			if b.Exchange != "" {
				say("%s: exchanged for %s at %s: %s. What was read before keeps the one before.", role.Title, b.Standard.Tag,
					b.At.Format("15:04"), strings.TrimRight(b.Exchange, ". "))
			}
		}
	}
	return said
}

// FarOut says of every point what was far out at first, what was found at the set-up, and that it was read again.
func FarOut(r run.Run) (said []string) {
	for _, m := range r.Procedure.Measures() {
		for i := range m.Points {
			for round := range r.LastRound(m) + 1 {
				said = append(said, farOut(r, m, &m.Points[i], round)...)
			}
		}
	}
	return said
}

// farOut says what was far out at first, what was found at the set-up, and that it was read again.
func farOut(r run.Run, m *procedure.Measure, p *procedure.Point, round int) (said []string) {
	for _, reading := range r.Superseded(m, p, round) {
		shown := make([]string, len(reading.Values))
		for i, v := range reading.Values {
			shown[i] = quantity.Format(v, r.Resolution(m))
		}
		said = append(said, fmt.Sprintf("%s, %s (%s): %s was read first, far out, and does not count. At the set-up was found: %s. Then it was read again.",
			m.Title, p.Label, reading.Phase, strings.TrimSpace(strings.Join(shown, ", ")+" "+quantity.ShowUnit(r.Unit(m))),
			strings.TrimRight(r.SetUpNote[run.PointKey{Measure: m.ID, Point: p.ID, Round: round}], ". ")))
	}
	return said
}

// voidedWords say why an as found was declared not valid, and what became of it.
func voidedWords(f *procedure.Finding, v run.VoidedAsFound) string {
	became := "As found was read again, and that counts; both stand side by side"
	if v.Stands {
		became = "Read again it agreed with the first within U: the first stands"
	}
	return fmt.Sprintf("%s: as found was declared not valid by %s: %s Put right: %s. %s.", f.Title, v.By.Name,
		sentence(v.Cause), strings.TrimRight(v.Done, ". "), became)
}

// figureWords are what is reckoned with from then on, in a line.
func figureWords(figures []procedure.Figure) string {
	words := make([]string, len(figures))
	for i, f := range figures {
		words[i] = f.Words()
	}
	return strings.Join(words, "; ")
}

// remarksOnPoints says which points of a measure were left out, which were far out at first, and which readings withdrawn.
func remarksOnPoints(r run.Run, m *procedure.Measure) (said []string) {
	for _, p := range m.Points {
		for round := range r.Findings[m.Judge.ID].Closed + 1 {
			if reason, omitted := r.Omitted[run.PointKey{Measure: m.ID, Point: p.ID, Round: round}]; omitted {
				said = append(said, fmt.Sprintf("%s, %s (%s) was left out: %s.", m.Title, p.Label, run.PhaseOf(round),
					reason))
			}
			said = append(said, farOut(r, m, &p, round)...)
		}
		for _, again := range r.Restarts {
			if again.Measure == m.ID && again.Point == p.ID {
				said = append(said, fmt.Sprintf("%s, %s (%s): the stage was started again at %s: %s.", m.Title, p.Label,
					run.PhaseOf(again.Round), again.At.Format("15:04"), strings.TrimRight(again.Again, ". ")))
			}
		}
		for _, reading := range r.Readings {
			if reading.Measure == m.ID && reading.Point == p.ID && reading.Withdrawn != "" {
				said = append(said, fmt.Sprintf("%s, %s (%s): a reading was withdrawn: %s.", m.Title, p.Label,
					reading.Phase, reading.Withdrawn))
			}
		}
	}
	return said
}
