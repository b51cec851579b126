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
		"The label of a device, on a page of its own", person.Look, 0, nil}.as("application/pdf"),
		func(_ context.Context, in *struct {
			Tag string `query:"tag" required:"true" maxLength:"60"`
		}) (workshop.File, error) {
			return shop.Label(in.Tag)
		})
	serve(api, operation{"write-labels", http.MethodPost, "/api/labels",
		"Write sheets of labels for the devices that are meant",
		person.Look, 0, nil},
		func(ctx context.Context, in *struct {
			workshop.AssetQuery
			First int `query:"first" default:"1" minimum:"1" maximum:"24" doc:"place on the first sheet"`
		}) (workshop.JobView, error) {
			return shop.Labels(ctx, in.AssetQuery, in.First-1, who(ctx))
		})
	serveFile(api, operation{"vessel-labels", http.MethodGet, "/api/runs/{id}/steps/{step}/labels.pdf",
		"Labels for the cuvettes and tubes that a step fills", person.Look, 0, nil}.as("application/pdf"),
		func(_ context.Context, in *struct {
			RunPath
			Step string `path:"step" maxLength:"100"`
		}) (workshop.File, error) {
			return shop.VesselLabels(in.ID, in.Step)
		})
	serveFile(api, operation{"logo", http.MethodGet, "/api/logos/{hash}", "The picture that the lab's papers carry",
		person.Look, 0,
		nil}.as("image/png"),
		func(_ context.Context, in *struct {
			Hash string `path:"hash" maxLength:"64"`
		}) (workshop.File, error) {
			return shop.Logo(in.Hash)
		})
	serve(api, operation{"set-address", http.MethodPost, "/api/house/address",
		"Say at which address others reach this server, as labels carry it", person.SetRules, 0, nil},
		func(ctx context.Context, in *struct {
			Body struct {
				Address string `json:"address" maxLength:"200"`
			}
		}) (out workshop.HouseView, err error) {
			if err := shop.SetAddress(in.Body.Address, who(ctx)); err != nil {
				return out, err
			}
			return shop.House()
		})
}
