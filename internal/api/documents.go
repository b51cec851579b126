package api

import (
	"context"
	"net/http"

	"northneedle/core/person"
	"northneedle/internal/workshop"

	"github.com/danielgtaylor/huma/v2"
)

func registerDocuments(api huma.API, shop *workshop.Workshop) {
	serveFile(api, operation{"history-paper", http.MethodGet, "/api/assets/{id}/history.pdf",
		"A device's history on paper", person.Look, 0, nil}.as("application/pdf"),
		func(_ context.Context, in *struct {
			ID string `path:"id" maxLength:"60"`
		}) (workshop.File, error) {
			return shop.HistoryPaper(in.ID)
		})
	serveFile(api, operation{"inspection-paper", http.MethodGet, "/api/inspection.pdf",
		"What there is at a site and how it stands, to go round with", person.Look, 0, nil}.as("application/pdf"),
		func(_ context.Context, in *struct {
			Site string `query:"site" minLength:"1" maxLength:"80"`
		}) (workshop.File, error) {
			return shop.InspectionPaper(in.Site)
		})
}
