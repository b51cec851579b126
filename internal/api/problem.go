package api

import (
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"net/http"
	"strings"

	"northneedle/core/run"
	"northneedle/internal/ledger"
	"northneedle/internal/workshop"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/validation"
)

// Problem is an error as RFC 9457 has it, with a code, the field, and for a
// conflict what happened since.
type Problem struct {
	Type   string     `json:"type,omitempty" doc:"a URI of the kind of problem"`
	Title  string     `json:"title"`
	Status int        `json:"status"`
	Detail string     `json:"detail" doc:"a sentence a technician understands: what happened, what was kept, what to do"`
	Code   string     `json:"code,omitempty"`
	Field  string     `json:"field,omitempty" doc:"the field it is about"`
	Seq    int        `json:"seq,omitempty" doc:"where the run is now"`
	Since  []Happened `json:"since,omitempty" doc:"what happened since the sequence that was expected"`
}

// Happened is an event in words, for a client whose copy of the run was out of date.
type Happened struct {
	Seq  int    `json:"seq"`
	Kind string `json:"kind"`
	By   string `json:"by"`
	At   string `json:"at"`
}

func (p *Problem) Error() string { return p.Detail }

func (p *Problem) GetStatus() int { return p.Status }

func (p *Problem) ContentType(string) string { return "application/problem+json" }

// write answers outside of huma's operations.
func (p *Problem) write(w http.ResponseWriter) {
	w.Header().Set("Content-Type", "application/problem+json")
	w.WriteHeader(p.Status)
	json.NewEncoder(w).Encode(p)
}

// useProblems makes huma's own errors problems too.
func useProblems() {
	huma.NewError = func(status int, message string, errs ...error) huma.StatusError {
		for _, err := range errs {
			if err != nil && strings.Contains(err.Error(), tooLarge) {
				status = http.StatusUnprocessableEntity
			}
		}
		p := &Problem{Status: status, Title: http.StatusText(status), Detail: message, Code: "request"}
		var details []string
		for _, err := range errs {
			if detailer, ok := err.(huma.ErrorDetailer); ok {
				d := detailer.ErrorDetail()
				field := strings.TrimPrefix(d.Location, "body.")
				p.Field = cmp.Or(p.Field, field)
				message := d.Message
				if message == fmt.Sprintf(validation.MsgExpectedMinLength, 1) {
					message = "is missing"
				}
				details = append(details, workshop.Mistake(field, message))
			} else if err != nil {
				details = append(details, err.Error())
			}
		}
		if len(details) > 0 {
			p.Title, p.Detail = "Not understood", strings.Join(details, "; ")+". Nothing was recorded."
		}
		return p
	}
	validation.MsgUnexpectedProperty = "is not known here"
	validation.MsgExpectedRFC3339Date = "is no day: write it as 2026-11-26"
	validation.MsgExpectedRFC3339DateTime = "is no time: write it as 2026-11-26T09:30:00Z"
	validation.MsgExpectedBoolean = "is true or false"
	validation.MsgExpectedNumber = "is a number"
	validation.MsgExpectedInteger = "is a whole number"
	validation.MsgExpectedString = "is a text"
	validation.MsgExpectedArray = "is a list"
	validation.MsgExpectedObject = "has parts of its own"
	validation.MsgExpectedOneOf = "is one of: %s"
	validation.MsgExpectedMinimumNumber = "is %v or more"
	validation.MsgExpectedMaximumNumber = "is %v or less"
	validation.MsgExpectedMinLength = "is too short: it has %d characters or more"
	validation.MsgExpectedMaxLength = "is too long: it has %d characters at most"
	validation.MsgExpectedMatchPattern = "is not written as it should be: %s"
	validation.MsgExpectedMinItems = "has too few: %d or more"
	validation.MsgExpectedMaxItems = "has too many: %d at most"
	validation.MsgExpectedRequiredProperty = "lacks “%s”"
}

// fail turns an error of the floors below into a problem.
func fail(err error) error {
	if err == nil {
		return nil
	}
	var refusal *run.Refusal
	var stale *ledger.Stale
	var problem *Problem
	switch {
	case errors.As(err, &problem):
		return problem
	case errors.As(err, &stale):
		p := &Problem{
			Status: http.StatusConflict,
			Title:  "The run has gone on",
			Detail: stale.Error(),
			Code:   "stale",
			Seq:    stale.Seq,
		}
		for _, e := range stale.Since {
			p.Since = append(p.Since, Happened{e.Seq, run.KindOf(e.Fact), e.By.Name, e.At.Format("15:04:05")})
		}
		return p
	case errors.As(err, &refusal):
		status := map[run.RefusalKind]int{run.Invalid: http.StatusUnprocessableEntity,
			run.Question: http.StatusUnprocessableEntity,
			run.Conflict: http.StatusConflict, run.Forbidden: http.StatusForbidden}[refusal.Kind]
		title := map[run.RefusalKind]string{
			run.Invalid:   "Not recorded",
			run.Question:  "Please confirm",
			run.Conflict:  "Not now",
			run.Forbidden: "Not yours to do",
		}[refusal.Kind]
		return &Problem{Status: status, Title: title, Detail: refusal.Message, Code: refusal.Code, Field: refusal.Field}
	case errors.Is(err, ledger.ErrUsed):
		return &Problem{
			Status: http.StatusConflict,
			Title:  "Not recorded",
			Detail: "The id of this entry was used for something else: load the page again, and enter it once more.",
			Code:   "id-used",
			Field:  "id",
		}
	case errors.Is(err, ledger.ErrExists):
		return &Problem{
			Status: http.StatusConflict,
			Title:  "Not recorded",
			Detail: "There is such a record already. Nothing was changed.",
			Code:   "exists",
		}
	case errors.Is(err, ledger.ErrNotFound):
		return &Problem{
			Status: http.StatusNotFound,
			Title:  "Not found",
			Detail: "There is no such record.",
			Code:   "not-found",
		}
	}
	slog.Error("request failed", "error", err)
	return &Problem{
		Status: http.StatusInternalServerError,
		Title:  "Something failed here",
		Detail: "The server could not do this: " + err.Error() + ". What was confirmed before is kept.",
		Code:   "internal",
	}
}
