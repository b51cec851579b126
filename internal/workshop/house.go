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
	"northneedle/internal/definition"
	"northneedle/internal/ledger"
	"northneedle/internal/people"

	"github.com/oklog/ulid/v2"
	"github.com/pmezard/go-difflib/difflib"
)

// ProcedureView is a procedure in the list.
type ProcedureView struct {
	ID       string        `json:"id"`
	Revision int           `json:"revision"`
	Title    string        `json:"title"`
	Family   string        `json:"family"`
	Summary  string        `json:"summary"`
	Steps    int           `json:"steps"`
	Points   int           `json:"points"`
	Minutes  int           `json:"minutes" doc:"about how long a run takes: an estimate"`
	Measures []MeasureName `json:"measures" doc:"what it reads"`
	Schools  []string      `json:"schools" doc:"whose tolerances it knows"`
}

// MeasureName is a measure of a procedure.
type MeasureName struct {
	ID    string `json:"id"`
	Title string `json:"title"`
	Unit  string `json:"unit" doc:"UCUM"`
}

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

// ProcedureText is a procedure as it is written.
type ProcedureText struct {
	Text string `json:"text" maxLength:"600000"`
}

// ProcedureOrder is a procedure to be tried, or approved for use.
type ProcedureOrder struct {
	Text   string `json:"text" maxLength:"600000"`
	Secret string `json:"secret,omitempty" maxLength:"200" doc:"one's password or PIN once more, where it is approved for use"`
}

// DryRun is what an edited procedure would do.
type DryRun struct {
	Mistakes []string   `json:"mistakes" doc:"each with line and field; none: it can be used"`
	ID       string     `json:"id,omitempty"`
	Revision int        `json:"revision,omitempty"`
	Before   int        `json:"before,omitempty" doc:"revision in use now"`
	Diff     []DiffLine `json:"diff" doc:"against the one in use"`
	Result   run.Result `json:"result,omitempty" doc:"of a run by the book against healthy stand-ins"`
	Stopped  string     `json:"stopped,omitempty" doc:"what that run came to a stop at"`
	Points   int        `json:"points"`
	Saved    string     `json:"saved,omitempty"`
	New      bool       `json:"new" doc:"no procedure of this id is in use yet"`
}

