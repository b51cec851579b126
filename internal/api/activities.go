package api

import (
	"context"
	"net/http"

	"northneedle/core/person"
	"northneedle/internal/workshop"

	"github.com/danielgtaylor/huma/v2"
)

func registerActivities(api huma.API, shop *workshop.Workshop) {
	serve(api, operation{"change-activity", http.MethodPost, "/api/activities/{id}",
		"An activity is done, put off, moved, or its use counted", person.Look, 0, nil},
		func(ctx context.Context, in *struct {
			ID   string `path:"id" maxLength:"60"`
			Body workshop.ActivityOrder
		}) (out workshop.AssetView, err error) {
			a, err := shop.ChangeActivity(in.ID, in.Body, who(ctx))
			if err != nil {
				return out, err
			}
			return shop.Asset(a.AssetID, who(ctx))
		})
	serve(api, operation{"asset-event", http.MethodPost, "/api/assets/{id}/events", "Something happened to a device",
		person.NoteEvents, 0, nil},
		func(ctx context.Context, in *struct {
			ID   string `path:"id" maxLength:"60"`
			Body workshop.AssetEvent
		}) (out workshop.AssetView, err error) {
			if err := shop.NoteEvent(in.ID, in.Body, who(ctx)); err != nil {
				return out, err
			}
			return shop.Asset(in.ID, who(ctx))
		})
}
