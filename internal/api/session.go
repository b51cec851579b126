package api

import (
	"context"
	"errors"
	"net/http"

	"northneedle/core/person"
	"northneedle/internal/people"

	"github.com/danielgtaylor/huma/v2"
)

// DemoPassword is what the demo's people sign in with. It is shown on the page.
const DemoPassword = "north-needle"

// SessionView is who is signed in, and what the sign-in page needs.
type SessionView struct {
	Person  *PersonView     `json:"person,omitempty"`
	Demo    []PersonView    `json:"demo,omitempty" doc:"people of the demo, in demo mode only"`
	Can     []person.Action `json:"can" doc:"what whoever is signed in may do"`
	Lab     string          `json:"lab"`
	Version string          `json:"version"`
}

// PersonView is a person.
type PersonView struct {
	ID   string      `json:"id"`
	Name string      `json:"name"`
	Role person.Role `json:"role" enum:"trainee,technician,lead,manager,administrator"`
}

func registerSession(api huma.API, h *House) {
	serve(api, operation{"session", http.MethodGet, "/api/session", "Who is signed in", person.Public, 0, nil},
		func(ctx context.Context, _ *struct{}) (out SessionView, err error) { return h.session(who(ctx)) })
	serve(api, operation{"sign-in", http.MethodPost, "/api/session", "Sign in", person.Public, 0, nil},
		func(ctx context.Context, in *struct {
			Body struct {
				Name     string `json:"name" maxLength:"200"`
				Password string `json:"password" maxLength:"200"`
			}
		}) (out SessionView, err error) {
			p, err := h.desk.SignIn(ctx, in.Body.Name, in.Body.Password)
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
			return h.session(person.Person{ID: p.ID, Name: p.Name, Role: p.Role})
		})
	serveNothing(api, operation{"sign-out", http.MethodDelete, "/api/session", "Sign out", person.Public, 0, nil},
		func(ctx context.Context, _ *struct{}) error { return h.desk.SignOut(ctx) })
	serve(api, operation{"reviewers", http.MethodGet, "/api/reviewers", "Who can countersign a run", person.Look, 0,
		nil},
		func(ctx context.Context, _ *struct{}) ([]PersonView, error) {
			everyone, err := h.Ledger.People()
			if err != nil {
				return nil, err
			}
			out := []PersonView{}
			for _, p := range everyone {
				if person.Can(p.Role, person.Review) && p.ID != who(ctx).ID {
					out = append(out, PersonView{p.ID, p.Name, p.Role})
				}
			}
			return out, nil
		})
}

func (h *House) session(who person.Person) (out SessionView, err error) {
	lab, err := h.lab()
	if err != nil {
		return out, err
	}
	out = SessionView{Lab: lab.Name, Version: h.Version, Can: []person.Action{}}
	if who.ID != "" {
		out.Person, out.Can = &PersonView{who.ID, who.Name, who.Role}, person.Cans(who.Role)
		return out, nil
	}
	if h.Demo {
		everyone, err := h.Ledger.People()
		if err != nil {
			return out, err
		}
		for _, p := range everyone {
			if p.Demo {
				out.Demo = append(out.Demo, PersonView{p.ID, p.Name, p.Role})
			}
		}
	}
	return out, nil
}
