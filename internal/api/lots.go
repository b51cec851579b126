package api

import (
	"context"
	"net/http"
	"strings"

	"northneedle/core/lot"
	"northneedle/core/person"
	"northneedle/internal/workshop"

	"github.com/danielgtaylor/huma/v2"
)

func registerLots(api huma.API, shop *workshop.Workshop) {
	serve(api, operation{"read-label", http.MethodPost, "/api/lots/label", "Read a consumable's label",
		person.EnterLots, 0, nil},
		func(ctx context.Context, in *struct {
			Body struct {
				Label string `json:"label" minLength:"1" maxLength:"200"`
			}
		}) (out lot.Label, err error) {
			return shop.ReadLabel(in.Body.Label)
		})
	serve(api, operation{"enter-lot", http.MethodPost, "/api/lots", "Enter a lot of a consumable", person.EnterLots, 0,
		nil},
		func(ctx context.Context, in *struct{ Body workshop.LotBody }) (out workshop.ReferenceView, err error) {
			if err := shop.EnterLot(in.Body, who(ctx)); err != nil {
				return out, err
			}
			return shop.Reference(strings.ToUpper(strings.TrimSpace(in.Body.Tag)), who(ctx))
		})
	serve(api, operation{"open-control-lot", http.MethodPost, "/api/controls/{asset}/lots",
		"Open a new lot of controls", person.EnterLots, 0, nil},
		func(ctx context.Context, in *struct {
			Asset string `path:"asset" maxLength:"60"`
			Body  workshop.ControlLotBody
		}) (out workshop.ControlChart, err error) {
			if err := shop.OpenControlLot(in.Asset, in.Body, who(ctx)); err != nil {
				return out, err
			}
			return shop.ControlChart(in.Asset, in.Body.Analyte, 730)
		})
}
