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
			out, err = shop.Session(who(ctx))
			out.OneTime = s.auth.MustChange(ctx)
			return out, err
		})
	serve(api, operation{"sign-in", http.MethodPost, "/api/session", "Sign in", person.Public, 0, nil},
		func(ctx context.Context, in *struct {
			Body struct {
				Name     string `json:"name" maxLength:"200"`
				Password string `json:"password" maxLength:"200"`
			}
		}) (out workshop.SessionView, err error) {
			p, err := s.auth.SignIn(ctx, in.Body.Name, in.Body.Password)
			if errors.Is(err, people.ErrRefused) {
				return out, &Problem{Status: http.StatusUnauthorized, Title: "Not signed in", Code: "sign-in", Field: "password",
					Detail: "That name and password do not go together. Try again, or ask the lead to set a new password."}
			}
			if err != nil {
				return out, refusedTry(err)
			}
			out, err = shop.Session(person.Person{ID: p.ID, Name: p.Name, Role: p.Role})
			out.OneTime = p.OneTime
			return out, err
		})
	serveNothing(api, operation{"change-password", http.MethodPost, "/api/session/password",
		"Change one's own password; all other sessions end", person.Look, 0, nil},
		func(ctx context.Context, in *struct {
			Body struct {
				Old string `json:"old" maxLength:"200"`
				New string `json:"new" maxLength:"300"`
			}
		}) error {
			err := s.auth.ChangePassword(ctx, in.Body.Old, in.Body.New)
			if errors.Is(err, people.ErrRefused) {
				return &Problem{Status: http.StatusUnprocessableEntity, Title: "Not changed", Code: "old-password", Field: "old",
					Detail: "The old password is another one. Nothing was changed."}
			}
			return refusedTry(err)
		})
	serve(api, operation{"my-sessions", http.MethodGet, "/api/session/mine", "Where one is signed in", person.Look, 0, nil},
		func(ctx context.Context, _ *struct{}) ([]workshop.OpenSession, error) {
			mine, err := s.auth.Mine(ctx)
			return workshop.OpenSessions(mine), err
		})
	serveNothing(api, operation{"end-session", http.MethodDelete, "/api/session/mine/{session}", "End a session of one's own", person.Look, 0,
		nil},
		func(ctx context.Context, in *struct {
			Session string `path:"session" maxLength:"60"`
		}) error {
			return s.auth.End(ctx, in.Session)
		})
	serveNothing(api, operation{"sign-out", http.MethodDelete, "/api/session", "Sign out", person.Public, 0, nil},
		func(ctx context.Context, _ *struct{}) error { return s.auth.SignOut(ctx) })
	serve(api, operation{"reviewers", http.MethodGet, "/api/reviewers", "Who can countersign a run", person.Look, 0,
		nil},
		func(ctx context.Context, _ *struct{}) ([]workshop.PersonView, error) {
			return shop.Reviewers(who(ctx))
		})
}

// refusedTry is what is answered where a password was not looked at, or not taken.
func refusedTry(err error) error {
	var tooMany *people.ErrTooMany
	var weak *people.Weak
	switch {
	case errors.As(err, &tooMany):
		return &Problem{Status: http.StatusTooManyRequests, Title: "Too many tries", Detail: workshop.Sentence(err), Code: "sign-in",
			Field: "password"}
	case errors.Is(err, people.ErrBusy):
		return &Problem{Status: http.StatusServiceUnavailable, Title: "Not now", Detail: workshop.Sentence(err), Code: "busy"}
	case errors.As(err, &weak):
		return &Problem{Status: http.StatusUnprocessableEntity, Title: "Not changed", Detail: workshop.Sentence(err), Code: "new-password",
			Field: "new"}
	}
	return err
}
