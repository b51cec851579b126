package workshop

import (
	"time"

	"northneedle/core/person"
	"northneedle/core/run"
	"northneedle/internal/ledger"
	"northneedle/internal/people"
)

// DemoPassword is what the demo's people sign in with. It is shown on the page.
const DemoPassword = "north-needle"

// SessionView is who is signed in, and what the sign-in page needs.
type SessionView struct {
	Person    *PersonView     `json:"person,omitempty"`
	Demo      []PersonView    `json:"demo,omitempty" doc:"people of the demo, in demo mode only"`
	Can       []person.Action `json:"can" doc:"what whoever is signed in may do"`
	Owes      people.Debt     `json:"owes,omitempty" enum:"password,secret" doc:"what is done before anything else is open: a password of one's own in place of one that somebody else gave; a PIN or passkey to sign with"`
	GivenBy   string          `json:"given_by,omitempty" doc:"who gave the password that is to be changed"`
	GivenAt   *time.Time      `json:"given_at,omitempty"`
	PIN       bool            `json:"pin" doc:"they have set a PIN to sign with"`
	Passkey   bool            `json:"passkey" doc:"they have a passkey"`
	Mail      string          `json:"mail,omitempty" doc:"address that what waits for their review is sent to"`
	By        string          `json:"by,omitempty" enum:"password,directory" doc:"how they show who they are at the sign-in"`
	Directory string          `json:"directory,omitempty" doc:"name of the directory that people may sign in by"`
	Idle      int             `json:"idle" doc:"minutes without a hand on the page after which it is locked"`
	Locked    *PersonView     `json:"locked,omitempty" doc:"whose session it is, where the page was locked: they sign in over it"`
	Empty     bool            `json:"empty,omitempty" doc:"nobody is registered yet: it is begun here"`
	Lab       string          `json:"lab"`
	Version   string          `json:"version"`
}

// PersonView is a person.
type PersonView struct {
	ID   string      `json:"id"`
	Name string      `json:"name"`
	Role person.Role `json:"role" enum:"trainee,technician,lead,manager,administrator"`
}

// OpenSession is a session of one's own.
type OpenSession struct {
	ID      string     `json:"id"`
	Begun   *time.Time `json:"begun,omitempty"`
	Until   time.Time  `json:"until"`
	Address string     `json:"address"`
	Browser string     `json:"browser" doc:"as it names itself"`
	Here    bool       `json:"here" doc:"it is the one that asks"`
}

// OpenSessions shows sessions.
func OpenSessions(all []people.OpenSession) []OpenSession {
	views := make([]OpenSession, len(all))
	for i, o := range all {
		views[i] = OpenSession{ID: o.ID, Until: o.Until, Address: o.Address, Browser: o.Browser, Here: o.Here}
		if !o.Begun.IsZero() {
			views[i].Begun = &o.Begun
		}
	}
	return views
}

// PasskeyView is a passkey of one's own.
type PasskeyView struct {
	ID   string    `json:"id"`
	Name string    `json:"name" doc:"as its owner calls the device"`
	At   time.Time `json:"at"`
}

// Passkeys shows passkeys.
func Passkeys(all []ledger.Passkey) []PasskeyView {
	views := make([]PasskeyView, len(all))
	for i, k := range all {
		views[i] = PasskeyView{k.ID, k.Name, k.At}
	}
	return views
}

// Reviewers are those who can countersign a run.
func (ws *Workshop) Reviewers(id string) ([]PersonView, error) {
	r, err := ws.Ledger.Run(id)
	if err != nil {
		return nil, err
	}
	return ws.chosen(func(p person.Person, registered time.Time, order run.Order) bool {
		return r.MayCountersign(p, registered, order) == nil
	})
}

// Supervisors are those whom somebody can work under in a family of devices.
func (ws *Workshop) Supervisors(family string, of person.Person) ([]PersonView, error) {
	return ws.chosen(func(p person.Person, _ time.Time, order run.Order) bool {
		return p.ID != of.ID && p.Alone(family, order.Competences, order.At)
	})
}

// chosen are the people of the workshop that something holds of.
func (ws *Workshop) chosen(holds func(person.Person, time.Time, run.Order) bool) ([]PersonView, error) {
	everyone, err := ws.Ledger.People()
	if err != nil {
		return nil, err
	}
	order := run.Order{At: ws.Clock()}
	if order.Competences, err = ws.Ledger.Alone(); err != nil {
		return nil, err
	}
	out := []PersonView{}
	for _, p := range everyone {
		registered, err := ws.Ledger.Registered(p.ID)
		if err != nil {
			return nil, err
		}
		if holds(person.Person{ID: p.ID, Name: p.Name, Role: p.Role}, registered, order) {
			out = append(out, PersonView{p.ID, p.Name, p.Role})
		}
	}
	return out, nil
}

// names are the names of everyone who works or worked here, by their ids.
func (ws *Workshop) names() (map[string]string, error) {
	everyone, err := ws.Ledger.Everyone()
	names := make(map[string]string, len(everyone))
	for _, p := range everyone {
		names[p.ID] = p.Name
	}
	return names, err
}

// Session is who is signed in, what they may do, and what the sign-in page needs.
func (ws *Workshop) Session(who person.Person) (out SessionView, err error) {
	lab, err := ws.Lab()
	if err != nil {
		return out, err
	}
	day, err := ws.workingDay()
	if err != nil {
		return out, err
	}
	out = SessionView{Idle: day.Idle, Lab: lab.Name, Version: ws.Version, Can: []person.Action{}}
	if who.ID != "" {
		out.Person, out.Can = &PersonView{who.ID, who.Name, who.Role}, person.Cans(who.Role)
		return out, nil
	}
	if out.Empty, err = ws.Empty(); err != nil {
		return out, err
	}
	if ws.Demo {
		everyone, err := ws.Ledger.People()
		if err != nil {
			return out, err
		}
		for _, p := range everyone {
			if p.Demo {
				out.Demo = append(out.Demo, PersonView{p.ID, p.Name, p.Role})
			}
		}
	}
	return out, nil
}
