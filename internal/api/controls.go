package api

import (
	"context"
	"net/http"

	"northneedle/core/person"
	"northneedle/internal/workshop"

	"github.com/danielgtaylor/huma/v2"
)

func registerControls(api huma.API, shop *workshop.Workshop) {
	serve(api, operation{"controls", http.MethodGet, "/api/controls", "Every analyser's controls as they stand",
		person.Look, 0, nil},
		func(ctx context.Context, _ *struct{}) (out []workshop.ControlState, err error) {
			return shop.ControlStates("")
		})
	serve(api, operation{"control-chart", http.MethodGet, "/api/controls/{asset}", "An analyte's controls over time",
		person.Look, 0, nil},
		func(ctx context.Context, in *struct {
			Asset   string `path:"asset" maxLength:"60"`
			Analyte string `query:"analyte" maxLength:"60"`
			Days    int    `query:"days" default:"730" minimum:"1" maximum:"3650"`
		}) (out workshop.ControlChart, err error) {
			return shop.ControlChart(in.Asset, in.Analyte, in.Days)
		})
	serve(api, operation{"record-controls", http.MethodPost, "/api/controls/{asset}", "Record a control run",
		person.RecordControls, 0, nil},
		func(ctx context.Context, in *struct {
			Asset string `path:"asset" maxLength:"60"`
			Body  workshop.ControlEntry
		}) (out workshop.ControlChart, err error) {
			if err := shop.RecordControls(in.Asset, in.Body, who(ctx)); err != nil {
				return out, err
			}
			return shop.ControlChart(in.Asset, in.Body.Analyte, 730)
		})
}
