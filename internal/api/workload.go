package api

import (
	"context"
	"net/http"

	"northneedle/core/person"
	"northneedle/internal/workshop"

	"github.com/danielgtaylor/huma/v2"
)

func registerWorkload(api huma.API, shop *workshop.Workshop) {
	serve(api, operation{"workload", http.MethodGet, "/api/workload", "The year's workload, as it stands and levelled",
		person.Look, 0, nil},
		func(ctx context.Context, _ *struct{}) (out workshop.WorkloadView, err error) {
			return shop.YearAhead(ctx)
		})
	serve(api, operation{"level-workload", http.MethodPost, "/api/workload",
		"Bring work forward within its window, as levelled", person.LevelYear, 0, nil},
		func(ctx context.Context, in *struct {
			Body struct {
				ID string `json:"id" minLength:"8" maxLength:"60" doc:"made by the client; sent again it changes nothing"`
			}
		}) (out workshop.WorkloadView, err error) {
			if err := shop.LevelYear(in.Body.ID, who(ctx)); err != nil {
				return out, err
			}
			return shop.YearAhead(ctx)
		})
}
