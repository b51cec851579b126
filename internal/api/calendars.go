package api

import (
	"context"
	"net/http"
	"strings"

	"northneedle/core/person"
	"northneedle/internal/workshop"

	"github.com/danielgtaylor/huma/v2"
	"github.com/go-chi/chi/v5"
)

func registerCalendars(api huma.API, shop *workshop.Workshop) {
	serveFile(api, operation{"round-calendar", http.MethodGet, "/api/rounds/{day}/calendar.ics",
		"A day's round as iCalendar", person.Look, 0, nil}.as("text/calendar"),
		func(ctx context.Context, in *DayPath) (workshop.File, error) {
			return shop.RoundCalendar(in.Day, who(ctx).Name)
		})
	serve(api, operation{"tokens", http.MethodGet, "/api/tokens", "Secrets that read without a person signing in",
		person.OwnAccount, 0, nil},
		func(ctx context.Context, _ *struct{}) ([]workshop.TokenView, error) { return shop.Tokens(who(ctx)) })
	serve(api, operation{"make-token", http.MethodPost, "/api/tokens", "Make one: its secret is shown this once",
		person.OwnAccount, 0, nil},
		func(ctx context.Context, in *struct{ Body workshop.TokenOrder }) (workshop.NewToken, error) {
			return shop.MakeToken(in.Body, who(ctx))
		})
	serve(api, operation{"end-token", http.MethodDelete, "/api/tokens/{id}", "End one", person.OwnAccount, 0, nil},
		func(ctx context.Context, in *struct {
			ID string `path:"id" maxLength:"60"`
		}) ([]workshop.TokenView, error) {
			return shop.EndToken(in.ID, who(ctx))
		})
}

// feed answers whoever has the secret link.
func (s *Server) feed(w http.ResponseWriter, r *http.Request) {
	text, valid, err := s.shop.Feed(r.Context(), strings.TrimSuffix(chi.URLParam(r, "secret"), ".ics"))
	switch {
	case err != nil:
		fail(err).(*Problem).write(w)
	case !valid:
		problem := &Problem{
			Status: http.StatusNotFound,
			Title:  "Not found",
			Detail: "This calendar link is not, or no longer, valid.",
			Code:   "not-found",
		}
		problem.write(w)
	default:
		w.Header().Set("Cache-Control", "no-store")
		w.Header().Set("Content-Type", "text/calendar; charset=utf-8")
		w.Write(text)
	}
}
