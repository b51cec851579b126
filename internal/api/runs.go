package api

import (
	"context"
	"net/http"

	"northneedle/core/person"
	"northneedle/core/runview"
	"northneedle/core/signal"
	"northneedle/internal/capture"
	"northneedle/internal/workshop"

	"github.com/danielgtaylor/huma/v2"
)

// RunPath names a run in an address.
type RunPath struct {
	ID string `path:"id" maxLength:"60"`
}

func registerRuns(api huma.API, shop *workshop.Workshop) {
	serve(api, operation{"open-run", http.MethodPost, "/api/runs", "Open a run on a device", person.WorkRuns, 0, nil},
		func(ctx context.Context, in *struct {
			Body workshop.RunOrder
		}) (out runview.View, err error) {
			run, err := shop.OpenRun(in.Body, who(ctx))
			if err != nil {
				return out, err
			}
			return shop.RunView(run), nil
		})
	serve(api, operation{"sequence", http.MethodPost, "/api/runs/{id}/sequence",
		"Have a run's linked points read one after another, or stop that", person.WorkRuns, 0, nil},
		func(ctx context.Context, in *struct {
			RunPath
			Body struct {
				On bool `json:"on"`
			}
		}) (out []capture.State, err error) {
			return shop.Sequence(in.ID, in.Body.On, who(ctx))
		})
	serve(api, operation{"reviewers", http.MethodGet, "/api/runs/{id}/reviewers", "Who can countersign a run",
		person.Look, 0, nil},
		func(_ context.Context, in *RunPath) ([]workshop.PersonView, error) { return shop.Reviewers(in.ID) })
	serve(api, operation{"supervisors", http.MethodGet, "/api/supervisors",
		"Whom one can work under in a family of devices", person.Look,
		0, nil},
		func(ctx context.Context, in *struct {
			Family string `query:"family" maxLength:"60" required:"true"`
		}) ([]workshop.PersonView, error) {
			return shop.Supervisors(in.Family, who(ctx))
		})
	serve(api, operation{"room", http.MethodGet, "/api/runs/{id}/room", "What a run's room can be recorded from",
		person.Look, 0, nil},
		func(_ context.Context, in *RunPath) (out workshop.RoomOffer, err error) { return shop.Room(in.ID) })
	serve(api, operation{"run-before", http.MethodGet, "/api/runs/{id}/before",
		"What the device showed when it was verified last",
		person.Look, 0, nil}, func(_ context.Context, in *RunPath) (out workshop.RunBefore, err error) { return shop.Before(in.ID) })
	serve(api, operation{"trace", http.MethodGet, "/api/runs/{id}/readings/{reading}/trace",
		"The trace that a reading was taken from",
		person.Look, 0, nil},
		func(_ context.Context, in *struct {
			RunPath
			Reading string `path:"reading" maxLength:"60"`
		}) (out []signal.Sample, err error) {
			return shop.Trace(in.ID, in.Reading)
		})
	serve(api, operation{"run", http.MethodGet, "/api/runs/{id}", "A run as it stands", person.Look, 0, nil},
		func(ctx context.Context, in *RunPath) (out runview.View, err error) {
			return shop.Run(in.ID)
		})
}
