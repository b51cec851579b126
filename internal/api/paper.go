package api

import (
	"context"
	"net/http"

	"northneedle/core/procedure"
	"northneedle/internal/exchange"
	"northneedle/internal/paper"

	"github.com/danielgtaylor/huma/v2"
)

type file struct {
	ContentType string `header:"Content-Type"`
	Disposition string `header:"Content-Disposition"`
	Body        []byte
}

func registerPaper(api huma.API, h *House) {
	get := func(id, path, kind, summary string, write func(context.Context, string) ([]byte, string, error)) {
		huma.Register(api, huma.Operation{OperationID: id, Method: http.MethodGet, Path: path, Summary: summary,
			Responses: map[string]*huma.Response{"200": {Description: summary, Content: map[string]*huma.MediaType{kind: {}}}}},
			func(ctx context.Context, in *RunPath) (*file, error) {
				body, name, err := write(ctx, in.ID)
				if err != nil {
					return nil, fail(err)
				}
				return &file{kind, `inline; filename="` + name + `"`, body}, nil
			})
	}
	get("certificate", "/api/runs/{id}/certificate.pdf", "application/pdf", "The certificate of a signed run", h.certificate)
	get("record", "/api/runs/{id}/record.json", "application/json", "The whole run, with its chain of events", h.record)
	get("points", "/api/runs/{id}/points.csv", "text/csv; charset=utf-8", "The run's points", h.points)
}

func (h *House) certificate(_ context.Context, id string) ([]byte, string, error) {
	run, err := h.Ledger.Run(id)
	if err != nil {
		return nil, "", err
	}
	if run.Signature == nil {
		return nil, "", &procedure.Refusal{Kind: procedure.Conflict, Code: "not-signed", Message: "The run is not signed yet: there is no certificate of it."}
	}
	row, err := h.Ledger.RunRow(id)
	if err != nil {
		return nil, "", err
	}
	view := run.View(h.Clock())
	pdf, err := paper.Certificate(view, row.Head)
	return pdf, paper.Number(view) + ".pdf", err
}

func (h *House) record(_ context.Context, id string) ([]byte, string, error) {
	run, err := h.Ledger.Run(id)
	if err != nil {
		return nil, "", err
	}
	rows, err := h.Ledger.Rows(id)
	if err != nil {
		return nil, "", err
	}
	text, err := exchange.RunJSON(run, rows, h.Clock())
	return text, run.Device.Tag + "-" + id + ".json", err
}

func (h *House) points(_ context.Context, id string) ([]byte, string, error) {
	run, err := h.Ledger.Run(id)
	if err != nil {
		return nil, "", err
	}
	text, err := exchange.PointsCSV(run.View(h.Clock()))
	return text, run.Device.Tag + "-" + id + ".csv", err
}

// kept is a file to be saved rather than shown.
func kept(name, kind string, body []byte) *file {
	return &file{kind, `attachment; filename="` + name + `"`, body}
}
