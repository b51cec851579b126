package api

import (
	"context"
	"net/http"

	"northneedle/core/person"
	"northneedle/internal/workshop"

	"github.com/danielgtaylor/huma/v2"
)

// registerSafety is makers' and authorities' warnings, and what became of each device under them.
func registerSafety(api huma.API, shop *workshop.Workshop) {
	serve(api, operation{"safety-notices", http.MethodGet, "/api/safety", "Safety notices of makers and authorities",
		person.Look, 0, nil},
		func(context.Context, *struct{}) ([]workshop.SafetyBrief, error) { return shop.SafetyNotices() })
	serve(api, operation{"safety-notice", http.MethodGet, "/api/safety/{id}", "One of them, with our devices",
		person.Look, 0, nil},
		func(_ context.Context, in *struct {
			ID string `path:"id" maxLength:"60"`
		}) (workshop.SafetyView, error) {
			return shop.SafetyNotice(in.ID)
		})
	serveFile(api, operation{"safety-paper", http.MethodGet, "/api/safety/{id}/paper", "One of them on paper",
		person.Look, 0, nil}.as("application/pdf"),
		func(_ context.Context, in *struct {
			ID string `path:"id" maxLength:"60"`
		}) (workshop.File, error) {
			return shop.SafetyPaper(in.ID)
		})
	serve(api, operation{"enter-safety", http.MethodPost, "/api/safety", "Enter a safety notice", person.KeepSafety, 0, nil},
		func(ctx context.Context, in *struct{ Body workshop.SafetyOrder }) (out workshop.SafetyView, err error) {
			if err := shop.EnterSafety(in.Body, who(ctx)); err != nil {
				return out, err
			}
			return shop.SafetyNotice(in.Body.ID)
		})
	serve(api, operation{"note-safety", http.MethodPost, "/api/safety/{id}/devices/{tag}",
		"Say what became of a device under a safety notice", person.NoteDone, 0, nil},
		func(ctx context.Context, in *struct {
			ID   string `path:"id" maxLength:"60"`
			Tag  string `path:"tag" maxLength:"60"`
			Body workshop.SafetyDone
		}) (out workshop.SafetyView, err error) {
			if err := shop.NoteSafety(in.ID, in.Tag, in.Body, who(ctx)); err != nil {
				return out, err
			}
			return shop.SafetyNotice(in.ID)
		})
	serve(api, operation{"close-safety", http.MethodPost, "/api/safety/{id}/close", "Close a safety notice",
		person.KeepSafety, 0, nil},
		func(ctx context.Context, in *struct {
			ID   string `path:"id" maxLength:"60"`
			Body struct {
				Conclusion string `json:"conclusion" maxLength:"4000"`
			}
		}) (out workshop.SafetyView, err error) {
			if err := shop.CloseSafety(in.ID, in.Body.Conclusion, who(ctx)); err != nil {
				return out, err
			}
			return shop.SafetyNotice(in.ID)
		})
}
