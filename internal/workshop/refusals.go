package workshop

import (
	"northneedle/core/run"
)

// Mistake says what is wrong with a field.
func Mistake(field, message string) string {
	if field == "" {
		field = "request"
	}
	return "“" + field + "” " + message
}

// invalid is the refusal of one field, with the way out.
func invalid(field, detail string) error {
	return &run.Refusal{Kind: run.Invalid, Code: "invalid", Field: field, Message: detail}
}
