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
	serveUpload(api, operation{"read-import", http.MethodPost, "/api/imports",
		"Read a list, as text with separators or as a workbook: what can be imported, and every row that cannot", person.Import,
		maxImport, nil}.as("application/octet-stream"),
		func(ctx context.Context, in *struct {
			Kind    string `query:"kind" enum:"assets,standards,histories,instruments,competences" required:"true"`
			Days    string `query:"days" enum:"year-month-day,day-month-year,month-day-year" default:"year-month-day" doc:"the order in which the list writes days"`
			Update  bool   `query:"update" doc:"devices that are in the register already are changed to what the list says"`
			RawBody []byte `contentType:"application/octet-stream"`
		}) (out workshop.ImportView, err error) {
			return shop.ReadImport(workshop.ImportFile{Kind: in.Kind, Days: in.Days, Update: in.Update,
				Body: in.RawBody}, who(ctx))
		})
	serveFile(api, operation{"refused-rows", http.MethodGet, "/api/imports/{id}/refused.csv",
		"The rows of a list that cannot be imported, and why", person.Import, 0, nil}.as("text/csv"),
		func(_ context.Context, in *struct {
			ID string `path:"id" maxLength:"60"`
		}) (workshop.File, error) {
			return shop.RefusedRows(in.ID)
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
				Go     bool   `json:"go" doc:"false stops it: nothing of it stays"`
				Reason string `json:"reason,omitempty" maxLength:"400" doc:"why devices of the register are changed"`
			}
		}) (out workshop.ImportView, err error) {
			return shop.RunImport(in.ID, in.Body.Go, in.Body.Reason, who(ctx))
		})
}
