package workshop

import (
	"slices"

	"northneedle/core/device"
	"northneedle/internal/ledger"
)

// states say how devices stand, by their ids: the one place that every screen, label, calendar, list and report asks.
func (ws *Workshop) states(ids ...string) (map[string]device.Standing, error) {
	facts, err := ws.facts(ids...)
	all := make(map[string]device.Standing, len(facts))
	for id, f := range facts {
		all[id] = device.Of(f, ws.Clock())
	}
	return all, err
}

// state says how one device stands.
func (ws *Workshop) state(id string) (device.Standing, error) {
	all, err := ws.states(id)
	return all[id], err
}

// stateInRun is [Workshop.state] for the bench, where every reading of a run asks: what is known of the device is remembered
// until records change. What another program wrote is seen with the next command.
func (ws *Workshop) stateInRun(id string) (device.Standing, error) {
	facts, err := ledger.RememberRecords(ws.Ledger, "facts of "+id, func() (map[string]device.Facts,
		error) {
		return ws.facts(id)
	})
	if f, known := facts[id]; known {
		return device.Of(f, ws.Clock()), err
	}
	return device.Standing{}, err
}

// facts are what is known of devices, by their ids.
func (ws *Workshop) facts(ids ...string) (map[string]device.Facts, error) {
	facts, err := ws.Ledger.DeviceFacts(ids...)
	if err != nil {
		return nil, err
	}
	controlled, err := ws.Ledger.WithControls(ids...)
	if err != nil {
		return nil, err
	}
	day, err := ws.workingDay()
	if err != nil {
		return nil, err
	}
	notices, err := ws.noticesOn(ids)
	if err != nil {
		return nil, err
	}
	eachUse := map[string]bool{}
	for _, p := range ws.procedures() {
		eachUse[p.ID] = p.Next.Each != "" && !p.Maintains
	}
	for id, f := range facts {
		f.Grace, f.Notices = day.Grace, notices[id]
		for i := range f.Last {
			f.Last[i].EachUse = eachUse[f.Last[i].Procedure]
		}
		if controlled[id] {
			blocks, err := ws.blocked(id)
			if err != nil {
				return nil, err
			}
			for _, b := range blocks {
				f.Rejected = append(f.Rejected, device.Rejection{Analyte: b.Analyte, Words: b.Words})
			}
		}
		facts[id] = f
	}
	return facts, nil
}

// liftedBy are the titles of the procedures that can lift what keeps a device from use.
func (ws *Workshop) liftedBy(s device.Standing) (titles []string) {
	for _, p := range ws.procedures() {
		if slices.Contains(s.Lifts, p.ID) {
			titles = append(titles, p.Title)
		}
	}
	return titles
}
