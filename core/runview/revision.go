package runview

import (
	"northneedle/core/run"
	"time"
)

// RevisionView is one reissue of a certificate, with the fields that it changed.
type RevisionView struct {
	Revision int       `json:"revision"`
	Reason   string    `json:"reason"`
	Changes  []string  `json:"changes"`
	At       time.Time `json:"at"`
	By       string    `json:"by"`
}

func viewRevisions(r run.Run) []RevisionView {
	views := []RevisionView{}
	device := r.Device
	for _, v := range r.Revisions {
		next, changes := v.Device.On(device)
		if v.Remark != "" {
			changes = append(changes, "remark added: "+v.Remark)
		}
		device = next
		views = append(views, RevisionView{v.Revision, v.Reason, changes, v.At, v.By.Name})
	}
	return views
}
