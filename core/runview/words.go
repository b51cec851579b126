package runview

import (
	"fmt"
	"math"
	"strings"

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

// Sentence is a verdict with its numbers, one digit finer than the display.
func Sentence(v run.Verdict) string {
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
	text := fmt.Sprintf("%s. Error %s, %s, U %s", strings.ToUpper(words[:1])+words[1:],
		quantity.FormatSigned(v.Error, fine), limit, quantity.Format(v.U, fine))
	if shown := quantity.ShowUnit(v.Unit); shown != "" {
		text += " " + shown
	}
	if v.TUR > 0 {
		text += fmt.Sprintf(" (TUR %.1f)", v.TUR)
	}
	return text + "."
}
