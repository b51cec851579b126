package api

import (
	"context"
	"iter"
	"net/http"

	"northneedle/core/person"
	"northneedle/internal/exchange"
	"northneedle/internal/ledger"

	"github.com/danielgtaylor/huma/v2"
)

func registerLists(api huma.API, h *House) {
	serveFile(api, operation{"list", http.MethodGet, "/api/lists/{list}", "A whole list as CSV, XLSX or JSON",
		person.Look, 0, nil}.as("text/csv", "application/json",
		"application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"),
		func(ctx context.Context, in *struct {
			List   string `path:"list" enum:"equipment,references,due"`
			Format string `query:"format" enum:"csv,xlsx,json" default:"csv"`
		}) (*file, error) {
			table, err := h.list(in.List)
			if err != nil {
				return nil, err
			}
			name := in.List + "-" + h.Clock().Format("2006-01-02") + "." + in.Format
			if in.Format == "xlsx" {
				body, err := table.XLSX()
				return kept(name, "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet", body), err
			}
			if in.Format == "json" {
				body, err := table.JSON()
				return kept(name, "application/json", body), err
			}
			body, err := table.CSV()
			return kept(name, "text/csv; charset=utf-8", body), err
		})
}

// list is a whole list; what it hands out of equipment and references can be imported again.
func (h *House) list(name string) (exchange.Table, error) {
	switch name {
	case "equipment":
		return exchange.Table{Name: name, Columns: []string{"tag", "serial", "maker", "model", "family", "site",
			"place", "status", "risk"},
			Rows: rowsOf(h.Ledger.EveryAsset(), func(a ledger.Asset) []any {
				return []any{a.Tag, a.Serial, a.Maker, a.Model, a.Family, a.Site, a.Place, a.Status, a.Risk}
			})}, nil
	case "references":
		return h.referenceList()
	}
	return exchange.Table{Name: name, Columns: []string{"tag", "title", "due", "risk", "maker", "model", "family",
		"site", "place", "status", "reason"},
		Rows: rowsOf(h.Ledger.EveryDue(h.Clock().AddDate(1, 0, 0)), func(d ledger.Due) []any {
			return []any{d.Tag, d.Title, d.DueOn, d.Risk, d.Maker, d.Model, d.Family, d.Site, d.Place, d.Status,
				d.Reason}
		})}, nil
}

// rowsOf are a list's records as rows of a table.
func rowsOf[T any](records iter.Seq2[T, error], row func(T) []any) iter.Seq2[[]any, error] {
	return func(yield func([]any, error) bool) {
		for record, err := range records {
			if !yield(row(record), err) {
				return
			}
		}
	}
}

// referenceList has a row for each certified value.
func (h *House) referenceList() (exchange.Table, error) {
	all, err := h.Ledger.Standards("")
	return exchange.Table{Name: "references", Columns: []string{"tag", "name", "kind", "maker", "serial", "place",
		"status", "certificate", "issuer", "certified", "due", "accredited", "lot", "quantity", "value", "from", "to",
		"unit", "u", "k"},
		Rows: func(yield func([]any, error) bool) {
			for _, s := range all {
				c := s.Certificate
				accredited := "no"
				if c.Accredited {
					accredited = "yes"
				}
				for _, v := range s.Values {
					if !yield([]any{s.Tag, s.Name, s.Kind, s.Maker, s.Serial, s.Place, s.Status, c.Number, c.Issuer,
						c.On, c.DueOn, accredited, s.Lot, v.Quantity, v.Value, v.From, v.To, v.Unit, v.U, v.K}, nil) {
						return
					}
				}
			}
		}}, err
}
