package api

import (
	"context"
	"net/http"

	"northneedle/core/person"
	"northneedle/internal/workshop"

	"github.com/danielgtaylor/huma/v2"
)

func registerWorkingDay(api huma.API, shop *workshop.Workshop) {
	serve(api, operation{"set-day", http.MethodPost, "/api/house/day", "When people work, where, and who may do what",
		person.SetHours, 0, nil},
		func(ctx context.Context, in *struct{ Body workshop.WorkingDay }) (out workshop.HouseView, err error) {
			if err := shop.SetDay(in.Body, who(ctx)); err != nil {
				return out, err
			}
			return shop.House()
		})
}
