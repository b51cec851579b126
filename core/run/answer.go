package run

import (
	"strings"

	"northneedle/core/procedure"
)

// AnswerCheck answers a check, or acknowledges the cautions.
type AnswerCheck struct {
	Step   string
	Answer Answer
	Note   string
	Known  *Known // what the record says now, where the check reads it
}

// Known is what the record says of something that a check reads.
type Known struct {
	Words string `json:"words"`
	Good  bool   `json:"good"`
}

func (c AnswerCheck) decide(r Run, o Order) ([]Fact, error) {
	found, err := r.step(c.Step, procedure.StepCheck, procedure.StepCautions)
	if err != nil {
		return nil, err
	}
	step := found.Base()
	switch c.Answer {
	case Fine:
		if check, reads := found.(*procedure.CheckStep); reads && check.Reads != "" && (c.Known == nil || !c.Known.Good) {
			words := "Nothing is recorded of it."
			if c.Known != nil {
				words = c.Known.Words
			}
			return nil, refuse(Conflict, "not-so", "answer", "%s: the record does not say so. %s Do that first, or answer what is so.",
				step.Title, words)
		}
	case NotFine, NA:
		if found.Kind() == procedure.StepCautions {
			return nil, refuse(Invalid, "cautions", "answer",
				"The cautions are acknowledged as a whole, or the run does not go on.")
		}
		if strings.TrimSpace(c.Note) == "" {
			what := map[Answer]string{NotFine: "what is not fine", NA: "why it does not apply"}[c.Answer]
			return nil, refuse(Invalid, "note-needed", "note", "%s: say in a note %s. It stands on the certificate.", step.Title, what)
		}
	default:
		return nil, refuse(Invalid, "answer", "answer", "%s: answer fine, not fine or does not apply.", step.Title)
	}
	answered := CheckAnswered{Step: c.Step, Answer: c.Answer, Note: strings.TrimSpace(c.Note)}
	if c.Known != nil {
		answered.Read = c.Known.Words
	}
	facts := []Fact{answered}
	if c.Answer == Fine {
		facts = append(facts, r.ends(found)...)
	}
	return facts, nil
}
