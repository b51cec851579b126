package api

import (
	"errors"
	"log/slog"
	"net/http"

	"northneedle/core/person"
	"northneedle/internal/people"
)

// UseDirectory lets people of a directory sign in; secret is this server's own there.
func (s *Server) UseDirectory(d person.Directory, secret string) { s.auth.UseDirectory(d, secret) }

// toDirectory sends a browser to the directory; ?join joins the account of whoever is signed in, and ?window says that it was
// opened over the page and closes itself.
func (s *Server) toDirectory(w http.ResponseWriter, r *http.Request) {
	to := "/"
	switch {
	case r.URL.Query().Has("window"):
		to = "/signed-in"
	case r.URL.Query().Has("join"):
		to = "/me"
	}
	at, err := s.auth.AskDirectory(r.Context(), to, r.URL.Query().Has("join"))
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
