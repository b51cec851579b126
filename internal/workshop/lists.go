package workshop

import (
	"context"
	"errors"
	"iter"
	"time"

	"northneedle/core/device"
	"northneedle/core/duty"
	"northneedle/internal/exchange"
	"northneedle/internal/ledger"
)

// ListFile is a whole list as a file of a format: csv, xlsx or json. Of the equipment, it is the devices that are meant.
func (ws *Workshop) ListFile(ctx context.Context, list, format string, q AssetQuery) (f File, err error) {
	table, err := ws.list(ctx, list, q)
	if err != nil {
		return f, err
	}
	return ws.tableFile(table, list, format)
}

// tableFile is a table as a file of a format: csv, xlsx or json.
func (ws *Workshop) tableFile(table exchange.Table, list, format string) (f File, err error) {
	f = File{Name: list + "-" + ws.Clock().Format(time.DateOnly) + "." + format, Save: true}
	switch format {
	case "xlsx":
		f.Type = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"
		f.Body, err = table.XLSX()
	case "json":
		f.Type = "application/json"
		f.Body, err = table.JSON()
	default:
		f.Type = "text/csv; charset=utf-8"
		f.Body, err = table.CSV()
	}
	return f, err
}

// list is a whole list; what it hands out of equipment, references and instruments can be imported again.
func (ws *Workshop) list(ctx context.Context, name string, q AssetQuery) (exchange.Table, error) {
	switch name {
	case "equipment":
		every := ws.Ledger.EveryAsset()
		if q != (AssetQuery{}) {
			_, found, err := ws.found(ctx, q, 0, 0)
			if err != nil {
				return exchange.Table{}, err
			}
			every = func(yield func(ledger.Asset, error) bool) {
				for _, a := range found {
					if !yield(a, nil) {
						return
					}
				}
			}
		}
		recurring := map[string][]ledger.Activity{}
		return exchange.Table{Name: name, Columns: []string{"tag", "serial", "maker", "model", "family", "site",
			"place", "owner", "keeper", "status", "risk", "last_done", "months", "next_due",
			"software", "set_up", "supplier", "bought", "price", "warranty", "stands", "why"},
			Rows: rowsWithStates(ws, every, func(a ledger.Asset) string { return a.ID },
				func(ids []string) error {
					all, err := ws.Ledger.Activities(ids...)
					clear(recurring)
					for _, a := range all {
						recurring[a.AssetID] = append(recurring[a.AssetID], a)
					}
					return err
				},
				func(a ledger.Asset, s device.Standing) []any {
					u := ws.upkeep(a, recurring[a.ID])
					status := a.Status
					if s.State == device.NotYetAccepted {
						status = string(s.State)
					}
					return []any{a.Tag, a.Serial, a.Maker, a.Model, a.Family, a.Site, a.Place, a.Owner, a.Keeper,
						status, a.Risk,
						exchange.Day(u.Last), exchange.Filled(u.Months), exchange.Day(u.Due), a.Software,
						a.SetUp, a.Supplier, exchange.Day(a.Bought), exchange.Filled(a.Price), exchange.Day(a.Warranty), s.State, s.Words}
				})}, nil
	case "references":
		return ws.referenceList()
	case "instruments":
		return ws.instrumentTable()
	case "histories":
		return ws.historyList(), nil
	case "competences":
		return ws.competenceTable()
	}
	return exchange.Table{Name: name, Columns: []string{"tag", "title", "due", "risk", "maker", "model", "family",
		"site", "place", "status", "reason", "why"},
		Rows: rowsWithStates(ws, ws.Ledger.EveryDue(ws.Clock().AddDate(1, 0, 0)),
			func(d ledger.Due) string { return d.AssetID },
			func([]string) error { return nil },
			func(d ledger.Due, s device.Standing) []any {
				return []any{d.Tag, d.Title, d.DueOn, d.Risk, d.Maker, d.Model, d.Family, d.Site, d.Place, s.State, d.Reason,
					s.Words}
			})}, nil
}

// upkeep is when a device was done last by its main duty, how often, and when it is due.
func (ws *Workshop) upkeep(of ledger.Asset, all []ledger.Activity) (u exchange.Upkeep) {
	main := ws.mainDuty(of)
	for _, a := range all {
		if a.Duty.ID != main || main == "" {
			continue
		}
		u = exchange.Upkeep{Last: a.LastOn, Months: a.Duty.Months}
		if duty.HasDay(a.DueOn) {
			u.Due = &a.DueOn
		}
	}
	return u
}

// statesAtOnce is for how many rows of a list the devices' states are asked for at a time.
const statesAtOnce = 500

// rowsWithStates are a list's records about devices, with how each stands, as rows of a table. also is told the devices
// of the rows that come next.
func rowsWithStates[T any](ws *Workshop, records iter.Seq2[T, error], id func(T) string, also func(ids []string) error,
	row func(T, device.Standing) []any) iter.Seq2[[]any, error] {
	return func(yield func([]any, error) bool) {
		var some []T
		flush := func() bool {
			ids := make([]string, len(some))
			for i, record := range some {
				ids[i] = id(record)
			}
			states, err := ws.states(ids...)
			err = errors.Join(err, also(ids))
			for _, record := range some {
				if !yield(row(record, states[id(record)]), err) {
					return false
				}
			}
			some = some[:0]
			return true
		}
		for record, err := range records {
			if err != nil {
				yield(nil, err)
				return
			}
			if some = append(some, record); len(some) == statesAtOnce && !flush() {
				return
			}
		}
		flush()
	}
}

// referenceList has a row for each value of each certificate.
func (ws *Workshop) referenceList() (exchange.Table, error) {
	all, err := ws.Ledger.Standards("")
	if err != nil {
		return exchange.Table{}, err
	}
	tags := map[string]string{}
	for _, s := range all {
		tags[s.ID] = s.Tag
	}
	return exchange.Table{Name: "references", Columns: exchange.ReferenceColumns, Rows: func(yield func([]any, error) bool) {
		for _, s := range all {
			certificates, err := ws.Ledger.Certificates(s.ID)
			for _, row := range exchange.ReferenceRows(s, certificates, func(id string) string { return tags[id] }) {
				if !yield(row, err) {
					return
				}
			}
		}
	}}, nil
}

// historyList has a row for each point of each signed run, and one for a run without.
func (ws *Workshop) historyList() exchange.Table {
	return exchange.Table{Name: "histories", Columns: exchange.HistoryColumns, Rows: func(yield func([]any, error) bool) {
		for point, err := range ws.Ledger.EveryHistory() {
			if !yield(exchange.HistoryRow(point), err) {
				return
			}
		}
	}}
}
