package api

import (
	"context"
	"fmt"
	"net/http"

	"northneedle/core/duty"
	"northneedle/core/person"
	"northneedle/internal/ledger"
	"northneedle/internal/paper"

	"github.com/danielgtaylor/huma/v2"
)

// mostLabels is how many labels are written at a time.
const mostLabels = 480

func registerLabels(api huma.API, h *House) {
	serveFile(api, operation{"labels", http.MethodGet, "/api/labels.pdf",
		"Labels: one, or a sheet of those that a search finds", person.Look, 0, nil}.as("application/pdf"),
		func(ctx context.Context, in *struct {
			Host   string `header:"Host"`
			Tag    string `query:"tag" maxLength:"60" doc:"one label, on a page of its own"`
			Search string `query:"search" maxLength:"100"`
			First  int    `query:"first" default:"1" minimum:"1" maximum:"24" doc:"place on the first sheet"`
		}) (*file, error) {
			body, err := h.labels(in.Host, in.Tag, in.Search, in.First-1)
			if err != nil {
				return nil, err
			}
			return &file{"application/pdf", `inline; filename="labels.pdf"`, body}, nil
		})
}

func (h *House) labels(host, tag, search string, first int) ([]byte, error) {
	lab, err := h.lab()
	if err != nil {
		return nil, err
	}
	var assets []ledger.Asset
	if tag != "" {
		a, err := h.Ledger.Asset(tag)
		if err != nil {
			return nil, err
		}
		assets = []ledger.Asset{a}
	} else if assets, err = h.Ledger.Assets(ledger.AssetPage{Search: search, Limit: mostLabels}); err != nil {
		return nil, err
	}
	ids := make([]string, len(assets))
	for i, a := range assets {
		ids[i] = a.ID
	}
	activities, err := h.Ledger.Activities(ids...)
	if err != nil {
		return nil, err
	}
	labels := make([]paper.Label, len(assets))
	at := map[string]int{}
	for i, a := range assets {
		at[a.ID] = i
		labels[i] = paper.Label{
			Tag:    a.Tag,
			Device: a.Maker + " " + a.Model,
			Lab:    lab.Name,
			Code:   "http://" + host + "/equipment/" + a.Tag,
		}
		if a.Status != ledger.InUse {
			labels[i].Stop = a.Status
		}
	}
	for _, a := range activities {
		l := &labels[at[a.AssetID]]
		standing := a.Duty.Stands(a.State(), h.Clock())
		if a.Duty.Stops(standing) && l.Stop == "" {
			l.Stop = fmt.Sprintf("%s: %s", a.Title, standing.Words)
		}
		if a.Procedure == "" || !duty.HasDay(a.DueOn) {
			continue
		}
		if due := a.DueOn; l.Due == nil || due.Before(*l.Due) {
			l.Due = &due
		}
		if a.LastOn != nil && (l.Done == nil || a.LastOn.After(*l.Done)) {
			l.Done = a.LastOn
		}
	}
	body, err := paper.Labels(labels, tag != "", first)
	if err != nil {
		return nil, invalid("search", sentence(err))
	}
	return body, nil
}
