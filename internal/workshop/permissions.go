package workshop

import (
	"northneedle/core/person"
	"northneedle/core/run"
)

// NotYours is the refusal of an action in the table's words.
func NotYours(a person.Action) error {
	return &run.Refusal{Kind: run.Forbidden, Code: "not-yours", Message: person.RefusalOf(a)}
}

// mayDo is nil where whoever makes the request may do something: for what only part of an
// operation asks for.
func mayDo(who person.Person, a person.Action) error {
	if person.Can(who.Role, a) {
		return nil
	}
	return NotYours(a)
}
