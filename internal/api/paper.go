package api

import (
	"context"
	"net/http"

	"northneedle/core/person"
	"northneedle/internal/workshop"

	"github.com/danielgtaylor/huma/v2"
)

func registerPaper(api huma.API, shop *workshop.Workshop) {
	serveFile(api, operation{"certificate", http.MethodGet, "/api/runs/{id}/certificate.pdf",
		"The certificate of a signed run", person.Look, 0, nil}.as("application/pdf"),
		func(_ context.Context, in *struct {
			RunPath
			Revision int `query:"revision" minimum:"0" maximum:"1000" doc:"the latest where it is left out"`
		}) (workshop.File, error) {
			return shop.CertificateFile(in.ID, in.Revision)
		})
	serveFile(api, operation{"record", http.MethodGet, "/api/runs/{id}/record.json",
		"The whole run, with its chain of events", person.Look, 0, nil}.as("application/json"),
		func(_ context.Context, in *RunPath) (workshop.File, error) { return shop.RecordFile(in.ID) })
	serveFile(api, operation{"points", http.MethodGet, "/api/runs/{id}/points.csv", "The run's points", person.Look, 0,
		nil}.as("text/csv; charset=utf-8"),
		func(_ context.Context, in *RunPath) (workshop.File, error) { return shop.PointsFile(in.ID) })
}
