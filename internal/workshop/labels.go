package workshop

import (
	"fmt"

	"northneedle/core/duty"
	"northneedle/internal/ledger"
	"northneedle/internal/paper"
)

// mostLabels is how many labels are written at a time.
const mostLabels = 480

// Labels are labels with the address of each device at a host: one, where a tag is given, else sheets of those
// that a search finds, from a place (0 to 23) on the first sheet.
func (ws *Workshop) Labels(host, tag, search string, first int) (f File, err error) {
	lab, err := ws.Lab()
	if err != nil {
		return f, err
	}
	var assets []ledger.Asset
	if tag != "" {
		a, err := ws.Ledger.Asset(tag)
		if err != nil {
			return f, err
		}
		assets = []ledger.Asset{a}
	} else if assets, err = ws.Ledger.Assets(ledger.AssetPage{Search: search, Limit: mostLabels}); err != nil {
		return f, err
	}
	ids := make([]string, len(assets))
	for i, a := range assets {
		ids[i] = a.ID
	}
	activities, err := ws.Ledger.Activities(ids...)
	if err != nil {
		return f, err
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
		standing := a.Duty.Stands(a.State(), ws.Clock())
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
		return f, invalid("search", sentence(err))
	}
	return File{Name: "labels.pdf", Type: "application/pdf", Body: body}, nil
}
