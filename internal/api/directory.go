package api

import (
	"context"
	"errors"
	"log/slog"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"northneedle/core/person"
	"northneedle/internal/people"
)

// UseDirectory lets people of a directory sign in; secret is this server's own there.
func (s *Server) UseDirectory(d person.Directory, secret string) { s.auth.UseDirectory(d, secret) }

// registerDirectory lets whoever is signed in join their account to the directory.
func registerDirectory(api huma.API, s *Server) {
	serve(api, operation{"join-directory", http.MethodPost, "/api/session/directory",
		"Join one's own account to the directory: one signs in there from then on", person.OwnAccount, 0, nil},
		func(ctx context.Context, in *struct {
			Body struct {
				Password string `json:"password" maxLength:"200"`
			}
		}) (out struct {
			Address string `json:"address" doc:"at the directory, where one shows who one is there"`
		}, err error) {
			out.Address, err = s.auth.JoinDirectory(ctx, "/me", in.Body.Password)
			var why people.Refusal
			if errors.As(err, &why) {
				return out, &Problem{Status: http.StatusUnprocessableEntity, Title: "Not joined", Code: string(why),
					Field:  "password",
					Detail: "The directory does not answer now. Nothing was changed; try again later."}
			}
			return out, unconfirmed(err, "password")
		})
}

// toDirectory sends a browser to the directory; ?me leads back to one's own page, and ?window says that it was opened
// over the page and closes itself. No page of another site sends anybody there.
func (s *Server) toDirectory(w http.ResponseWriter, r *http.Request) {
	to := "/"
	switch {
	case r.URL.Query().Has("window"):
		to = "/signed-in"
	case r.URL.Query().Has("me"):
		to = "/me"
	}
	if r.Header.Get("Sec-Fetch-Site") == "cross-site" {
		s.refuse(w, r, people.Expired)
		return
	}
	at, err := s.auth.AskDirectory(r.Context(), to)
	if err != nil {
		s.refuse(w, r, err)
		return
	}
	w.Header().Set("Cache-Control", "no-store")
	http.Redirect(w, r, at, http.StatusFound)
}

// fromDirectory signs in whom the directory sends back.
func (s *Server) fromDirectory(w http.ResponseWriter, r *http.Request) {
	q := r.URL.Query()
	to, err := s.auth.FromDirectory(r.Context(), q.Get("code"), q.Get("state"))
	if err != nil {
		s.refuse(w, r, err)
		return
	}
	w.Header().Set("Cache-Control", "no-store")
	http.Redirect(w, r, to, http.StatusFound)
}

// refuse leads back to the page, which says why.
func (s *Server) refuse(w http.ResponseWriter, r *http.Request, err error) {
	var why people.Refusal
	if !errors.As(err, &why) {
		why = people.NotSaid
	}
	slog.Warn("not signed in by the directory", "error", err)
	w.Header().Set("Cache-Control", "no-store")
	to := "/"
	if _, ok := s.auth.Who(r.Context()); ok {
		to = "/me"
	}
	http.Redirect(w, r, to+"?directory="+string(why), http.StatusFound)
}
