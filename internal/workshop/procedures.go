package workshop

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"northneedle/core/procedure"
	"northneedle/core/run"
	"northneedle/internal/definition"
	"northneedle/internal/ledger"

	"github.com/pmezard/go-difflib/difflib"
)

// ProcedureView is a procedure in the list.
type ProcedureView struct {
	ID       string        `json:"id"`
	Revision int           `json:"revision"`
	Title    string        `json:"title"`
	Family   string        `json:"family"`
	Summary  string        `json:"summary"`
	Steps    int           `json:"steps"`
	Points   int           `json:"points"`
	Minutes  int           `json:"minutes" doc:"about how long a run takes: an estimate"`
	Measures []MeasureName `json:"measures" doc:"what it reads"`
	Schools  []string      `json:"schools" doc:"whose tolerances it knows"`
	Own      bool          `json:"own" doc:"it was written or changed here"`
	Coming   int           `json:"coming,omitempty" doc:"revision that is released for a day to come"`
	From     Day           `json:"from,omitempty" format:"date" doc:"that day"`
}

// MeasureName is a measure of a procedure.
type MeasureName struct {
	ID    string `json:"id"`
	Title string `json:"title"`
	Unit  string `json:"unit" doc:"UCUM"`
}

// procedureView is a procedure as it stands in the list.
func (ws *Workshop) procedureView(p *procedure.Procedure, hands procedure.HandlingTimes) ProcedureView {
	v := ProcedureView{
		ID:       p.ID,
		Revision: p.Revision,
		Title:    p.Title,
		Family:   p.Family,
		Summary:  p.Summary,
		Steps:    len(p.Steps),
		Minutes:  up(p.Estimate(hands).Total()),
		Schools:  []string{},
		Measures: []MeasureName{},
		Own:      !shipped(p),
	}
	for _, m := range p.Measures() {
		v.Measures = append(v.Measures, MeasureName{m.ID, m.Title, m.Unit})
		v.Points += len(m.Points)
		for _, school := range m.Alternatives {
			if !slices.Contains(v.Schools, school.Title) {
				v.Schools = append(v.Schools, school.Title)
			}
		}
	}
	if next, comes := ws.comes(p.ID); comes {
		v.Coming, v.From = next.Revision, Day(next.from.Format(time.DateOnly))
	}
	return v
}

// ProcedureText is a procedure as it is written.
type ProcedureText struct {
	Text string `json:"text" maxLength:"600000"`
}

// ProcedureMistake is one thing that is wrong with a procedure.
type ProcedureMistake struct {
	Line    int    `json:"line" doc:"0 where it has none"`
	Field   string `json:"field" doc:"steps[2].points[0].at; empty where it is about no field"`
	Message string `json:"message"`
}

// ProcedureCheck is what is wrong with a procedure as it is written, and what it is.
type ProcedureCheck struct {
	Mistakes []ProcedureMistake `json:"mistakes" doc:"none: it can be used"`
	ID       string             `json:"id,omitempty"`
	Title    string             `json:"title,omitempty"`
	Family   string             `json:"family,omitempty"`
	Revision int                `json:"revision,omitempty"`
	Points   int                `json:"points"`
	Minutes  int                `json:"minutes" doc:"about how long a run takes: an estimate"`
}

// DryRun is what an edited procedure would do.
type DryRun struct {
	ProcedureCheck
	Before  int        `json:"before,omitempty" doc:"revision in use now"`
	Diff    []DiffLine `json:"diff" doc:"against the one in use"`
	Result  run.Result `json:"result,omitempty" doc:"of a run by the book against healthy stand-ins"`
	Stopped string     `json:"stopped,omitempty" doc:"what that run came to a stop at"`
	New     bool       `json:"new" doc:"no procedure of this id is in use yet"`
}

// DiffLine is a line that was added, taken out, or stayed.
type DiffLine struct {
	Kind string `json:"kind" enum:"same,added,removed"`
	Text string `json:"text"`
}

// ProcedureText is a procedure in use as it is written.
func (ws *Workshop) ProcedureText(id string) (string, error) {
	p, known := ws.procedure(id)
	if !known {
		return "", ledger.ErrNotFound
	}
	return p.Text, nil
}

