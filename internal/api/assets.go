package api

import (
	"context"
	"net/http"

	"northneedle/core/person"
	"northneedle/internal/ledger"
	"northneedle/internal/workshop"

	"github.com/danielgtaylor/huma/v2"
)

func registerAssets(api huma.API, shop *workshop.Workshop) {
	serve(api, operation{"assets", http.MethodGet, "/api/assets", "The register of devices", person.Look, 0, nil},
		func(ctx context.Context, in *struct {
			workshop.AssetQuery
			From int `query:"from" minimum:"0" maximum:"1000000" doc:"where the page begins"`
		}) (out workshop.AssetPageView, err error) {
			return shop.AssetPage(ctx, in.AssetQuery, in.From)
		})
	serve(api, operation{"asset-choices", http.MethodGet, "/api/asset-choices", "What the register can be filtered by",
		person.Look, 0, nil},
		func(ctx context.Context, in *struct {
			Site string `query:"site" maxLength:"80" doc:"whose places are meant"`
		}) (ledger.Choices, error) {
			return shop.AssetChoices(ctx, in.Site)
		})
	serve(api, operation{"change-together", http.MethodPost, "/api/assets/together",
		"Look what a change of all devices that are meant would be; it is made as an import is", person.Import, 0, nil},
		func(ctx context.Context, in *struct {
			workshop.AssetQuery
			Body workshop.TogetherOrder
		}) (out workshop.ImportView, err error) {
			list, err := shop.ReadTogether(ctx, in.AssetQuery, in.Body)
			if err != nil {
				return out, err
			}
			return shop.ReadImport(list, who(ctx))
		})
	serve(api, operation{"asset", http.MethodGet, "/api/assets/{id}", "One device, by its id or tag", person.Look, 0,
		nil},
		func(ctx context.Context, in *struct {
			ID string `path:"id" maxLength:"60"`
		}) (out workshop.AssetView, err error) {
			return shop.Asset(in.ID, who(ctx))
		})
	serve(api, operation{"set-correction", http.MethodPost, "/api/assets/{id}/tests/{test}/correction",
		"Set a correction of a test against a reference method", person.SetCorrections, 0, nil},
		func(ctx context.Context, in *struct {
			ID   string `path:"id" maxLength:"60"`
			Test string `path:"test" maxLength:"60"`
			Body workshop.CorrectionOrder
		}) (out workshop.AssetView, err error) {
			if err := shop.SetCorrection(in.ID, in.Test, in.Body, who(ctx)); err != nil {
				return out, err
			}
			return shop.Asset(in.ID, who(ctx))
		})
	registerLife(api, shop)
	serve(api, operation{"register-asset", http.MethodPost, "/api/assets", "Enter a device in the register",
		person.EnterDevices, 0, nil},
		func(ctx context.Context, in *struct{ Body workshop.NewAsset }) (out workshop.AssetView, err error) {
			id, err := shop.RegisterAsset(in.Body, who(ctx))
			if err != nil {
				return out, err
			}
			return shop.Asset(id, who(ctx))
		})
}
