package workshop

import "northneedle/core/run"

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

// Sentence makes an error's text stand as a sentence.
func Sentence(err error) string {
	runes := []rune(err.Error())
	if len(runes) > 0 && runes[0] >= 'a' && runes[0] <= 'z' {
		runes[0] += 'A' - 'a'
	}
	return string(runes) + "."
}
