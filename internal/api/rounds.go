package api

import (
	"context"
	"net/http"

	"northneedle/core/person"
	"northneedle/internal/workshop"

	"github.com/danielgtaylor/huma/v2"
)

// DayPath names a day.
type DayPath struct {
	Day string `path:"day" pattern:"^\\d{4}-\\d{2}-\\d{2}$"`
}

func registerRounds(api huma.API, shop *workshop.Workshop) {
	serve(api, operation{"round", http.MethodGet, "/api/rounds/{day}", "A day's round", person.Look, 0, nil},
		func(ctx context.Context, in *DayPath) (out workshop.RoundView, err error) {
			return shop.Round(ctx, in.Day, who(ctx))
		})
	serve(api, operation{"plan-round", http.MethodPost, "/api/rounds/{day}",
		"Choose a day's round, put it in order, or plan it anew from now", person.PlanOwnRound, 0, nil},
		func(ctx context.Context, in *struct {
			DayPath
			Body workshop.RoundOrder
		}) (out workshop.RoundView, err error) {
			return shop.PlanRound(in.Day, in.Body, who(ctx))
		})
}
