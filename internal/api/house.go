package api

import (
	"context"
	"fmt"
	"net/http"
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
	"northneedle/internal/definition"
	"northneedle/internal/ledger"
	"northneedle/internal/people"

	"github.com/danielgtaylor/huma/v2"
	"github.com/oklog/ulid/v2"
	"github.com/pmezard/go-difflib/difflib"
)

// Colleague is someone who may sign in.
type Colleague struct {
	ID     string      `json:"id"`
	Name   string      `json:"name"`
	Role   person.Role `json:"role"`
	Active bool        `json:"active"`
	Works  bool        `json:"works" doc:"makes runs, and so travels on rounds"`
}

// ProcedureView is a procedure in the list.
type ProcedureView struct {
	ID       string   `json:"id"`
	Revision int      `json:"revision"`
	Title    string   `json:"title"`
	Family   string   `json:"family"`
	Summary  string   `json:"summary"`
	Steps    int      `json:"steps"`
	Points   int      `json:"points"`
	Minutes  int      `json:"minutes" doc:"about how long a run takes: an estimate"`
	Schools  []string `json:"schools" doc:"whose tolerances it knows"`
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
	Version    string          `json:"version"`
}

// PersonOrder is someone to register, or to change.
type PersonOrder struct {
	Name     string      `json:"name,omitempty" maxLength:"100"`
	Role     person.Role `json:"role" enum:"trainee,technician,lead,manager,administrator"`
	Password string      `json:"password,omitempty" maxLength:"200"`
	Active   bool        `json:"active"`
}

// ProcedureText is a procedure as it is written.
type ProcedureText struct {
	Text string `json:"text" maxLength:"600000"`
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
	Events int    `json:"events"`
	Broken string `json:"broken,omitempty"`
}

func registerHouse(api huma.API, h *House) {
	get := func(ctx context.Context) (out HouseView, err error) {
		view, err := h.house()
		return view, err
	}
	serve(api, operation{"house", http.MethodGet, "/api/house", "How the workshop is set up", person.Look, 0, nil},
		func(ctx context.Context, _ *struct{}) (out HouseView, err error) { return get(ctx) })
	serve(api, operation{"add-person", http.MethodPost, "/api/house/people", "Register someone who may sign in",
		person.KeepPeople, 0, nil},
		func(ctx context.Context, in *struct{ Body PersonOrder }) (out HouseView, err error) {
			if err := h.addPerson(in.Body, who(ctx)); err != nil {
				return out, err
			}
			return get(ctx)
		})
	serve(api, operation{"change-person", http.MethodPost, "/api/house/people/{id}",
		"Change what someone may do, or whether they may sign in", person.KeepPeople, 0, nil},
		func(ctx context.Context, in *struct {
			ID   string `path:"id" maxLength:"60"`
			Body PersonOrder
		}) (out HouseView, err error) {
			if err := h.changePerson(ctx, in.ID, in.Body); err != nil {
				return out, err
			}
			return get(ctx)
		})
	serve(api, operation{"set-lab", http.MethodPost, "/api/house/lab", "How the lab judges", person.SetRules, 0, nil},
		func(ctx context.Context, in *struct{ Body run.Lab }) (out HouseView, err error) {
			if err := h.setLab(in.Body, who(ctx)); err != nil {
				return out, err
			}
			return get(ctx)
		})
	serve(api, operation{"set-intervals", http.MethodPost, "/api/house/intervals",
		"The lab's figures for its intervals", person.SetIntervals, 0, nil},
		func(ctx context.Context, in *struct{ Body interval.Rules }) (out HouseView, err error) {
			if err := in.Body.Check(); err != nil {
				return out, invalid("intervals", sentence(err))
			}
			if err := h.Ledger.SetSetting(h.act("", "interval rules set", who(ctx), ""), "intervals", in.Body); err !=
				nil {
				return out, err
			}
			return get(ctx)
		})
	serve(api, operation{"procedure-text", http.MethodGet, "/api/procedures/{id}", "A procedure as it is written",
		person.Look, 0, nil},
		func(_ context.Context, in *struct {
			ID string `path:"id" maxLength:"60"`
		}) (out ProcedureText, err error) {
			text, err := h.procedureText(in.ID)
			return ProcedureText{text}, err
		})
	serve(api, operation{"dry-run", http.MethodPost, "/api/procedures", "Try an edited procedure, and keep it",
		person.KeepProcedures, 700_000, nil},
		func(ctx context.Context, in *struct {
			Keep bool `query:"keep" doc:"keep it as the lab's own; runs opened from then on are made by it"`
			Body ProcedureText
		}) (out DryRun, err error) {
			run, err := h.dryRun(in.Body.Text, in.Keep, who(ctx))
			return run, err
		})
	serve(api, operation{"check-record", http.MethodPost, "/api/house/check", "Check the whole record's chain",
		person.CheckRecord, 0, nil},
		func(_ context.Context, _ *struct{}) (out RecordCheck, err error) {
			n, err := h.Ledger.Verify()
			check := RecordCheck{Events: n}
			if err != nil {
				check.Broken = err.Error()
			}
			return check, nil
		})
	serveFile(api, operation{"backup", http.MethodGet, "/api/house/backup",
		"A copy of the whole record, made while it is in use", person.Backup, 0, nil}.as("application/vnd.sqlite3"),
		func(ctx context.Context, _ *struct{}) (*file, error) {
			folder, err := os.MkdirTemp("", "backup")
			if err != nil {
				return nil, err
			}
			defer os.RemoveAll(folder)
			path := filepath.Join(folder, ledger.File)
			if err := h.Ledger.Backup(path); err != nil {
				return nil, err
			}
			text, err := os.ReadFile(path)
			return kept("northneedle-"+h.Clock().Format("20060102-1504")+".db", "application/vnd.sqlite3", text), err
		})
}

