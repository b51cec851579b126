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
			if owner, locked := s.auth.Locked(ctx); locked {
				out, err = shop.Session(person.Person{})
				out.Locked = &workshop.PersonView{ID: owner.ID, Name: owner.Name, Role: owner.Role}
				if p, err := s.shop.Ledger.Person(ctx, owner.ID); err == nil {
					out.By = p.SignsInBy()
				}
				out.Directory = s.auth.Directory()
				return out, err
			}
			return s.session(ctx, who(ctx))
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
				return out, &Problem{Status: http.StatusUnauthorized, Title: "Not signed in", Code: "sign-in",
					Field:  "password",
					Detail: "That name and password do not go together. Try again, or ask the lead to set a new password."}
			}
			if err != nil {
				return out, refusedTry(err)
			}
			return s.session(ctx, person.Person{ID: p.ID, Name: p.Name, Role: p.Role})
		})
	serveNothing(api, operation{"lock", http.MethodPost, "/api/session/lock",
		"Lock the page: its owner signs in again over it", person.OwnAccount,
		0, nil},
		func(ctx context.Context, _ *struct{}) error { s.auth.Lock(ctx); return nil })
	serveNothing(api, operation{"change-password", http.MethodPost, "/api/session/password",
		"Change one's own password; all other sessions end", person.OwnAccount, 0, nil},
		func(ctx context.Context, in *struct {
			Body struct {
				Old string `json:"old" maxLength:"200"`
				New string `json:"new" maxLength:"300"`
			}
		}) error {
			err := s.auth.ChangePassword(ctx, in.Body.Old, in.Body.New)
			if errors.Is(err, people.ErrRefused) {
				return &Problem{Status: http.StatusUnprocessableEntity, Title: "Not changed", Code: "old-password",
					Field:  "old",
					Detail: "The old password is another one. Nothing was changed."}
			}
			return refusedTry(err)
		})
	serveNothing(api, operation{"start", http.MethodPost, "/api/session/start",
		"Register the first two accounts of an empty record", person.Public, 0, nil},
		func(_ context.Context, in *struct{ Body workshop.StartOrder }) error { return s.shop.Start(in.Body) })
	serveNothing(api, operation{"set-own-mail", http.MethodPost, "/api/session/mail",
		"Set the address that what waits for one's review is sent to", person.OwnAccount, 0, nil},
		func(ctx context.Context, in *struct {
			Body struct {
				Mail string `json:"mail" maxLength:"200" doc:"empty: nothing is sent"`
			}
		}) error {
			return s.shop.SetOwnMail(ctx, in.Body.Mail, who(ctx))
		})
	serveNothing(api, operation{"set-pin", http.MethodPost, "/api/session/pin",
		"Set one's own PIN to sign with; an empty one is none",
		person.OwnAccount, 0, nil},
		func(ctx context.Context, in *struct {
			Body struct {
				Password string `json:"password" maxLength:"200"`
				PIN      string `json:"pin" maxLength:"30"`
			}
		}) error {
			return unconfirmed(s.auth.SetPIN(ctx, in.Body.Password, in.Body.PIN), "password")
		})
	serve(api, operation{"my-sessions", http.MethodGet, "/api/session/mine", "Where one is signed in",
		person.OwnAccount, 0, nil},
		func(ctx context.Context, _ *struct{}) ([]workshop.OpenSession, error) {
			mine, err := s.auth.Mine(ctx)
			return workshop.OpenSessions(mine), err
		})
	serveNothing(api, operation{"end-session", http.MethodDelete, "/api/session/mine/{session}",
		"End a session of one's own", person.OwnAccount, 0,
		nil},
		func(ctx context.Context, in *struct {
			Session string `path:"session" maxLength:"60"`
		}) error {
			return s.auth.End(ctx, in.Session)
		})
	serveNothing(api, operation{"sign-out", http.MethodDelete, "/api/session", "Sign out", person.Public, 0, nil},
		func(ctx context.Context, _ *struct{}) error { return s.auth.SignOut(ctx) })
}

// session is what the page is told of whoever is signed in; of nobody, what the sign-in page needs.
func (s *Server) session(ctx context.Context, who person.Person) (workshop.SessionView, error) {
	out, err := s.shop.Session(who)
	if err != nil {
		return out, err
	}
	out.Directory = s.auth.Directory()
	if who.ID == "" {
		return out, nil
	}
	p, err := s.shop.Ledger.Person(ctx, who.ID)
	if err != nil {
		return out, err
	}
	if out.Owes, err = s.auth.Owes(ctx); err != nil {
		return out, err
	}
	mine, err := s.auth.MyPasskeys(ctx)
	out.Mail = p.Mail
	out.GivenBy, out.GivenAt, out.PIN, out.Passkey, out.By = p.GivenBy, p.GivenAt, p.PinHash != "", len(mine) > 0, p.SignsInBy()
	return out, err
}

// unconfirmed is what is answered where it was not shown who somebody is; field is where they were to show it.
func unconfirmed(err error, field string) error {
	switch {
	case errors.Is(err, people.ErrPINSpent):
		return &Problem{Status: http.StatusUnauthorized, Title: "Signed out", Detail: workshop.Sentence(people.ErrPINSpent),
			Code: "pin-spent", Field: field}
	case errors.Is(err, people.ErrRefused):
		return &Problem{Status: http.StatusUnprocessableEntity, Title: "Not signed", Code: "unconfirmed", Field: field,
			Detail: "That is not the password or PIN of whoever is signed in here. Nothing was recorded; write it again."}
	case errors.Is(err, people.ErrUnconfirmed), errors.Is(err, people.ErrNoPasskey), errors.Is(err, people.ErrByNumber),
		errors.Is(err, people.ErrProveAgain), errors.Is(err, people.ErrOwnPasswordFirst):
		return &Problem{Status: http.StatusUnprocessableEntity, Title: "Not signed", Code: "unconfirmed", Field: field,
			Detail: workshop.Sentence(err)}
	}
	return refusedTry(err)
}

// refusedTry is what is answered where a password was not looked at, or not taken.
func refusedTry(err error) error {
	var tooMany *people.ErrTooMany
	var weak *people.Weak
	switch {
	case errors.As(err, &tooMany):
		return &Problem{Status: http.StatusTooManyRequests, Title: "Too many tries", Detail: workshop.Sentence(err),
			Code:  "sign-in",
			Field: "password"}
	case errors.Is(err, people.ErrBusy):
		return &Problem{Status: http.StatusServiceUnavailable, Title: "Not now", Detail: workshop.Sentence(err), Code: "busy"}
	case errors.As(err, &weak):
		return &Problem{Status: http.StatusUnprocessableEntity, Title: "Not changed", Detail: workshop.Sentence(err),
			Code:  "new-password",
			Field: "new"}
	}
	return err
}
