package api

import (
	"context"
	"net/http"

	"northneedle/core/person"
	"northneedle/internal/workshop"

	"github.com/danielgtaylor/huma/v2"
)

// maxPaper is the largest paper that is checked.
const maxPaper = 8 << 20

func registerPaper(api huma.API, shop *workshop.Workshop) {
	serveFile(api, operation{"certificate", http.MethodGet, "/api/runs/{id}/certificate.pdf",
		"The certificate of a signed run", person.Look, 0, nil}.as("application/pdf"),
		func(_ context.Context, in *struct {
			RunPath
			Revision int `query:"revision" minimum:"0" maximum:"1000" doc:"the latest where it is left out"`
		}) (workshop.File, error) {
			return shop.CertificateFile(in.ID, in.Revision)
		})
	serveUpload(api, operation{"check-paper", http.MethodPost, "/api/papers/check",
		"Hold a certificate against what is signed in it, and ask the record whether it stands", person.Look, maxPaper, nil}.as("application/pdf"),
		func(_ context.Context, in *struct{ RawBody []byte }) (workshop.PaperView, error) {
			return shop.CheckPaper(in.RawBody)
		})
	serveFile(api, operation{"public-keys", http.MethodGet, "/api/papers/public-keys.json",
		"What papers are checked by, anywhere",
		person.Look, 0, nil}.as("application/json"),
		func(_ context.Context, _ *struct{}) (workshop.File, error) { return shop.PublicKeysFile() })
	serveFile(api, operation{"replaced-papers", http.MethodGet, "/api/papers/replaced.jws",
		"Every certificate that counts no more, signed", person.Look, 0, nil}.as("application/jose"),
		func(_ context.Context, _ *struct{}) (workshop.File, error) { return shop.ReplacedFile() })
	serveFile(api, operation{"record", http.MethodGet, "/api/runs/{id}/record.json",
		"The whole run, with its chain of events", person.Look, 0, nil}.as("application/json"),
		func(ctx context.Context, in *RunPath) (workshop.File, error) {
			record, err := shop.RecordFile(in.ID)
			if err != nil {
				return record, err
			}
			return record, shop.HandedOut("the whole record of run "+in.ID, who(ctx))
		})
	serveFile(api, operation{"points", http.MethodGet, "/api/runs/{id}/points.csv", "The run's points", person.Look, 0,
		nil}.as("text/csv; charset=utf-8"),
		func(_ context.Context, in *RunPath) (workshop.File, error) { return shop.PointsFile(in.ID) })
}
