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
	Person  *PersonView  `json:"person,omitempty"`
	Demo    []PersonView `json:"demo,omitempty" doc:"people of the demo, in demo mode only"`
	Lab     string       `json:"lab"`
	Version string       `json:"version"`
}

// PersonView is a person.
type PersonView struct {
	ID   string            `json:"id"`
	Name string            `json:"name"`
	Role person.PersonRole `json:"role" enum:"trainee,technician,lead,manager"`
}

type sessionOutput struct{ Body SessionView }

func registerSession(api huma.API, h *House) {
	huma.Register(api, huma.Operation{OperationID: "session", Method: http.MethodGet, Path: "/api/session", Summary: "Who is signed in"},
		func(ctx context.Context, _ *struct{}) (*sessionOutput, error) { return h.session(who(ctx)) })
	huma.Register(api, huma.Operation{OperationID: "sign-in", Method: http.MethodPost, Path: "/api/session", Summary: "Sign in"},
		func(ctx context.Context, in *struct {
			Body struct {
				Name     string `json:"name" maxLength:"200"`
				Password string `json:"password" maxLength:"200"`
			}
		}) (*sessionOutput, error) {
			p, err := h.desk.SignIn(ctx, in.Body.Name, in.Body.Password)
			switch {
			case errors.Is(err, people.ErrRefused):
				return nil, &Problem{Status: http.StatusUnauthorized, Title: "Not signed in", Detail: "That name and password do not go together. Try again, or ask the lead to set a new password.", Code: "sign-in", Field: "password"}
			case errors.Is(err, people.ErrTooMany):
				return nil, &Problem{Status: http.StatusTooManyRequests, Title: "Too many tries", Detail: "There were too many wrong passwords for this name. Wait a minute, then try again.", Code: "sign-in", Field: "password"}
			case err != nil:
				return nil, fail(err)
			}
			return h.session(person.Person{ID: p.ID, Name: p.Name, Role: p.Role})
		})
	huma.Register(api, huma.Operation{OperationID: "sign-out", Method: http.MethodDelete, Path: "/api/session", Summary: "Sign out"},
		func(ctx context.Context, _ *struct{}) (*struct{}, error) { return nil, fail(h.desk.SignOut(ctx)) })
	huma.Register(api, huma.Operation{OperationID: "reviewers", Method: http.MethodGet, Path: "/api/reviewers", Summary: "Who can countersign a run"},
		func(ctx context.Context, _ *struct{}) (*struct{ Body []PersonView }, error) {
			everyone, err := h.Ledger.People()
			out := &struct{ Body []PersonView }{Body: []PersonView{}}
			for _, p := range everyone {
				if p.Role == person.Lead && p.ID != who(ctx).ID {
					out.Body = append(out.Body, PersonView{p.ID, p.Name, p.Role})
				}
			}
			return out, fail(err)
		})
}

func (h *House) session(who person.Person) (*sessionOutput, error) {
	lab, err := h.lab()
	if err != nil {
		return nil, fail(err)
	}
	out := &sessionOutput{SessionView{Lab: lab.Name, Version: h.Version}}
	if who.ID != "" {
		out.Body.Person = &PersonView{who.ID, who.Name, who.Role}
		return out, nil
	}
	if h.Demo {
		everyone, err := h.Ledger.People()
		if err != nil {
			return nil, fail(err)
		}
		for _, p := range everyone {
			if p.Demo {
				out.Body.Demo = append(out.Body.Demo, PersonView{p.ID, p.Name, p.Role})
			}
		}
	}
	return out, nil
}
