package api

import (
	"context"
	"net/http"

	"northneedle/core/person"
	"northneedle/internal/workshop"

	"github.com/danielgtaylor/huma/v2"
)

// maxImport is the largest file that is imported.
const maxImport = 64 << 20

func registerImports(api huma.API, shop *workshop.Workshop) {
	serve(api, operation{"read-import", http.MethodPost, "/api/imports",
		"Read a CSV file: what can be imported, and every row that cannot", person.Import, maxImport, nil},
		func(ctx context.Context, in *struct {
			Kind    string `query:"kind" enum:"assets,standards,histories,instruments" required:"true"`
			RawBody []byte `contentType:"text/csv"`
		}) (out workshop.ImportView, err error) {
			return shop.ReadImport(in.Kind, in.RawBody)
		})
	serve(api, operation{"import-state", http.MethodGet, "/api/imports/{id}", "How far an import is", person.Look, 0,
		nil},
		func(_ context.Context, in *struct {
			ID string `path:"id" maxLength:"60"`
		}) (out workshop.ImportView, err error) {
			return shop.ImportState(in.ID)
		})
	serve(api, operation{"change-import", http.MethodPost, "/api/imports/{id}", "Import what was read, or stop",
		person.Import, 0, nil},
		func(ctx context.Context, in *struct {
			ID   string `path:"id" maxLength:"60"`
			Body struct {
				Go bool `json:"go" doc:"false stops it: nothing of it stays"`
			}
		}) (out workshop.ImportView, err error) {
			return shop.RunImport(in.ID, in.Body.Go, who(ctx))
		})
}
