package workshop

import (
	"slices"

	"northneedle/core/duty"
	"northneedle/internal/ledger"
)

// takeProceduresOver gives what was noted by hand and measures nothing the procedure that its template has got meanwhile.
// When it is due, and how often, stays.
func (ws *Workshop) takeProceduresOver() error {
	byHand, err := ws.Ledger.ByHand()
	if err != nil || len(byHand) == 0 {
		return err
	}
	duties := map[string][]duty.Duty{} // by family and model
	records := []any{}
	for i := range byHand {
		a := &byHand[i]
		model := a.Maker + " " + a.Model
		all, known := duties[a.Family+"|"+model]
		if !known {
			all = duty.DutiesOf(ws.templates(), a.Family, model)
			duties[a.Family+"|"+model] = all
		}
		at := slices.IndexFunc(all, func(d duty.Duty) bool { return d.Maintains && d.ID == a.Duty.ID })
		if at < 0 || a.Duty.Outside {
			continue
		}
		a.Procedure, a.Duty.Procedure, a.Duty.Maintains = all[at].Procedure, all[at].Procedure, true
		if a.Duty.Uses > 0 {
			a.Duty.Unit = all[at].Unit
		}
		records = append(records, &a.Activity)
	}
	if len(records) == 0 {
		return nil
	}
	return ws.Ledger.Record(ws.act("", "procedures of maintenance taken over", ledger.Nobody, ""), records...)
}
