package runview

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"northneedle/core/adjust"
	"northneedle/core/procedure"
	"northneedle/core/quantity"
	"northneedle/core/run"
)

// AnswerWords is an answer as a check puts it; tests: it is answered passed or failed.
func AnswerWords(tests bool, a run.Answer) string {
	if !tests {
		return string(a)
	}
	return map[run.Answer]string{run.Fine: "passed", run.NotFine: "failed", run.NA: "not fitted"}[a]
}

// statement is what is offered to be signed: by what it was verified, what was changed, and what came of it and why.
func statement(r run.Run, why string) string {
	if r.Procedure.Maintains {
		return maintained(r, why)
	}
	var made, outside []string
	touched := false
	for _, f := range r.Procedure.Findings() {
		state := r.Findings[f.ID]
		touched = touched || len(state.Adjustments) > 0
		if r.DeviceChanged(f) {
			made = append(made, madeWords(r, f)...)
		}
		for _, v := range state.Voided {
			if !v.Stands {
				outside = append(outside, f.Title+": "+strings.TrimRight(v.Cause, ". "))
			}
		}
	}
	what := "Nothing of the device was changed."
	switch {
	case len(made) > 0:
		what = "Changed: " + strings.Join(made, "; ") + "."
	case touched:
		what = "What was adjusted was wholly put back, or nothing was found: nothing of the device was changed."
	}
	if len(outside) > 0 {
		what += " As found was read again, because of a cause outside the device (" + strings.Join(outside, "; ") + ")."
	}
	said := fmt.Sprintf("Verified by “%s”, revision %d. %s %s.", r.Procedure.Title, r.Procedure.Revision, what,
		strings.TrimRight(strings.ToUpper(why[:1])+why[1:], ". "))
	return strings.Join(append([]string{said}, r.States()...), " ")
}

// maintained is the statement of a run that measured nothing: what was fitted, and what counters showed.
func maintained(r run.Run, why string) string {
	said := []string{fmt.Sprintf("Maintained by “%s”, revision %d.", r.Procedure.Title, r.Procedure.Revision)}
	var fitted []string
	for _, p := range r.Fitted() {
		fitted = append(fitted, p.Words())
	}
	if len(fitted) > 0 {
		said = append(said, "Fitted: "+strings.Join(fitted, "; ")+".")
	}
	for _, c := range r.Counts() {
		words := fmt.Sprintf("The counter showed %g %s", c.Shows, c.Of)
		if c.SetBack {
			words += " and was set back to 0"
		}
		said = append(said, words+".")
	}
	said = append(said, strings.TrimRight(strings.ToUpper(why[:1])+why[1:], ". ")+".")
	return strings.Join(append(said, r.States()...), " ")
}

// AsFound says in a sentence how the device was found.
func (v View) AsFound() string {
	var out []string
	all, together := 0, 0
	for _, m := range v.Measures {
		if v.About(m) != "" {
			for _, p := range m.Points {
				if p.Found != nil {
					together++
				}
			}
			continue
		}
		for _, p := range m.Points {
			if p.Found != nil {
				if all++; !p.Found.Pass {
					out = append(out, m.Title+" "+p.Label)
				}
			}
		}
	}
	whole := ""
	for _, f := range v.Findings {
		if f.FoundOut != "" {
			whole += fmt.Sprintf(" %s outside: %s.", f.Title, f.FoundOut)
		}
	}
	switch {
	case all == 0 && together > 0:
		return fmt.Sprintf("As found: %d points, judged together and not each by itself.%s", together, whole)
	case all == 0:
		return "As found: nothing was measured."
	case len(out) == 0:
		return fmt.Sprintf("As found: inside at all of %d points.%s", all, whole)
	}
	return fmt.Sprintf("As found: outside at %d of %d points (%s).%s", len(out), all, strings.Join(out, "; "), whole)
}

// About is what a measure is a statement about, where that is not the device; else empty.
func (v View) About(m MeasureView) string {
	for _, f := range v.Findings {
		if f.ID == m.Finding {
			return f.About
		}
	}
	return ""
}

