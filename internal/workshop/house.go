package workshop

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"northneedle/core/gas"
	"northneedle/core/interval"
	"northneedle/core/person"
	"northneedle/core/procedure"
	"northneedle/core/report"
	"northneedle/core/run"
	"northneedle/internal/backup"
	"northneedle/internal/people"
)

// HouseView is how a workshop is set up.
type HouseView struct {
	People     []Colleague     `json:"people"`
	Lab        run.Lab         `json:"lab"`
	Intervals  interval.Rules  `json:"intervals"`
	Procedures []ProcedureView `json:"procedures"`
	Schools    []string        `json:"schools" doc:"all that procedures know"`
	Day        WorkingDay      `json:"day"`
	Sites      []string        `json:"sites" doc:"where devices are"`
	Families   []string        `json:"families" doc:"that procedures know"`
	Prices     report.Prices   `json:"prices"`
	Address    string          `json:"address" doc:"at which others reach this server, as labels carry it; empty: labels carry the tag"`
	Version    string          `json:"version"`
}

// RecordCheck is what a check of the whole record found.
type RecordCheck struct {
	Events      int    `json:"events"`
	Checkpoints int    `json:"checkpoints" doc:"signed before now, and held against the record"`
	Broken      string `json:"broken,omitempty"`

	Backwards []string `json:"backwards" doc:"where time goes back, and by whose clock"`
}

// SetIntervals sets the lab's figures for its intervals.
func (ws *Workshop) SetIntervals(rules interval.Rules, who person.Person) error {
	if err := rules.Check(); err != nil {
		return invalid("intervals", Sentence(err))
	}
	return ws.Ledger.SetSetting(ws.act("", "interval rules set", who, ""), "intervals", rules)
}

// CheckRecord checks the whole record's chain.
func (ws *Workshop) CheckRecord() RecordCheck {
	folders := []string{}
	if ws.Seal != nil {
		folders = ws.Seal.Folders()
	}
	held, err := Hold(ws.Ledger, folders...)
	check := RecordCheck{Events: held.Events, Checkpoints: held.Checkpoints, Backwards: []string{}}
	for _, b := range held.Backwards {
		check.Backwards = append(check.Backwards, Sentence(errors.New(b.String())))
	}
	if err != nil {
		check.Broken = err.Error()
	}
	return check
}

// Backup is a copy of everything but the private key, made while it is in use; with a passphrase it is encrypted.
func (ws *Workshop) Backup(passphrase string, who person.Person) (f File, err error) {
	from, err := passing(func(out *os.File) error {
		return backup.Write(ws.Ledger, filepath.Dir(ws.Folder), passphrase, out)
	})
	if err != nil {
		return f, invalid("passphrase", Sentence(err))
	}
	if err := ws.Ledger.Log(ws.act("", "copy taken", who, ""), "record/copy"); err != nil {
		return f, err
	}
	return File{Name: "northneedle-" + ws.Clock().Format("20060102-1504") + ".backup",
		Type: "application/octet-stream", Save: true,
		From: from}, nil
}

// House is how the workshop is set up.
func (ws *Workshop) House() (HouseView, error) {
	v := HouseView{
		People:     []Colleague{},
		Procedures: []ProcedureView{},
		Schools:    []string{},
		Families:   []string{},
		Version:    ws.Version,
	}
	everyone, err := ws.Ledger.Everyone()
	if err != nil {
		return v, err
	}
	for _, p := range everyone {
		one := Colleague{ID: p.ID, Name: p.Name, Role: p.Role, Active: p.Active, Works: person.Can(p.Role,
			person.WorkRuns), By: p.SignsInBy()}
		for _, other := range everyone {
			if other.ID != p.ID && people.LooksLike(other.Name, p.Name) {
				one.Like = other.Name
			}
		}
		v.People = append(v.People, one)
	}
	if v.Lab, err = ws.Lab(); err != nil {
		return v, err
	}
	if v.Intervals, err = ws.rules(); err != nil {
		return v, err
	}
	if err := ws.Ledger.Setting("prices", &v.Prices); err != nil {
		return v, err
	}
	if err := ws.Ledger.Setting(publicAddress, &v.Address); err != nil {
		return v, err
	}
	if v.Sites, err = ws.Ledger.Sites(); err != nil {
		return v, err
	}
	day, err := ws.workingDay()
	v.Day = day
	for _, p := range ws.procedures() {
		one := ws.procedureView(p, day.Hands)
		for _, school := range one.Schools {
			if !slices.Contains(v.Schools, school) {
				v.Schools = append(v.Schools, school)
			}
		}
		v.Procedures = append(v.Procedures, one)
		if !slices.Contains(v.Families, p.Family) {
			v.Families = append(v.Families, p.Family)
		}
	}
	return v, err
}

// SetLab sets how the lab judges.
func (ws *Workshop) SetLab(lab run.Lab, who person.Person) error {
	if strings.TrimSpace(lab.Name) == "" {
		return invalid("name", "The lab's name stands on every certificate: it must not be empty.")
	}
	if err := lab.Rule.Check(); err != nil {
		return invalid("rule", Sentence(err))
	}
	if err := lab.Policy.Check(); err != nil {
		return invalid("policy", Sentence(err))
	}
	if err := lab.Room.Check(); err != nil {
		return invalid("room", Sentence(err))
	}
	if basis := lab.Conventions["co2_basis"]; basis != "" && basis != string(gas.AmbientDry) &&
		basis != string(gas.BodySaturated) {
		return invalid("conventions.co2_basis", fmt.Sprintf("A partial pressure is shown %s or %s.", gas.AmbientDry,
			gas.BodySaturated))
	}
	if !slices.Contains([]procedure.Review{procedure.ReviewNever, procedure.ReviewOnFailure, procedure.ReviewAlways},
		lab.Review) {
		return invalid("review", "A review is wanted never, on failure or always.")
	}
	present, err := ws.Lab()
	if err != nil {
		return err
	}
	lab.Letterhead = present.Letterhead // set by itself
	return ws.Ledger.SetSetting(ws.act("", "lab's rules set", who, ""), "lab", lab)
}