// readProcedure reads what somebody wrote; without mistakes there is a procedure.
func readProcedure(text string) (*procedure.Procedure, []ProcedureMistake) {
	const file = "procedure.yaml"
	p, err := definition.Read(file, []byte(text))
	if err == nil {
		err = definition.Meets(file, []byte(text))
	}
	if err == nil {
		return p, []ProcedureMistake{}
	}
	all := []error{err}
	if several, are := err.(interface{ Unwrap() []error }); are {
		all = several.Unwrap()
	}
	mistakes := make([]ProcedureMistake, len(all))
	for i, one := range all {
		mistakes[i].Message = one.Error()
		if m := (definition.Mistake{}); errors.As(one, &m) {
			mistakes[i] = ProcedureMistake{m.Line, m.Field, m.Message}
		}
	}
	return nil, mistakes
}

// CheckProcedure says what is wrong with a procedure as it is written.
func (ws *Workshop) CheckProcedure(text string) (ProcedureCheck, error) {
	_, check, err := ws.checked(text)
	return check, err
}

func (ws *Workshop) checked(text string) (*procedure.Procedure, ProcedureCheck, error) {
	p, mistakes := readProcedure(text)
	check := ProcedureCheck{Mistakes: mistakes}
	if p == nil {
		return nil, check, nil
	}
	day, err := ws.workingDay()
	if err != nil {
		return nil, check, err
	}
	check.ID, check.Title, check.Family, check.Revision = p.ID, p.Title, p.Family, p.Revision
	check.Minutes = up(p.Estimate(day.Hands).Total())
	for _, m := range p.Measures() {
		check.Points += len(m.Points)
	}
	return p, check, nil
}

// DryRun tries a procedure on simulated devices.
func (ws *Workshop) DryRun(text string) (DryRun, error) {
	p, check, err := ws.checked(text)
	tried := DryRun{ProcedureCheck: check, Diff: []DiffLine{}}
	if err != nil || p == nil {
		return tried, err
	}
	now, known := ws.procedure(p.ID)
	if tried.New = !known; known {
		tried.Diff, tried.Before = diff(now.Text, text), now.Revision
	}
	if !known || now.Text != text {
		highest, err := ws.highest(p.ID)
		if err != nil {
			return tried, err
		}
		if p.Revision <= highest {
			tried.Mistakes = append(tried.Mistakes, taken(p, highest))
			return tried, nil
		}
	}
	lab, err := ws.Lab()
	if err != nil {
		return tried, err
	}
	view, err := ws.TryOut(p, lab, ws.Clock())
	if err != nil {
		tried.Stopped = err.Error()
	} else {
		tried.Result = view.Result
	}
	return tried, nil
}

// taken is the mistake of a revision's number that was given already.
func taken(p *procedure.Procedure, highest int) ProcedureMistake {
	return ProcedureMistake{Field: "revision", Message: fmt.Sprintf("%d was given already: give this one %d", p.Revision, highest+1)}
}

// highest is the highest revision of a procedure that was ever kept, is in use or is to come; 0 where there is none.
func (ws *Workshop) highest(id string) (n int, err error) {
	kept, err := ws.Ledger.RevisionsOf(id)
	if err != nil {
		return 0, err
	}
	for _, r := range kept {
		n = max(n, r.Revision)
	}
	if p, known := ws.procedure(id); known {
		n = max(n, p.Revision)
	}
	return n, nil
}

// diff is the lines that changed from one text to another, with two around each.
func diff(before, after string) []DiffLine {
	a, b := strings.Split(before, "\n"), strings.Split(after, "\n")
	lines := []DiffLine{}
	for _, group := range difflib.NewMatcher(a, b).GetGroupedOpCodes(2) {
		for _, op := range group {
			if op.Tag == 'e' {
				for _, text := range a[op.I1:op.I2] {
					lines = append(lines, DiffLine{"same", text})
				}
				continue
			}
			for _, text := range a[op.I1:op.I2] {
				lines = append(lines, DiffLine{"removed", text})
			}
			for _, text := range b[op.J1:op.J2] {
				lines = append(lines, DiffLine{"added", text})
			}
		}
	}
	return lines
}