// madeWords are the adjustments of a finding in words: round, control, place, and how much; or that a cause was looked for.
func madeWords(r run.Run, f *procedure.Finding) []string {
	said := []string{}
	for _, a := range r.Findings[f.ID].Adjustments {
		words := a.Note
		if i := slices.IndexFunc(f.Controls, func(c adjust.Control) bool { return c.ID == a.Control }); i >= 0 {
			at := a.Point
			if measure, point, found := strings.Cut(a.Point, "/"); found {
				if m := r.Procedure.Measure(measure); m != nil && m.Point(point) != nil {
					at = m.Title + " " + m.Point(point).Label
				}
			}
			words = f.Controls[i].Made(a.Steps, at)
			if a.Note != "" {
				words += " (" + a.Note + ")"
			}
		} else if a.Control == "" {
			words = "a cause was looked for: " + a.Note
			if a.Nothing {
				words = "a cause was looked for, and nothing of the device was changed: " + a.Note
			}
		}
		said = append(said, fmt.Sprintf("round %d: %s", a.Round, words))
	}
	return said
}

// sentence is text with a full stop behind it.
func sentence(text string) string { return strings.TrimRight(text, ". ") + "." }

// causesOf are a finding's likely causes of a shape, else those it names for any.
func causesOf(f *procedure.Finding, shape string) []string {
	if causes := f.Causes[shape]; len(causes) > 0 {
		return causes
	}
	return f.Causes["any"]
}

// ReassessedWords says what became of a point that was judged again, with its numbers.
func ReassessedWords(a run.Reassessment) string {
	accepted := func(pass bool) string {
		if pass {
			return "accepted"
		}
		return "not accepted"
	}
	return fmt.Sprintf("%s, %s: was %s, is %s. %s", a.Label, a.Phase, accepted(a.Before.Pass), accepted(a.After.Pass),
		Sentence(*a.After))
}

// WindowWords are the limits on what is shown: "20 to 200", "at most 60".
func WindowWords(v run.Verdict) string {
	bound := func(limit *float64) string { return quantity.Format(v.Reference+*limit, v.Resolution) }
	switch {
	case v.Low != nil && v.High != nil:
		return bound(v.Low) + " to " + bound(v.High)
	case v.High != nil:
		return "at most " + bound(v.High)
	case v.Low != nil:
		return "at least " + bound(v.Low)
	}
	return "no limit"
}

// Sentence is a verdict with its numbers, one digit finer than the display.
func Sentence(v run.Verdict) string {
	if v.Absent != "" {
		return "Outside: " + v.Absent + "."
	}
	fine := v.Resolution / 10
	words := v.Zone.Words()
	limit := "no limit"
	switch {
	case v.Low != nil && v.High != nil && math.Abs(*v.Low+*v.High) < 1e-12*(math.Abs(*v.High)+1):
		limit = "limit ±" + quantity.Format(*v.High, fine)
	case v.Low != nil && v.High != nil:
		limit = "limits " + quantity.FormatSigned(*v.Low, fine) + " and " + quantity.FormatSigned(*v.High, fine)
	case v.High != nil:
		limit = "limit " + quantity.FormatSigned(*v.High, fine)
	case v.Low != nil:
		limit = "limit " + quantity.FormatSigned(*v.Low, fine)
	}
	said := "Error " + quantity.FormatSigned(v.Error, fine)
	if v.Window {
		said, limit = quantity.Format(v.Indicated, v.Resolution), WindowWords(v)
	}
	text := fmt.Sprintf("%s. %s, %s, U %s", strings.ToUpper(words[:1])+words[1:], said, limit, quantity.Format(v.U, fine))
	if shown := quantity.ShowUnit(v.Unit); shown != "" {
		text += " " + shown
	}
	if v.TUR > 0 {
		text += fmt.Sprintf(" (TUR %.1f)", v.TUR)
	}
	text += "."
	if v.Jump != "" {
		text += " A jump: " + v.Jump + "."
	}
	return text
}
