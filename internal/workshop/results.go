package workshop

import (
	"errors"
	"slices"
	"strings"
	"time"

	"northneedle/core/duty"
	"northneedle/core/procedure"
	"northneedle/core/run"
	"northneedle/core/runview"
	"northneedle/internal/ledger"
)

// answer is the answer to a check, with what the record says where the check reads it.
func (ws *Workshop) answer(id string, b CommandBody) (run.Command, error) {
	c := run.AnswerCheck{Step: b.Step, Answer: run.Answer(b.Answer), Note: b.Note}
	r, err := ws.Ledger.Run(id)
	if err != nil {
		return nil, err
	}
	if check, ok := r.Procedure.Step(b.Step).(*procedure.CheckStep); ok && check.Reads != "" {
		known, err := ws.known(r, check)
		if err != nil {
			return nil, err
		}
		c.Known = &known
	}
	return c, nil
}

// readResults says at each check that reads the record what the record says now.
func (ws *Workshop) readResults(r run.Run, view *runview.View) {
	for i := range view.Steps {
		check, ok := r.Procedure.Step(view.Steps[i].ID).(*procedure.CheckStep)
		if !ok || check.Reads == "" || view.Steps[i].Done {
			continue
		}
		if known, err := ws.known(r, check); err == nil {
			view.Steps[i].Known = &known
		}
	}
}

// known is what the record says of what a check reads.
func (ws *Workshop) known(r run.Run, check *procedure.CheckStep) (run.Known, error) {
	if check.ReadsControls() {
		return ws.knownControls(r)
	}
	all, err := ws.Ledger.Activities(r.Device.ID)
	if err != nil {
		return run.Known{}, err
	}
	title := check.Reads
	if at := slices.IndexFunc(ws.procedures(), func(p *procedure.Procedure) bool { return p.ID == check.Reads }); at >= 0 {
		title = ws.procedures()[at].Title
	}
	at := slices.IndexFunc(all, func(a ledger.Activity) bool { return a.Procedure == check.Reads })
	if at < 0 {
		return run.Known{Words: title + " is no duty of this device: it was never done here."}, nil
	}
	stands := all[at].Duty.Stands(all[at].State(), ws.Clock())
	words := title + ": " + stands.Words
	if last := all[at].LastOn; last != nil {
		words += ", done on " + last.Format(time.DateOnly)
	}
	return run.Known{Words: words + ".", Good: stands.Status == duty.Valid || stands.Status == duty.Expiring}, nil
}

// knownControls is how the controls of what a run's procedure calibrates stand on the device.
func (ws *Workshop) knownControls(r run.Run) (run.Known, error) {
	known := run.Known{Good: true}
	var words []string
	for _, analyte := range r.Procedure.Calibrates {
		chart, err := ws.ControlChart(r.Device.Tag, analyte, 30)
		switch {
		case errors.Is(err, ledger.ErrNotFound) || err == nil && chart.Analyte != analyte:
			words, known.Good = append(words, "No control of "+analyte+" is kept on this device."), false
		case err != nil:
			return known, err
		case len(chart.Runs) == 0 || chart.Runs[len(chart.Runs)-1].At.Before(r.OpenedAt):
			words, known.Good = append(words, "No control of "+analyte+" was recorded since this run began."), false
		default:
			words, known.Good = append(words, "Control of "+analyte+": "+chart.Words), known.Good && !chart.Blocked
		}
	}
	known.Words = strings.Join(words, " ")
	return known, nil
}