func (h *House) house() (HouseView, error) {
	v := HouseView{
		People:     []Colleague{},
		Procedures: []ProcedureView{},
		Schools:    []string{},
		Families:   []string{},
		Version:    h.Version,
	}
	everyone, err := h.Ledger.Everyone()
	if err != nil {
		return v, err
	}
	for _, p := range everyone {
		v.People = append(v.People, Colleague{p.ID, p.Name, p.Role, p.Active, person.Can(p.Role, person.WorkRuns)})
	}
	if v.Lab, err = h.lab(); err != nil {
		return v, err
	}
	if v.Intervals, err = h.rules(); err != nil {
		return v, err
	}
	if err := h.Ledger.Setting("prices", &v.Prices); err != nil {
		return v, err
	}
	if v.Sites, err = h.Ledger.Sites(); err != nil {
		return v, err
	}
	day, err := h.workingDay()
	v.Day = day
	for _, p := range h.procedures() {
		one := ProcedureView{
			ID:       p.ID,
			Revision: p.Revision,
			Title:    p.Title,
			Family:   p.Family,
			Summary:  p.Summary,
			Steps:    len(p.Steps),
			Minutes:  up(p.Estimate(day.Hands).Total()),
			Schools:  []string{},
		}
		for _, m := range p.Measures() {
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

func (h *House) addPerson(o PersonOrder, who person.Person) error {
	everyone, err := h.Ledger.Everyone()
	if err != nil {
		return err
	}
	for _, p := range everyone {
		if strings.EqualFold(p.Name, strings.TrimSpace(o.Name)) {
			return invalid("name", "There is a "+p.Name+" already: let that one sign in again, or add a second name.")
		}
	}
	if err := people.Add(h.Ledger, h.act("", "person added", who, ""), o.Name, o.Role, o.Password); err != nil {
		return invalid("password", sentence(err))
	}
	return nil
}

func (h *House) changePerson(ctx context.Context, id string, o PersonOrder) error {
	who := who(ctx)
	switch {
	case id == who.ID:
		return invalid("id", "Nobody changes what they may do themselves: ask another lead.")
	}
	p, err := h.Ledger.Person(ctx, id)
	if err != nil {
		return err
	}
	p.Role, p.Active = o.Role, o.Active
	if o.Password != "" {
		if p.PasswordHash, err = people.Hash(o.Password); err != nil {
			return invalid("password", sentence(err))
		}
	}
	return h.Ledger.Record(h.act("", "person changed", who, ""), &p)
}

func (h *House) setLab(lab run.Lab, who person.Person) error {
	if strings.TrimSpace(lab.Name) == "" {
		return invalid("name", "The lab's name stands on every certificate: it must not be empty.")
	}
	if err := lab.Rule.Check(); err != nil {
		return invalid("rule", sentence(err))
	}
	if err := lab.Policy.Check(); err != nil {
		return invalid("policy", sentence(err))
	}
	if err := lab.Room.Check(); err != nil {
		return invalid("room", sentence(err))
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
	return h.Ledger.SetSetting(h.act("", "lab's rules set", who, ""), "lab", lab)
}

// procedureText is a procedure written anew from what is in use.
func (h *House) procedureText(id string) (string, error) {
	for _, p := range h.procedures() {
		if p.ID == id {
			return p.Text, nil
		}
	}
	return "", ledger.ErrNotFound
}

func (h *House) dryRun(text string, keep bool, who person.Person) (DryRun, error) {
	run := DryRun{Mistakes: []string{}, Diff: []DiffLine{}}
	p, err := definition.Read("procedure.yaml", []byte(text))
	if err != nil {
		run.Mistakes = strings.Split(err.Error(), "\n")
		return run, nil
	}
	run.ID, run.Revision = p.ID, p.Revision
	for _, m := range p.Measures() {
		run.Points += len(m.Points)
	}
	before, err := h.procedureText(p.ID)
	if run.New = err != nil; !run.New {
		run.Diff = diff(before, text)
		at := slices.IndexFunc(h.procedures(), func(q *procedure.Procedure) bool { return q.ID == p.ID })
		run.Before = h.procedures()[at].Revision
		if run.Before >= p.Revision && before != text {
			run.Mistakes = append(run.Mistakes, fmt.Sprintf("revision: %d is in use already; give this one %d",
				run.Before, run.Before+1))
			return run, nil
		}
	}
	lab, err := h.lab()
	if err != nil {
		return run, err
	}
	view, err := h.TryOut(p, lab, h.Clock())
	if err != nil {
		run.Stopped = err.Error()
	} else {
		run.Result = view.Result
	}
	if keep && run.Stopped == "" {
		if h.Folder == "" {
			return run, invalid("keep", "This server keeps no procedures of its own.")
		}
		file := filepath.Join(h.Folder, p.ID+".yaml")
		fresh, err := h.begun(p)
		if err != nil {
			return run, err
		}
		if err := h.Ledger.KeepProcedure(h.act("", "procedure kept", who, ""), p, file, fresh...); err != nil {
			return run, err
		}
		h.use(p)
		run.Saved = fmt.Sprintf("Kept as %s. Runs opened from now on are made by revision %d; runs under way keep the one they began with.", filepath.Base(file), p.Revision)
	}
	return run, nil
}

// begun are the activities that begin when a procedure is kept whose interval makes a duty: on the
// devices of its family that have none by it.
func (h *House) begun(p *procedure.Procedure) ([]*ledger.Activity, error) {
	templates := procedure.WithOwn(h.Duties, []*procedure.Procedure{p})
	if len(templates) == len(h.Duties) { // its family goes by a template
		return nil, nil
	}
	devices, err := h.Ledger.AssetsOfFamily(p.Family)
	if err != nil {
		return nil, err
	}
	d, _ := p.Duty()
	var fresh []*ledger.Activity
	for _, a := range devices {
		known, err := h.Ledger.Activities(a.ID)
		if err != nil {
			return nil, err
		}
		if a.Status != ledger.Gone && !slices.ContainsFunc(known,
			func(k ledger.Activity) bool { return k.Procedure == p.ID }) {
			fresh = append(fresh, ledger.NewActivity(ulid.Make().String(), a, d, dayOf(h.Clock()),
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
