package workshop

import (
	"errors"
	"slices"
	"time"

	"northneedle/core/person"
	"northneedle/internal/ledger"
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
	"device": person.Look, "instrument": person.Look,
	"reference": person.Look,
	"person":    person.KeepPeople,
	"house":     person.CheckRecord,
	"security":  person.KeepPeople,
}

// History is what happened to a device, a reference, a person or the house, the newest first.
func (ws *Workshop) History(of, id string, who person.Person) ([]HappenedView, error) {
	if err := mayDo(who, mayRead[of]); err != nil {
		return nil, err
	}
	subjects, err := ws.subjectsOf(of, id)
	if err != nil {
		return nil, err
	}
	events, err := ws.Ledger.History(listedHistory, subjects...)
	views := make([]HappenedView, len(events))
	for i, e := range events {
		if e.Changes == nil {
			e.Changes = []ledger.Changed{}
		}
		views[i] = HappenedView{e.At, e.By.Name, e.Kind, e.Why, e.Changes}
	}
	return views, err
}

// HandedOut records that a list or a record left the workshop as a file.
func (ws *Workshop) HandedOut(what string, who person.Person) error {
	return ws.Ledger.Log(ws.act("", "handed out", who, what), "record/files")
}

// fileSubjects are the files that a device or reference has or had.
func (ws *Workshop) fileSubjects(of string) ([]string, error) {
	all, err := ws.Ledger.AllAttachments()
	subjects := []string{}
	for _, f := range all {
		if f.Subject == of {
			subjects = append(subjects, "attachments/"+f.ID)
		}
	}
	return subjects, err
}

// subjectsOf are the records that a history is of.
func (ws *Workshop) subjectsOf(of, id string) ([]string, error) {
	switch of {
	case "instrument":
		return []string{"instruments/" + id}, nil
	case "device":
		a, err := ws.Ledger.Asset(id)
		if err != nil {
			return nil, err
		}
		all, err := ws.Ledger.Activities(a.ID)
		subjects := []string{"assets/" + a.ID}
		for _, activity := range all {
			subjects = append(subjects, "activities/"+activity.ID)
		}
		files, failed := ws.fileSubjects(subjects[0])
		faults, lost := ws.lifeSubjects(a.ID)
		return slices.Concat(subjects, files, faults), errors.Join(err, failed, lost)
	case "reference":
		s, err := ws.Ledger.Standard(id)
		if err != nil {
			return nil, err
		}
		certificates, err := ws.Ledger.Certificates(s.ID)
		subjects := []string{"standards/" + s.ID}
		for _, c := range certificates {
			subjects = append(subjects, "standard_certificates/"+c.ID)
		}
		files, failed := ws.fileSubjects(subjects[0])
		return append(subjects, files...), errors.Join(err, failed)
	case "person":
		return []string{"people/" + id}, nil
	case "security":
		return []string{"people/", "competences/", "tokens/", "passkeys/", "record/", "settings/" + keysSetting}, nil
	}
	return []string{"settings/", "procedure_revisions/", "people/", "instruments/", "record/"}, nil
}
