package workshop

import (
	"bytes"
	"crypto/subtle"
	"errors"
	"fmt"
	"slices"
	"strings"

	"northneedle/core/person"
	"northneedle/core/procedure"
	"northneedle/core/run"
	"northneedle/internal/ledger"
	"northneedle/internal/people"

	"github.com/oklog/ulid/v2"
)

// StartOrder is who looks after an empty record: whoever keeps accounts and copies, and whoever leads the workshop.
type StartOrder struct {
	Code          string      `json:"code" maxLength:"40" doc:"that the server said when it was started on the empty record"`
	Administrator StartPerson `json:"administrator"`
	Lead          StartPerson `json:"lead"`
	Lab           string      `json:"lab" minLength:"1" maxLength:"200" doc:"name of the workshop"`
}

// StartPerson is one of the first two accounts.
type StartPerson struct {
	Name     string `json:"name" minLength:"1" maxLength:"100"`
	Password string `json:"password" maxLength:"200"`
}

// Empty reports whether nobody is registered yet, and somebody can begin here.
func (ws *Workshop) Empty() (bool, error) {
	everyone, err := ws.Ledger.Everyone()
	return ws.StartCode != "" && len(everyone) == 0, err
}

// Start registers the first two accounts of an empty record, both or neither. The code shows that whoever does so has the
// server in their hands.
func (ws *Workshop) Start(o StartOrder) error {
	ws.starting.Lock()
	defer ws.starting.Unlock()
	empty, err := ws.Empty()
	if err != nil {
		return err
	}
	code := strings.ToUpper(strings.Join(strings.Fields(o.Code), ""))
	switch {
	case !empty:
		return &run.Refusal{Kind: run.Conflict, Code: "begun",
			Message: "People are registered here already: sign in, or ask an administrator."}
	case subtle.ConstantTimeCompare([]byte(code), []byte(ws.StartCode)) != 1:
		return invalid("code", "This is not the code that the server said when it was started: look there.")
	case strings.TrimSpace(o.Lab) == "":
		return invalid("lab", "Say what the workshop is called: its papers carry the name.")
	case people.NameKey(o.Administrator.Name) == people.NameKey(o.Lead.Name):
		return invalid("lead.name", "These are two accounts, also where they are one human: add to one name what it is for.")
	}
	now := ws.Clock()
	var records []any
	for _, one := range []struct {
		field string
		StartPerson
		role person.Role
	}{{"administrator", o.Administrator, person.Administrator}, {"lead", o.Lead, person.Lead}} {
		name := strings.TrimSpace(one.Name)
		if name == "" {
			return invalid(one.field+".name", "The name is missing.")
		}
		if err := people.CheckPassword(one.Password, name); err != nil {
			return invalid(one.field+".password", Sentence(err))
		}
		hash, err := people.Hash(one.Password)
		if err != nil {
			return err
		}
		records = append(records, &ledger.Person{ID: ulid.Make().String(), Name: name, Role: one.role, PasswordHash: hash,
			Active: true})
	}
	if o.Administrator.Password == o.Lead.Password {
		return invalid("lead.password", "The two accounts have passwords of their own.")
	}
	lab, err := ws.Lab()
	if err != nil {
		return err
	}
	lab.Name = strings.TrimSpace(o.Lab)
	if err := ws.Ledger.Record(ledger.Act{Kind: "record begun", By: ledger.Nobody, At: now, Why: lab.Name},
		records...); err != nil {
		return err
	}
	return ws.Ledger.SetSetting(ws.act("", "rules set", ledger.Nobody, ""), "lab", lab)
}

// keySubject is what an event is about that says that the workshop's key was exported.
const keySubject = "record/key"

// ExportKey is the workshop's key under a passphrase, for a safe.
func (ws *Workshop) ExportKey(passphrase string, who person.Person) (f File, err error) {
	if ws.Seal == nil {
		return f, &run.Refusal{Kind: run.Conflict, Code: "no-key", Message: "This server has no key: nothing is signed."}
	}
	var body bytes.Buffer
	if err := ws.Seal.Export(passphrase, &body); err != nil {
		return f, invalid("passphrase", Sentence(err)+".")
	}
	err = ws.Ledger.Log(ws.act("", "key exported", who, "under a passphrase"), keySubject)
	return File{Name: "workshop-key.age", Type: "application/octet-stream", Body: body.Bytes(), Save: true}, err
}

// FirstStep is something that a workshop does once, before its work counts on it.
type FirstStep struct {
	ID    string `json:"id" enum:"key,copies,letterhead,logo,sites,address,people,competence,devices,histories,references,instruments,procedures,certificate"`
	Words string `json:"words"`
	Sheet string `json:"sheet,omitempty" doc:"of House, where it is done"`
	View  string `json:"view,omitempty" doc:"where it is done, if not in House"`
	State string `json:"state" enum:"open,done,without" doc:"without: the workshop does without it"`
}

// StepOrder says that a workshop does without a first step, or does not.
type StepOrder struct {
	ID      string `json:"id" enum:"key,copies,letterhead,logo,sites,address,people,competence,devices,histories,references,instruments,procedures,certificate"`
	Without bool   `json:"without"`
}

