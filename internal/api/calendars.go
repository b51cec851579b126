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
	serve(api, operation{"feed", http.MethodGet, "/api/feed", "The secret link of the calendar feed", person.ReadFeed,
		0, nil},
		func(ctx context.Context, _ *struct{}) (out workshop.FeedView, err error) {
			return shop.FeedLink(false, who(ctx))
		})
	serve(api, operation{"renew-feed", http.MethodPost, "/api/feed", "A new secret link; the old one stops working",
		person.KeepFeed, 0, nil},
		func(ctx context.Context, _ *struct{}) (out workshop.FeedView, err error) {
			return shop.FeedLink(true, who(ctx))
		})
}

// serveFeed answers whoever has the secret link.
func (s *Server) feed(w http.ResponseWriter, r *http.Request) {
	text, valid, err := s.shop.Feed(strings.TrimSuffix(chi.URLParam(r, "secret"), ".ics"))
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
		w.Header().Set("Content-Type", "text/calendar; charset=utf-8")
		w.Write(text)
	}
}
