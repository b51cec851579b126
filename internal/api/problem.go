package api

import (
	"encoding/json"
	"errors"
	"log/slog"
	"net/http"
	"strings"

	"northneedle/core/procedure"
	"northneedle/internal/ledger"

	"github.com/danielgtaylor/huma/v2"
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

// Happened is an event in words, for someone whose screen was behind.
type Happened struct {
	Seq  int    `json:"seq"`
	Kind string `json:"kind"`
	By   string `json:"by"`
	At   string `json:"at"`
}

func (p *Problem) Error() string             { return p.Detail }
func (p *Problem) GetStatus() int            { return p.Status }
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
		p := &Problem{Status: status, Title: http.StatusText(status), Detail: message, Code: "request"}
		var details []string
		for _, err := range errs {
			if detailer, ok := err.(huma.ErrorDetailer); ok {
				d := detailer.ErrorDetail()
				p.Field = strings.TrimPrefix(d.Location, "body.")
				details = append(details, strings.TrimSpace(p.Field+" "+d.Message))
			} else if err != nil {
				details = append(details, err.Error())
			}
		}
		if len(details) > 0 {
			p.Detail = "The request was not understood: " + strings.Join(details, "; ") + ". Nothing was recorded."
		}
		return p
	}
}

// fail turns an error of the floors below into a problem.
func fail(err error) error {
	if err == nil {
		return nil
	}
	var refusal *procedure.Refusal
	var stale *ledger.Stale
	var problem *Problem
	switch {
	case errors.As(err, &problem):
		return problem
	case errors.As(err, &stale):
		p := &Problem{Status: http.StatusConflict, Title: "The run has gone on", Detail: stale.Error(), Code: "stale", Seq: stale.Seq}
		for _, e := range stale.Since {
			p.Since = append(p.Since, Happened{e.Seq, e.Fact.Kind(), e.By.Name, e.At.Format("15:04:05")})
		}
		return p
	case errors.As(err, &refusal):
		status := map[procedure.RefusalKind]int{procedure.Invalid: http.StatusUnprocessableEntity, procedure.Question: http.StatusUnprocessableEntity,
			procedure.Conflict: http.StatusConflict, procedure.Forbidden: http.StatusForbidden}[refusal.Kind]
		title := map[procedure.RefusalKind]string{procedure.Invalid: "Not recorded", procedure.Question: "Please confirm", procedure.Conflict: "Not now", procedure.Forbidden: "Not yours to do"}[refusal.Kind]
		return &Problem{Status: status, Title: title, Detail: refusal.Message, Code: refusal.Code, Field: refusal.Field}
	case errors.Is(err, ledger.ErrNotFound):
		return &Problem{Status: http.StatusNotFound, Title: "Not found", Detail: "There is no such record.", Code: "not-found"}
	}
	slog.Error("request failed", "error", err)
	return &Problem{Status: http.StatusInternalServerError, Title: "Something failed here", Detail: "The server could not do this: " + err.Error() + ". What was confirmed before is kept.", Code: "internal"}
}

// invalid is a problem with one field.
func invalid(field, detail string) error {
	return &Problem{Status: http.StatusUnprocessableEntity, Title: "Not recorded", Detail: detail, Code: "invalid", Field: field}
}
