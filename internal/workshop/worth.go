package workshop

import (
	"northneedle/core/economics"
	"northneedle/core/report"
	"northneedle/internal/ledger"
)

// WorthView is what a device's record fills in of the question whether it is worth
// calibrating.
type WorthView struct {
	Tag    string             `json:"tag"`
	Device string             `json:"device"`
	Case   economics.Case     `json:"case" doc:"0 where nothing is known"`
	Known  []economics.Filled `json:"known" doc:"what the record knows of it, and from what"`
}

// failing are the notes that count as a failure of a device.
var failing = []string{"repair", "fall"}

// Worth is what a device costs and whether to go on with it, of what the record knows.
func (ws *Workshop) Worth(id string) (WorthView, error) {
	a, err := ws.Ledger.Asset(id)
	if err != nil {
		return WorthView{}, err
	}
	v := WorthView{Tag: a.Tag, Device: a.Maker + " " + a.Model}
	lab, err := ws.Lab()
	if err != nil {
		return v, err
	}
	var prices report.Prices
	if err := ws.Ledger.Setting("prices", &prices); err != nil {
		return v, err
	}
	r := economics.Record{Risk: a.Risk, LeastTUR: lab.Rule.TURFloor, Hour: prices.Hour, Outside: prices.Certificate,
		Paid: a.Price}
	for _, p := range ws.procedures() {
		for _, role := range p.Roles {
			r.Compares = r.Compares || role.Kind == a.Family
		}
	}
	if err := ws.worthActivities(a, &r); err != nil {
		return v, err
	}
	if err := ws.worthRuns(a, &r); err != nil {
		return v, err
	}
	v.Case, v.Known = r.Case()
	return v, nil
}

// worthActivities takes the rhythm and the hours from what recurs on a device.
func (ws *Workshop) worthActivities(a ledger.Asset, r *economics.Record) error {
	all, err := ws.Ledger.Activities(a.ID)
	if err != nil {
		return err
	}
	day, err := ws.workingDay()
	if err != nil {
		return err
	}
	for _, one := range all {
		n := one.Duty.Calendar()
		if p := ws.procedureOf(one.Procedure); p != nil && p.Shared { // an electrical safety test is no calibration
			continue
		}
		if one.Procedure == "" || one.Duty.Maintains || n == 0 || r.Days > 0 && n < r.Days {
			continue
		}
		r.Days, r.Hours = n, ws.estimate(one.Procedure, day).Hours() // the rarest one is the calibration; the others are checks
	}
	return nil
}

// worthRuns takes the ratio, the failures and the years from a device's history.
func (ws *Workshop) worthRuns(a ledger.Asset, r *economics.Record) error {
	runs, err := ws.Ledger.RunsOf(a.ID, mostRuns)
	if err != nil {
		return err
	}
	for _, run := range runs { // the newest first
		if p := ws.procedureOf(run.Procedure); run.EndedAt == nil || p != nil && p.Shared {
			continue
		}
		r.Years = ws.Clock().Sub(run.OpenedAt).Hours() / 24 / 365.25
		if run.Result != "" && !run.Result.Passed() {
			r.Failures++
		}
		if r.TUR > 0 || run.Paper {
			continue
		}
		made, err := ws.Ledger.Run(run.ID)
		if err != nil {
			return err
		}
		r.TUR, r.At = made.LeastRatio()
	}
	events, err := ws.Ledger.CountEvents(a.ID, failing)
	r.Failures += events
	return err
}
