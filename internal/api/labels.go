package api

import (
	"context"
	"net/http"

	"northneedle/core/person"
	"northneedle/internal/workshop"

	"github.com/danielgtaylor/huma/v2"
)

func registerLabels(api huma.API, shop *workshop.Workshop) {
	serveFile(api, operation{"labels", http.MethodGet, "/api/labels.pdf",
		"Labels: one, or a sheet of those that a search finds", person.Look, 0, nil}.as("application/pdf"),
		func(ctx context.Context, in *struct {
			Host   string `header:"Host"`
			Tag    string `query:"tag" maxLength:"60" doc:"one label, on a page of its own"`
			Search string `query:"search" maxLength:"100"`
			First  int    `query:"first" default:"1" minimum:"1" maximum:"24" doc:"place on the first sheet"`
		}) (workshop.File, error) {
			return shop.Labels(in.Host, in.Tag, in.Search, in.First-1)
		})
}
