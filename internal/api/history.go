package api

import (
	"context"
	"net/http"

	"northneedle/core/person"
	"northneedle/internal/workshop"

	"github.com/danielgtaylor/huma/v2"
)

func registerHistory(api huma.API, shop *workshop.Workshop) {
	serve(api, operation{"history", http.MethodGet, "/api/history/{of}/{id}",
		"What happened to a device, a reference, a person or the house, as the log has it", person.LookHouse, 0, nil},
		func(ctx context.Context, in *struct {
			Of string `path:"of" enum:"device,reference,person,house,instrument,security"`
			ID string `path:"id" maxLength:"120" doc:"its id or tag; of the house and of security: all"`
		}) (out []workshop.HappenedView, err error) {
			return shop.History(in.Of, in.ID, who(ctx))
		})
}
