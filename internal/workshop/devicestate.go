package workshop

import (
	"slices"

	"northneedle/core/device"
)

// states say how devices stand, by their ids: the one place that every screen, label, calendar, list and report asks.
func (ws *Workshop) states(ids ...string) (map[string]device.Standing, error) {
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
	eachUse := map[string]bool{}
	for _, p := range ws.procedures() {
		eachUse[p.ID] = p.Next.Each != ""
	}
	now, all := ws.Clock(), make(map[string]device.Standing, len(facts))
	for id, f := range facts {
		f.Grace = day.Grace
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
		all[id] = device.Of(f, now)
	}
	return all, nil
}

// state says how one device stands.
func (ws *Workshop) state(id string) (device.Standing, error) {
	all, err := ws.states(id)
	return all[id], err
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
