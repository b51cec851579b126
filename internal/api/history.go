package api

import (
	"context"
	"net/http"
	"time"

	"northneedle/core/person"
	"northneedle/internal/ledger"

	"github.com/danielgtaylor/huma/v2"
)

// HappenedView is one thing that happened to a record.
type HappenedView struct {
	At      time.Time        `json:"at"`
	By      string           `json:"by"`
	What    string           `json:"what"`
	Why     string           `json:"why,omitempty"`
	Changes []ledger.Changed `json:"changes" doc:"the fields that were changed, before and after"`
}

// listedHistory is how many events of a history are shown.
const listedHistory = 100

// mayRead is what one needs to be allowed to read a history.
var mayRead = map[string]person.Action{
	"device":    person.Look,
	"reference": person.Look,
	"person":    person.KeepPeople,
	"house":     person.CheckRecord,
}

func registerHistory(api huma.API, h *House) {
	serve(api, operation{"history", http.MethodGet, "/api/history/{of}/{id}",
		"What happened to a device, a reference, a person or the house, as the log has it", person.Look, 0, nil},
		func(ctx context.Context, in *struct {
			Of string `path:"of" enum:"device,reference,person,house"`
			ID string `path:"id" maxLength:"120" doc:"its id or tag; of the house: all"`
		}) (out []HappenedView, err error) {
			if err := mayDo(ctx, mayRead[in.Of]); err != nil {
				return nil, err
			}
			subjects, err := h.subjectsOf(in.Of, in.ID)
			if err != nil {
				return nil, err
			}
			happened, err := h.Ledger.History(listedHistory, subjects...)
			if err != nil {
				return nil, err
			}
			out = []HappenedView{}
			for _, e := range happened {
				if e.Changes == nil {
					e.Changes = []ledger.Changed{}
				}
				out = append(out, HappenedView{e.At, e.By.Name, e.Kind, e.Why, e.Changes})
			}
			return out, nil
		})
}

// subjectsOf are the records that a history is of.
func (h *House) subjectsOf(of, id string) ([]string, error) {
	switch of {
	case "device":
		a, err := h.Ledger.Asset(id)
		if err != nil {
			return nil, err
		}
		all, err := h.Ledger.Activities(a.ID)
		subjects := []string{"assets/" + a.ID}
		for _, activity := range all {
			subjects = append(subjects, "activities/"+activity.ID)
		}
		return subjects, err
	case "reference":
		s, err := h.Ledger.Standard(id)
		if err != nil {
			return nil, err
		}
		certificates, err := h.Ledger.Certificates(s.ID)
		subjects := []string{"standards/" + s.ID}
		for _, c := range certificates {
			subjects = append(subjects, "standard_certificates/"+c.ID)
		}
		return subjects, err
	case "person":
		return []string{"people/" + id}, nil
	}
	return []string{"settings/", "procedure_revisions/", "people/", "instruments/", "record/"}, nil
}
