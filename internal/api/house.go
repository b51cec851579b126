package api

import (
	"context"
	"net/http"

	"northneedle/core/interval"
	"northneedle/core/person"
	"northneedle/core/run"
	"northneedle/internal/workshop"

	"github.com/danielgtaylor/huma/v2"
)

// maxPeople is the largest list of people.
const maxPeople = 1 << 20

func registerHouse(api huma.API, s *Server) {
	shop := s.shop
	serve(api, operation{"house", http.MethodGet, "/api/house", "How the workshop is set up", person.LookHouse, 0, nil},
		func(ctx context.Context, _ *struct{}) (out workshop.HouseView, err error) { return shop.House() })
	serve(api, operation{"add-person", http.MethodPost, "/api/house/people", "Register someone who may sign in",
		person.KeepPeople, 0, nil},
		func(ctx context.Context, in *struct{ Body workshop.PersonOrder }) (out workshop.HouseView, err error) {
			if err := shop.AddPerson(in.Body, who(ctx)); err != nil {
				return out, err
			}
			return shop.House()
		})
	serve(api, operation{"change-person", http.MethodPost, "/api/house/people/{id}",
		"Change what someone may do, or whether they may sign in", person.KeepPeople, 0, nil},
		func(ctx context.Context, in *struct {
			ID   string `path:"id" maxLength:"60"`
			Body workshop.PersonOrder
		}) (out workshop.HouseView, err error) {
			if err := shop.ChangePerson(ctx, in.ID, in.Body, who(ctx)); err != nil {
				return out, err
			}
			return shop.House()
		})
	serve(api, operation{"holdings", http.MethodGet, "/api/house/people/{id}/holdings", "What somebody still has in hand",
		person.LookHouse, 0, nil},
		func(ctx context.Context, in *struct {
			ID string `path:"id" maxLength:"60"`
		}) ([]workshop.Holding, error) {
			return shop.Holdings(ctx, in.ID)
		})
	serveUpload(api, operation{"read-people", http.MethodPost, "/api/house/people-list",
		"Read a list of people, and register those of it who can be", person.KeepPeople, maxPeople, nil}.as(
		"application/octet-stream"),
		func(ctx context.Context, in *struct {
			Take    bool   `query:"take" doc:"they are registered, each with a one-time password"`
			RawBody []byte `contentType:"application/octet-stream"`
		}) (workshop.PersonListView, error) {
			return shop.PersonList(in.RawBody, in.Take, who(ctx))
		})
	serveFile(api, operation{"people-list", http.MethodGet, "/api/house/people-list",
		"The people as a list that can be brought in again", person.KeepPeople, 0, nil}.as("text/csv", "application/json",
		"application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"),
		func(ctx context.Context, in *struct {
			Format string `query:"format" enum:"csv,xlsx,json" default:"csv"`
		}) (workshop.File, error) {
			return shop.People(in.Format, who(ctx))
		})
	serve(api, operation{"competences", http.MethodGet, "/api/house/competences", "Who may do which devices alone",
		person.LookHouse, 0, nil},
		func(_ context.Context, _ *struct{}) ([]workshop.CompetenceView, error) { return shop.Competences() })
	serve(api, operation{"name-competence", http.MethodPost, "/api/house/competences",
		"Put on record that somebody may do devices alone",
		person.NameCompetence, 0, nil},
		func(ctx context.Context, in *struct{ Body workshop.CompetenceOrder }) ([]workshop.CompetenceView, error) {
			if err := shop.NameCompetence(in.Body, who(ctx)); err != nil {
				return nil, err
			}
			return shop.Competences()
		})
	serve(api, operation{"take-competence-back", http.MethodPost, "/api/house/competences/{id}/end",
		"End that somebody may do devices alone",
		person.NameCompetence, 0, nil},
		func(ctx context.Context, in *struct {
			ID   string `path:"id" maxLength:"60"`
			Body struct {
				Reason string `json:"reason" maxLength:"400"`
			}
		}) ([]workshop.CompetenceView, error) {
			if err := shop.TakeCompetenceBack(in.ID, in.Body.Reason, who(ctx)); err != nil {
				return nil, err
			}
			return shop.Competences()
		})
	serve(api, operation{"set-lab", http.MethodPost, "/api/house/lab", "How the lab judges", person.SetRules, 0, nil},
		func(ctx context.Context, in *struct{ Body run.Lab }) (out workshop.HouseView, err error) {
			if err := shop.SetLab(in.Body, who(ctx)); err != nil {
				return out, err
			}
			return shop.House()
		})
	serve(api, operation{"set-letterhead", http.MethodPost, "/api/house/letterhead", "What the lab's papers carry",
		person.SetRules,
		0, nil}, func(ctx context.Context, in *struct{ Body workshop.LetterheadOrder }) (out workshop.HouseView, err error) {
		if err := shop.SetLetterhead(in.Body, who(ctx)); err != nil {
			return out, err
		}
		return shop.House()
	})
	serve(api, operation{"set-logo", http.MethodPost, "/api/house/logo", "The picture that the lab's papers carry",
		person.SetRules,
		300_000, nil}, func(ctx context.Context, in *struct{ Body workshop.LogoOrder }) (out workshop.HouseView, err error) {
		if err := shop.SetLogo(in.Body, who(ctx)); err != nil {
			return out, err
		}
		return shop.House()
	})
	serve(api, operation{"set-intervals", http.MethodPost, "/api/house/intervals",
		"The lab's figures for its intervals", person.SetIntervals, 0, nil},
		func(ctx context.Context, in *struct{ Body interval.Rules }) (out workshop.HouseView, err error) {
			if err := shop.SetIntervals(in.Body, who(ctx)); err != nil {
				return out, err
			}
			return shop.House()
		})
	serve(api, operation{"check-record", http.MethodPost, "/api/house/check", "Check the whole record's chain",
		person.CheckRecord, 0, nil},
		func(_ context.Context, _ *struct{}) (out workshop.RecordCheck, err error) {
			return shop.CheckRecord(), nil
		})
	serveFile(api, operation{"backup", http.MethodPost, "/api/house/backup",
		"A copy of everything but the private key, made while it is in use", person.Backup, 0, nil}.as("application/octet-stream"),
		func(ctx context.Context, in *struct {
			Body struct {
				Passphrase string `json:"passphrase,omitempty" maxLength:"400" doc:"it is encrypted under it; left out: it is not encrypted"`
			}
		}) (workshop.File, error) {
			return shop.Backup(in.Body.Passphrase, who(ctx))
		})
	serveFile(api, operation{"export-key", http.MethodPost, "/api/house/key",
		"The workshop's key under a passphrase, for a safe",
		person.Backup, 0, nil}.as("application/octet-stream"),
		func(ctx context.Context, in *struct {
			Body struct {
				Passphrase string `json:"passphrase" maxLength:"400"`
			}
		}) (workshop.File, error) {
			return shop.ExportKey(in.Body.Passphrase, who(ctx))
		})
	serve(api, operation{"first-steps", http.MethodGet, "/api/house/first-steps",
		"What a workshop does once, and what of it is open", person.LookHouse, 0, nil},
		func(_ context.Context, _ *struct{}) ([]workshop.FirstStep, error) { return shop.FirstSteps() })
	serve(api, operation{"set-first-step", http.MethodPost, "/api/house/first-steps", "Do without a first step, or do not",
		person.SetRules, 0, nil},
		func(ctx context.Context, in *struct{ Body workshop.StepOrder }) (out []workshop.FirstStep, err error) {
			if err := shop.SetStep(in.Body, who(ctx)); err != nil {
				return nil, err
			}
			return shop.FirstSteps()
		})
	serve(api, operation{"care", http.MethodGet, "/api/house/care", "How the record is looked after",
		person.CheckRecord, 0, nil},
		func(_ context.Context, _ *struct{}) (workshop.CareView, error) { return shop.Care(), nil })
}