// DiffLine is a line that was added, taken out, or stayed.
type DiffLine struct {
	Kind string `json:"kind" enum:"same,added,removed"`
	Text string `json:"text"`
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
		one := ProcedureView{
			ID:       p.ID,
			Revision: p.Revision,
			Title:    p.Title,
			Family:   p.Family,
			Summary:  p.Summary,
			Steps:    len(p.Steps),
			Minutes:  up(p.Estimate(day.Hands).Total()),
			Schools:  []string{},
			Measures: []MeasureName{},
		}
		for _, m := range p.Measures() {
			one.Measures = append(one.Measures, MeasureName{m.ID, m.Title, m.Unit})
			one.Points += len(m.Points)
			for _, school := range m.Alternatives {
				for list := range slices.Values([]*[]string{&one.Schools, &v.Schools}) {
					if !slices.Contains(*list, school.Title) {
						*list = append(*list, school.Title)
					}
				}
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

// ProcedureText is a procedure written anew from what is in use.
func (ws *Workshop) ProcedureText(id string) (string, error) {
	for _, p := range ws.procedures() {
		if p.ID == id {
			return p.Text, nil
		}
	}
	return "", ledger.ErrNotFound
}

// DryRun tries an edited procedure on simulated devices and, where it is to be kept and nothing stands in the
// way, keeps it as the lab's own.
// approved is how whoever approves it for use showed who they are; empty: it is only tried.
func (ws *Workshop) DryRun(text, approved string, who person.Person) (DryRun, error) {
	run := DryRun{Mistakes: []string{}, Diff: []DiffLine{}}
	p, err := definition.Read("procedure.yaml", []byte(text))
	if err == nil {
		err = definition.Meets("procedure.yaml", []byte(text))
	}
	if err != nil {
		run.Mistakes = strings.Split(err.Error(), "\n")
		return run, nil
	}
	run.ID, run.Revision = p.ID, p.Revision
	for _, m := range p.Measures() {
		run.Points += len(m.Points)
	}
	before, err := ws.ProcedureText(p.ID)
	if run.New = err != nil; !run.New {
		run.Diff = diff(before, text)
		at := slices.IndexFunc(ws.procedures(), func(q *procedure.Procedure) bool { return q.ID == p.ID })
		run.Before = ws.procedures()[at].Revision
		if run.Before >= p.Revision && before != text {
			run.Mistakes = append(run.Mistakes, fmt.Sprintf("revision: %d is in use already; give this one %d",
				run.Before, run.Before+1))
			return run, nil
		}
	}
	lab, err := ws.Lab()
	if err != nil {
		return run, err
	}
	view, err := ws.TryOut(p, lab, ws.Clock())
	if err != nil {
		run.Stopped = err.Error()
	} else {
		run.Result = view.Result
	}
	if approved != "" && run.Stopped == "" {
		if ws.Folder == "" {
			return run, invalid("keep", "This server keeps no procedures of its own.")
		}
		file := filepath.Join(ws.Folder, p.ID+".yaml")
		fresh, err := ws.begun(p)
		if err != nil {
			return run, err
		}
		if err := ws.Ledger.KeepProcedure(ws.act("", "procedure kept", who, approvedWords(approved)), p, file,
			fresh...); err != nil {
			return run, err
		}
		ws.use(p)
		run.Saved = fmt.Sprintf("Kept as %s. Runs opened from now on are made by revision %d; runs under way keep the one they began with.", filepath.Base(file), p.Revision)
	}
	return run, nil
}

// approvedWords say that a procedure was approved, and how whoever did it showed who they are.
func approvedWords(shown string) string { return fmt.Sprintf("%s, shown by %s", run.Approved, shown) }

// begun are the activities that begin when a procedure is kept whose interval makes a duty: on the
// devices of its family that have none by it.
func (ws *Workshop) begun(p *procedure.Procedure) ([]*ledger.Activity, error) {
	templates := procedure.WithOwn(ws.Duties, []*procedure.Procedure{p})
	if len(templates) == len(ws.Duties) { // its family goes by a template
		return nil, nil
	}
	devices, err := ws.Ledger.AssetsOfFamily(p.Family)
	if err != nil {
		return nil, err
	}
	d, _ := p.Duty()
	var fresh []*ledger.Activity
	for _, a := range devices {
		known, err := ws.Ledger.Activities(a.ID)
		if err != nil {
			return nil, err
		}
		if a.Status != ledger.Gone && !slices.ContainsFunc(known,
			func(k ledger.Activity) bool { return k.Procedure == p.ID }) {
			fresh = append(fresh, ledger.NewActivity(ulid.Make().String(), a, d, dayOf(ws.Clock()),
				"first time after its procedure was kept"))
		}
	}
	return fresh, nil
}

// diff is the lines that changed from one text to another, with two around each.
func diff(before, after string) []DiffLine {
	a, b := strings.Split(before, "\n"), strings.Split(after, "\n")
	lines := []DiffLine{}
	for _, group := range difflib.NewMatcher(a, b).GetGroupedOpCodes(2) {
		for _, op := range group {
			if op.Tag == 'e' {
				for _, text := range a[op.I1:op.I2] {
					lines = append(lines, DiffLine{"same", text})
				}
				continue
			}
			for _, text := range a[op.I1:op.I2] {
				lines = append(lines, DiffLine{"removed", text})
			}
			for _, text := range b[op.J1:op.J2] {
				lines = append(lines, DiffLine{"added", text})
			}
		}
	}
	return lines
}
