package api

import (
	"context"
	"net/http"

	"northneedle/core/person"
	"northneedle/internal/workshop"

	"github.com/danielgtaylor/huma/v2"
)

func registerWorth(api huma.API, shop *workshop.Workshop) {
	serve(api, operation{"worth", http.MethodGet, "/api/assets/{id}/worth",
		"What a device's record says on whether it is worth calibrating", person.Look, 0, nil},
		func(_ context.Context, in *struct {
			ID string `path:"id" maxLength:"60"`
		}) (out workshop.WorthView, err error) {
			return shop.Worth(in.ID)
		})
}
