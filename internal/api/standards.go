package api

import (
	"context"
	"net/http"

	"northneedle/core/person"
	"northneedle/core/reference"
	"northneedle/internal/workshop"

	"github.com/danielgtaylor/huma/v2"
)

func registerStandards(api huma.API, shop *workshop.Workshop) {
	serve(api, operation{"standards", http.MethodGet, "/api/standards", "The reference standards", person.Look, 0, nil},
		func(ctx context.Context, in *struct {
			Kind string `query:"kind" maxLength:"60"`
		}) (out []workshop.StandardView, err error) {
			return shop.StandardList(ctx, in.Kind)
		})
	serve(api, operation{"candidates", http.MethodGet, "/api/runs/{id}/roles/{role}",
		"Standards that could fill a role of a run", person.Look, 0, nil},
		func(ctx context.Context, in *struct {
			ID   string `path:"id" maxLength:"60"`
			Role string `path:"role" maxLength:"60"`
		}) (out []reference.Candidate, err error) {
			return shop.Candidates(in.ID, in.Role)
		})
}