// withoutSetting names the setting of the first steps that the workshop does without.
const withoutSetting = "first-steps-without"

// FirstSteps are what a workshop does once, in the order in which it is best done, and what of it is open.
func (ws *Workshop) FirstSteps() ([]FirstStep, error) {
	steps := []FirstStep{}
	if ws.Demo {
		return steps, nil
	}
	return ledger.RememberRecords(ws.Ledger, "first steps", func() ([]FirstStep, error) {
		var without []string
		if err := ws.Ledger.Setting(withoutSetting, &without); err != nil {
			return nil, err
		}
		uncovered, err := ws.uncovered()
		if err != nil {
			return nil, err
		}
		done, err := ws.stepsDone()
		if err != nil {
			return nil, err
		}
		done["procedures"] = done["devices"] && len(uncovered) == 0
		for _, s := range []FirstStep{
			{ID: "key", Words: "Export the workshop's key into a safe: a new machine without it signs with another key.", Sheet: "record"},
			{ID: "copies", Words: "Have copies made by themselves, on another disk (serve --backups).", Sheet: "record"},
			{ID: "letterhead", Words: "Address and accreditation for certificates.", Sheet: "papers"},
			{ID: "logo", Words: "A logo for certificates.", Sheet: "papers"},
			{ID: "address", Words: "The address of this server, for labels and links.", Sheet: "hands"},
			{ID: "people", Words: "Whoever else works here: an administrator registers them.", Sheet: "people"},
			{ID: "competence", Words: "Who may verify which devices alone.", Sheet: "people"},
			{ID: "devices", Words: "The register: a list, or one device.", Sheet: "lists"},
			{ID: "histories", Words: "What was done to the devices before: a list sets when each is due.", Sheet: "lists"},
			{ID: "sites", Words: "Sites with their height, and hours.", Sheet: "day"},
			{ID: "references", Words: "References with their certificates: a list, or one by one.", Sheet: "lists"},
			{ID: "instruments", Words: "Instruments that are read over a link.", View: "instruments"},
			{ID: "procedures", Words: proceduresWanted(uncovered), Sheet: "procedures"},
			{ID: "certificate", Words: "The first certificate of a device of your own.", View: "equipment"},
		} {
			s.State = "open"
			if done[s.ID] {
				s.State = "done"
			} else if slices.Contains(without, s.ID) {
				s.State = "without"
			}
			steps = append(steps, s)
		}
		return steps, nil
	})
}

// uncovered are the families of the register that no procedure is for.
func (ws *Workshop) uncovered() ([]string, error) {
	families, err := ws.Ledger.Families()
	return slices.DeleteFunc(families, func(family string) bool {
		return slices.ContainsFunc(ws.procedures(), func(p *procedure.Procedure) bool {
			return !p.Shared && !p.Maintains && p.Family == family
		})
	}), err
}

func proceduresWanted(uncovered []string) string {
	if len(uncovered) == 0 {
		return "A procedure for every family of devices that you have."
	}
	return "A procedure for every family of devices that you have: there is none yet for " + strings.Join(uncovered, ", ") + "."
}

// stepsDone are the first steps that were done, by their ids.
func (ws *Workshop) stepsDone() (map[string]bool, error) {
	exported, err1 := ws.Ledger.History(1, keySubject)
	lab, err2 := ws.Lab()
	day, err3 := ws.workingDay()
	devices, err4 := ws.Ledger.CountAssets(ledger.AssetFilter{})
	references, err5 := ws.Ledger.Standards("")
	everyone, err6 := ws.Ledger.Everyone()
	competences, err7 := ws.Ledger.Competences()
	signed, err8 := ws.Ledger.SignedHere()
	address := ""
	err9 := ws.Ledger.Setting(publicAddress, &address)
	instruments, err10 := ws.Ledger.Instruments()
	histories, err11 := ws.Ledger.HasHistories()
	heights := len(day.Sites) > 0
	for _, s := range day.Sites {
		heights = heights && s.Height != nil
	}
	return map[string]bool{
		"key":         len(exported) > 0,
		"copies":      ws.Backups != nil,
		"letterhead":  lab.Letterhead.Address != "",
		"logo":        lab.Letterhead.Logo != "",
		"sites":       heights,
		"address":     address != "",
		"devices":     devices > 0,
		"references":  len(references) > 0,
		"instruments": len(instruments) > 0,
		"histories":   histories,
		"people":      len(everyone) > 2,
		"competence":  len(competences) > 0,
		"certificate": signed,
	}, errors.Join(err1, err2, err3, err4, err5, err6, err7, err8, err9, err10, err11)
}

// SetStep says that the workshop does without a first step, or does not.
func (ws *Workshop) SetStep(o StepOrder, who person.Person) error {
	var without []string
	if err := ws.Ledger.Setting(withoutSetting, &without); err != nil {
		return err
	}
	without = slices.DeleteFunc(without, func(id string) bool { return id == o.ID })
	if o.Without {
		without = append(without, o.ID)
	}
	return ws.Ledger.SetSetting(ws.act("", fmt.Sprintf("first step %s: without it %t", o.ID, o.Without), who, ""),
		withoutSetting, without)
}
