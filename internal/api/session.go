package api

import (
	"context"
	"errors"
	"net/http"

	"northneedle/core/person"
	"northneedle/internal/people"
	"northneedle/internal/workshop"

	"github.com/danielgtaylor/huma/v2"
)

func registerSession(api huma.API, s *Server) {
	shop := s.shop
	serve(api, operation{"session", http.MethodGet, "/api/session", "Who is signed in", person.Public, 0, nil},
		func(ctx context.Context, _ *struct{}) (out workshop.SessionView, err error) {
			return shop.Session(who(ctx))
		})
	serve(api, operation{"sign-in", http.MethodPost, "/api/session", "Sign in", person.Public, 0, nil},
		func(ctx context.Context, in *struct {
			Body struct {
				Name     string `json:"name" maxLength:"200"`
				Password string `json:"password" maxLength:"200"`
			}
		}) (out workshop.SessionView, err error) {
			p, err := s.auth.SignIn(ctx, in.Body.Name, in.Body.Password)
			switch {
			case errors.Is(err, people.ErrRefused):
				return out, &Problem{
					Status: http.StatusUnauthorized,
					Title:  "Not signed in",
					Detail: "That name and password do not go together. Try again, or ask the lead to set a new password.",
					Code:   "sign-in",
					Field:  "password",
				}
			case errors.Is(err, people.ErrTooMany):
				return out, &Problem{
					Status: http.StatusTooManyRequests,
					Title:  "Too many tries",
					Detail: "There were too many wrong passwords for this name. Wait a minute, then try again.",
					Code:   "sign-in",
					Field:  "password",
				}
			case err != nil:
				return out, err
			}
			return shop.Session(person.Person{ID: p.ID, Name: p.Name, Role: p.Role})
		})
	serveNothing(api, operation{"sign-out", http.MethodDelete, "/api/session", "Sign out", person.Public, 0, nil},
		func(ctx context.Context, _ *struct{}) error { return s.auth.SignOut(ctx) })
	serve(api, operation{"reviewers", http.MethodGet, "/api/reviewers", "Who can countersign a run", person.Look, 0,
		nil},
		func(ctx context.Context, _ *struct{}) ([]workshop.PersonView, error) {
			return shop.Reviewers(who(ctx))
		})
}
