package workshop

import (
	"cmp"
	"context"
	"fmt"
	"strings"

	"northneedle/core/person"
	"northneedle/internal/ledger"
	"northneedle/internal/mail"
	"northneedle/internal/people"
)

// Colleague is someone who may sign in.
type Colleague struct {
	ID     string      `json:"id"`
	Name   string      `json:"name"`
	Role   person.Role `json:"role"`
	Active bool        `json:"active"`
	Works  bool        `json:"works" doc:"makes runs, and so travels on rounds"`
	By     string      `json:"by" enum:"password,directory" doc:"how they show who they are at the sign-in"`
	Like   string      `json:"like,omitempty" doc:"somebody whose name is written with other letters and looks the same"`
}

// PersonOrder is someone to register, or to change.
type PersonOrder struct {
	Name     string      `json:"name,omitempty" maxLength:"100"`
	Role     person.Role `json:"role" enum:"trainee,technician,lead,manager,administrator"`
	Password string      `json:"password,omitempty" maxLength:"200"`
	Active   bool        `json:"active"`
	Reason   string      `json:"reason,omitempty" maxLength:"400" doc:"why what they may do changes, or whether they may sign in"`
}

// AddPerson registers someone who may sign in. Two people do not have one name.
func (ws *Workshop) AddPerson(o PersonOrder, who person.Person) error {
	ws.enrolling.Lock()
	defer ws.enrolling.Unlock()
	everyone, err := ws.Ledger.Everyone()
	if err != nil {
		return err
	}
	for _, p := range everyone {
		if people.NameKey(p.Name) == people.NameKey(o.Name) {
			return invalid("name", "There is a "+p.Name+" already: let that one sign in again, or add a second name.")
		}
	}
	if err := people.Register(ws.Ledger, ws.act("", "person added", who, strings.TrimSpace(o.Name)), o.Name, o.Role,
		o.Password); err != nil {
		return invalid("password", Sentence(err))
	}
	return nil
}

// lastOf refuses a change that would leave nobody who leads the lab, or nobody who administers people where somebody does.
func (ws *Workshop) lastOf(p ledger.Person, o PersonOrder) error {
	if !p.Active || o.Active && o.Role == p.Role || p.Role != person.Lead && p.Role != person.Administrator {
		return nil
	}
	everyone, err := ws.Ledger.People()
	if err != nil {
		return err
	}
	if people.LastOf(everyone, p) {
		return invalid("role", fmt.Sprintf("%s is the last %s: give somebody else that role first.", p.Name, p.Role))
	}
	return nil
}

// ChangePerson changes what someone may do, or whether they may sign in; nobody changes themselves.
func (ws *Workshop) ChangePerson(ctx context.Context, id string, o PersonOrder, who person.Person) error {
	switch {
	case id == who.ID:
		return invalid("id", "Nobody changes what they may do themselves: ask another administrator.")
	}
	ws.enrolling.Lock()
	defer ws.enrolling.Unlock()
	p, err := ws.Ledger.Person(ctx, id)
	if err != nil {
		return err
	}
	if err := ws.lastOf(p, o); err != nil {
		return err
	}
	why := strings.TrimSpace(o.Reason)
	if why == "" && (p.Role != o.Role || p.Active != o.Active) {
		return invalid("reason", "Say why: it stands in their history.")
	}
	p.Role, p.Active = o.Role, o.Active
	if o.Password != "" && p.Directory != "" {
		return invalid("password", p.Name+" signs in by the directory: whoever keeps it lets them in again.")
	}
	if o.Password != "" {
		if err := people.CheckPassword(o.Password, p.Name); err != nil {
			return invalid("password", Sentence(err))
		}
		if p.PasswordHash, err = people.Hash(o.Password); err != nil {
			return invalid("password", Sentence(err))
		}
		now := ws.Clock()
		p.OneTime, p.PinHash, p.GivenBy, p.GivenAt = true, "", who.Name, &now
		if err := ws.endPasskeys(p, who); err != nil {
			return err
		}
	}
	if err := ws.Ledger.Record(ws.act("", "person changed", who, cmp.Or(why, "a one-time password")), &p); err != nil {
		return err
	}
	if o.Password != "" || !p.Active {
		return ws.Ledger.Sessions().End(p.ID)
	}
	return nil
}

// endPasskeys ends all passkeys of somebody whose password is reset: they may have lost the device that holds one.
func (ws *Workshop) endPasskeys(p ledger.Person, who person.Person) error {
	all, err := ws.Ledger.Passkeys()
	if err != nil {
		return err
	}
	for _, k := range all {
		if k.PersonID != p.ID || k.Ended != nil {
			continue
		}
		now := ws.Clock()
		k.Ended = &now
		if err := ws.Ledger.Record(ws.act("", "passkey ended", who, p.Name+": "+k.Name), &k); err != nil {
			return err
		}
	}
	return nil
}

// SetOwnMail sets the address that what waits for somebody is sent to; empty: nothing is sent.
func (ws *Workshop) SetOwnMail(ctx context.Context, address string, who person.Person) error {
	p, err := ws.Ledger.Person(ctx, who.ID)
	if err != nil {
		return err
	}
	if p.Mail = strings.TrimSpace(address); p.Mail != "" {
		if err := mail.CheckAddress(p.Mail); err != nil {
			return invalid("mail", Sentence(err))
		}
	}
	return ws.Ledger.Record(ws.act("", "own mail address set", who, ""), &p)
}
