package api

import (
	"context"
	"net/http"

	"northneedle/core/person"
	"northneedle/internal/workshop"

	"github.com/danielgtaylor/huma/v2"
)

func registerToday(api huma.API, shop *workshop.Workshop) {
	serve(api, operation{"today", http.MethodGet, "/api/today", "What to do now", person.Look, 0, nil},
		func(ctx context.Context, in *workshop.TodayQuery) (out workshop.TodayView, err error) {
			return shop.Today(ctx, *in, who(ctx))
		})
	serve(api, operation{"bench-state", http.MethodGet, "/api/bench", "Runs in progress, loose ends, links",
		person.Look, 0, nil},
		func(ctx context.Context, _ *struct{}) (out workshop.BenchState, err error) {
			return shop.BenchState(who(ctx))
		})
}
