package api

import (
	"context"
	"net/http"

	"northneedle/core/person"
	"northneedle/internal/workshop"

	"github.com/danielgtaylor/huma/v2"
)

func registerLists(api huma.API, shop *workshop.Workshop) {
	serveFile(api, operation{"list", http.MethodGet, "/api/lists/{list}", "A whole list as CSV, XLSX or JSON",
		person.Look, 0, nil}.as("text/csv", "application/json",
		"application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"),
		func(ctx context.Context, in *struct {
			List   string `path:"list" enum:"equipment,references,histories,instruments,competences,due"`
			Format string `query:"format" enum:"csv,xlsx,json" default:"csv"`
			workshop.AssetQuery
		}) (workshop.File, error) {
			list, err := shop.ListFile(ctx, in.List, in.Format, in.AssetQuery)
			if err != nil {
				return list, err
			}
			return list, shop.HandedOut("the list of "+in.List+", "+in.Format, who(ctx))
		})
}
