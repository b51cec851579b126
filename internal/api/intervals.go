package api

import (
	"context"
	"net/http"

	"northneedle/core/person"
	"northneedle/internal/workshop"

	"github.com/danielgtaylor/huma/v2"
)

func registerIntervals(api huma.API, shop *workshop.Workshop) {
	serve(api, operation{"intervals", http.MethodGet, "/api/intervals", "What is recommended, by model", person.Look, 0,
		nil},
		func(ctx context.Context, _ *struct{}) (out []workshop.IntervalBrief, err error) {
			return shop.IntervalList(ctx)
		})
	serve(api, operation{"model-interval", http.MethodGet, "/api/intervals/model",
		"One model's interval, and what others would mean", person.Look, 0, nil},
		func(ctx context.Context, in *workshop.ModelPath) (workshop.IntervalView, error) {
			return shop.ModelInterval(*in)
		})
	serve(api, operation{"accept-model-interval", http.MethodPost, "/api/intervals/model",
		"Accept an interval for all devices of a model", person.SetIntervals, 0, nil},
		func(ctx context.Context, in *struct {
			workshop.ModelPath
			Body workshop.IntervalOrder
		}) (out workshop.IntervalView, err error) {
			if err := shop.AcceptModelInterval(in.ModelPath, in.Body, who(ctx)); err != nil {
				return out, err
			}
			return shop.ModelInterval(in.ModelPath)
		})
	serve(api, operation{"activity-interval", http.MethodGet, "/api/activities/{id}/interval",
		"One device's interval, and what others would mean", person.Look, 0, nil},
		func(ctx context.Context, in *struct {
			ID string `path:"id" maxLength:"120"`
		}) (workshop.IntervalView, error) {
			return shop.ActivityInterval(in.ID)
		})
	serve(api, operation{"accept-interval", http.MethodPost, "/api/activities/{id}/interval",
		"Accept an interval for one device", person.SetIntervals, 0, nil},
		func(ctx context.Context, in *struct {
			ID   string `path:"id" maxLength:"120"`
			Body workshop.IntervalOrder
		}) (out workshop.IntervalView, err error) {
			if err := shop.AcceptActivityInterval(in.ID, in.Body, who(ctx)); err != nil {
				return out, err
			}
			return shop.ActivityInterval(in.ID)
		})
}
