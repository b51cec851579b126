package api

import (
	"context"
	"fmt"
	"net/http"

	"northneedle/core/person"
	"northneedle/core/run"
	"northneedle/core/runview"
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
		serveFile(api, operation{id, http.MethodGet, path, summary, person.Look, 0, nil}.as(kind),
			func(ctx context.Context, in *RunPath) (*file, error) {
				body, name, err := write(ctx, in.ID)
				if err != nil {
					return nil, err
				}
				return &file{kind, `inline; filename="` + name + `"`, body}, nil
			})
	}
	serveFile(api, operation{"certificate", http.MethodGet, "/api/runs/{id}/certificate.pdf",
		"The certificate of a signed run", person.Look, 0, nil}.as("application/pdf"),
		func(_ context.Context, in *struct {
			RunPath
			Revision int `query:"revision" minimum:"0" maximum:"1000" doc:"the latest where it is left out"`
		}) (*file, error) {
			body, name, err := h.certificate(in.ID, in.Revision)
			return &file{"application/pdf", `inline; filename="` + name + `"`, body}, err
		})
	get("record", "/api/runs/{id}/record.json", "application/json", "The whole run, with its chain of events", h.record)
	get("points", "/api/runs/{id}/points.csv", "text/csv; charset=utf-8", "The run's points", h.points)
}

// certificate writes a revision of a run's certificate; 0 is the latest.
func (h *House) certificate(id string, revision int) ([]byte, string, error) {
	r, err := h.Ledger.Run(id)
	if err != nil {
		return nil, "", err
	}
	if r.Signature == nil {
		return nil, "", &run.Refusal{Kind: run.Conflict, Code: "not-signed",
			Message: "The run is not signed yet: there is no certificate of it."}
	}
	row, err := h.Ledger.RunRow(id)
	if err != nil {
		return nil, "", err
	}
	void := ""
	latest := len(r.Revisions) + 1
	if revision == 0 {
		revision = latest
	}
	if row.ReplacedBy != "" {
		void = "It is replaced by the run " + row.ReplacedBy + "."
	} else if revision < latest {
		void = fmt.Sprintf("It is superseded by revision %d of %s.", latest,
			r.Revisions[latest-2].At.Format("2006-01-02"))
	}
	seq, err := r.Issued(revision)
	if err != nil {
		return nil, "", err
	}
	then, head, err := h.Ledger.RunAt(id, seq)
	if err != nil {
		return nil, "", err
	}
	view := runview.Of(then, h.Clock())
	pdf, err := paper.Certificate(view, head, void)
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
	text, err := exchange.PointsCSV(runview.Of(run, h.Clock()))
	return text, run.Device.Tag + "-" + id + ".csv", err
}

// kept is a file to be saved rather than shown.
func kept(name, kind string, body []byte) *file {
	return &file{kind, `attachment; filename="` + name + `"`, body}
}
