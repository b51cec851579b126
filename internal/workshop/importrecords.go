package workshop

import (
	"errors"
	"fmt"
	"maps"
	"slices"
	"time"

	"northneedle/core/duty"
	"northneedle/core/person"
	"northneedle/core/procedure"
	"northneedle/core/run"
	"northneedle/internal/exchange"
	"northneedle/internal/ledger"
)

// importRecords are the records of an import: a device comes with what recurs on it, as the list says it stands. changed are
// duties that are there already, and were done by what a history says.
func (ws *Workshop) importRecords(file *exchange.Import, reason string, who person.Person) (records, changed []any, err error) {
	now := ws.Clock()
	today := dayOf(now)
	var meanwhile *run.Refusal
	people, err := ws.personList(who)
	if err != nil {
		return nil, nil, err
	}
	newest := map[string]map[string]time.Time{} // of what was passed, by device and title
	for _, row := range file.Rows {
		switch {
		case row.Known != "":
		case row.Competence != nil:
			c, err := people.competence(*row.Competence)
			if err != nil && !errors.As(err, &meanwhile) {
				return nil, nil, err
			}
			records = append(records, &c)
		case row.Asset != nil:
			records = append(records, row.Asset)
			duties := duty.DutiesOf(ws.templates(), row.Asset.Family, row.Asset.Maker+" "+row.Asset.Model)
			main := duty.Main(duties)
			for i, d := range duties {
				a := ledger.NewActivity(row.Asset.ID+"-"+d.ID, *row.Asset, d, today, "first time after it was imported")
				if i == main {
					if err := keptUp(a, row.Upkeep, who.Name, now); err != nil {
						return nil, nil, err
					}
				}
				records = append(records, a)
			}
		case row.Standard != nil:
			records = append(records, row.Standard)
			for i := range row.Certificates {
				records = append(records, &row.Certificates[i])
			}
		default:
			if row.Run != nil {
				records = append(records, row.Run)
				if of := row.Run.AssetID; row.Run.Result.Passed() {
					if newest[of] == nil {
						newest[of] = map[string]time.Time{}
					}
					if on := *row.Run.EndedAt; on.After(newest[of][row.Run.Title]) {
						newest[of][row.Run.Title] = on
					}
				}
			}
			if row.Result != nil {
				records = append(records, row.Result)
			}
		}
	}
	if changed, err = ws.doneBefore(newest); err != nil {
		return nil, nil, err
	}
	updates, err := ws.updates(file, reason, who, func(row exchange.Row, why *run.Refusal) { meanwhile = why })
	for _, u := range updates {
		if len(u.changes) > 0 {
			changed = append(changed, u.records()...)
		}
	}
	if meanwhile != nil {
		err = errors.Join(err, invalid(meanwhile.Field,
			meanwhile.Message+" That changed since the list was read: read it again."))
	}
	return records, changed, err
}

// keptUp brings a duty to where a list says it stands.
func keptUp(a *ledger.Activity, u exchange.Upkeep, by string, now time.Time) error {
	if u.Months > 0 && u.Months != a.Duty.Months && !(a.Duty.Fixed && u.Months > a.Duty.Months) {
		a.Duty.Months, a.Duty.Days = u.Months, 0
		a.Accepted = ledger.AcceptedInterval{Because: "As the imported list says.", By: by, On: &now}
	}
	r := a.Recurring()
	if u.Last != nil {
		if err := r.Done(*u.Last); err != nil {
			return err
		}
	}
	if u.Due != nil {
		r.DueOn, r.Reason = *u.Due, "the day that the imported list says"
	}
	a.Adopt(r)
	return nil
}

// doneBefore are the duties that imported histories say were done. That sets days, and lifts nothing.
func (ws *Workshop) doneBefore(newest map[string]map[string]time.Time) (changed []any, err error) {
	titles := map[string]string{}
	for _, p := range ws.procedures() {
		titles[p.ID] = procedure.Slug(p.Title)
	}
	for ids := range slices.Chunk(slices.Sorted(maps.Keys(newest)), statesAtOnce) {
		devices, err := ws.Ledger.AssetsOf(ids...)
		if err != nil {
			return nil, err
		}
		of, err := ws.activitiesOf(ids...)
		if err != nil {
			return nil, err
		}
		for _, id := range ids {
			touched := map[int]bool{}
			for title, on := range newest[id] {
				i := dutyOf(of[id], procedure.Slug(title), titles, ws.mainDuty(devices[id]))
				if i < 0 {
					continue
				}
				r := of[id][i].Recurring()
				if accept := devices[id].AcceptFrom; accept != nil && on.After(*accept) {
					continue // no paper accepts a device
				}
				if r.LastOn != nil && !on.After(*r.LastOn) || r.Undone.At != nil && !on.After(*r.Undone.At) {
					continue
				}
				if err := r.Done(on); err != nil {
					return nil, err
				}
				r.Reason = fmt.Sprintf("%s; by the history of %s", r.Reason, on.Format(time.DateOnly))
				of[id][i].Adopt(r)
				touched[i] = true
			}
			for _, i := range slices.Sorted(maps.Keys(touched)) {
				changed = append(changed, &of[id][i])
			}
		}
	}
	return changed, nil
}

// mainDuty is the main duty of a kind of device, by its id; empty where it has none.
func (ws *Workshop) mainDuty(a ledger.Asset) string {
	duties := duty.DutiesOf(ws.templates(), a.Family, a.Maker+" "+a.Model)
	if i := duty.Main(duties); i >= 0 {
		return duties[i].ID
	}
	return ""
}

// dutyOf is the place of the duty that a run of some title does: the one of that title, or by the procedure of that
// title; else the main one. It is -1 where none does.
func dutyOf(all []ledger.Activity, title string, titles map[string]string, main string) int {
	i := slices.IndexFunc(all, func(a ledger.Activity) bool {
		return procedure.Slug(a.Title) == title || a.Procedure != "" && (a.Procedure == title || titles[a.Procedure] == title)
	})
	if i >= 0 {
		return i
	}
	return slices.IndexFunc(all, func(a ledger.Activity) bool { return a.Duty.ID == main && main != "" })
}
