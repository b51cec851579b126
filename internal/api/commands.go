package api

import (
	"context"
	"errors"
	"net/http"

	"northneedle/core/person"
	"northneedle/core/runview"
	"northneedle/internal/people"
	"northneedle/internal/workshop"

	"github.com/danielgtaylor/huma/v2"
)

func registerCommands(api huma.API, s *Server) {
	serve(api, operation{"command", http.MethodPost, "/api/runs/{id}/commands", "Do something in a run",
		person.WorkRuns, 0, nil},
		func(ctx context.Context, in *struct {
			RunPath
			Body workshop.CommandBody
		}) (out runview.View, err error) {
			if in.Body.Signs() {
				in.Body.Shown, err = s.auth.Confirm(ctx, in.Body.Secret)
				if errors.Is(err, people.ErrNoPasskey) { // it signs once: where the answer was lost, it has signed
					if v, before := s.shop.Carried(in.Body.ID, who(ctx)); before {
						return v, nil
					}
				}
				if err != nil {
					return out, unconfirmed(err, "secret")
				}
			}
			return s.shop.Carry(ctx, in.ID, in.Body, who(ctx))
		})
}
