package api

import (
	"context"
	"net/http"

	"northneedle/core/person"
	"northneedle/internal/workshop"

	"github.com/danielgtaylor/huma/v2"
)

// registerLife is what becomes of a device between its runs. Each answers with the device as it is then.
func registerLife(api huma.API, shop *workshop.Workshop) {
	serve(api, operation{"correct-asset", http.MethodPost, "/api/assets/{id}/correct",
		"Correct what was entered wrong of a device",
		person.CorrectDevices, 0, nil},
		func(ctx context.Context, in *struct {
			ID   string `path:"id" maxLength:"60"`
			Body workshop.Correction
		}) (out workshop.AssetView, err error) {
			id, err := shop.CorrectAsset(in.ID, in.Body, who(ctx))
			if err != nil {
				return out, err
			}
			return shop.Asset(id, who(ctx))
		})
	serve(api, operation{"describe-asset", http.MethodPost, "/api/assets/{id}/about",
		"Say what a device is made of and how it was bought", person.CorrectDevices, 0, nil},
		func(ctx context.Context, in *struct {
			ID   string `path:"id" maxLength:"60"`
			Body workshop.AboutOrder
		}) (out workshop.AssetView, err error) {
			if err := shop.SetAbout(in.ID, in.Body, who(ctx)); err != nil {
				return out, err
			}
			return shop.Asset(in.ID, who(ctx))
		})
	serve(api, operation{"move-asset", http.MethodPost, "/api/assets/{id}/move", "Move a device to another place or site",
		person.CorrectDevices, 0, nil},
		func(ctx context.Context, in *struct {
			ID   string `path:"id" maxLength:"60"`
			Body workshop.Relocation
		}) (out workshop.AssetView, err error) {
			if err := shop.MoveAsset(in.ID, in.Body, who(ctx)); err != nil {
				return out, err
			}
			return shop.Asset(in.ID, who(ctx))
		})
	serve(api, operation{"whereabouts", http.MethodPost, "/api/assets/{id}/whereabouts",
		"Say that a device is lent, back, out of use or off the register", person.CorrectDevices, 0, nil},
		func(ctx context.Context, in *struct {
			ID   string `path:"id" maxLength:"60"`
			Body workshop.Whereabouts
		}) (out workshop.AssetView, err error) {
			if err := shop.SetWhereabouts(in.ID, in.Body, who(ctx)); err != nil {
				return out, err
			}
			return shop.Asset(in.ID, who(ctx))
		})
	serve(api, operation{"merge-asset", http.MethodPost, "/api/assets/{id}/same-as",
		"Say that an entry is the same device as another, which stays", person.RetireDevices, 0, nil},
		func(ctx context.Context, in *struct {
			ID   string `path:"id" maxLength:"60"`
			Body workshop.Doubled
		}) (out workshop.AssetView, err error) {
			if err := shop.MergeAsset(in.ID, in.Body, who(ctx)); err != nil {
				return out, err
			}
			return shop.Asset(in.ID, who(ctx))
		})
	serve(api, operation{"report-fault", http.MethodPost, "/api/assets/{id}/faults",
		"Report a fault: the device is not to be used until it is judged", person.NoteEvents, 0, nil},
		func(ctx context.Context, in *struct {
			ID   string `path:"id" maxLength:"60"`
			Body workshop.FaultReport
		}) (out workshop.AssetView, err error) {
			if err := shop.ReportFault(in.ID, in.Body, who(ctx)); err != nil {
				return out, err
			}
			return shop.Asset(in.ID, who(ctx))
		})
	serveNothing(api, operation{"judge-fault", http.MethodPost, "/api/faults/{id}/judge", "Say what a fault was found to be",
		person.NoteDone, 0, nil},
		func(ctx context.Context, in *struct {
			ID   string `path:"id" maxLength:"60"`
			Body workshop.FaultJudgement
		}) error {
			return shop.JudgeFault(in.ID, in.Body, who(ctx))
		})
}
