package workshop

import (
	"fmt"
	"strings"
	"time"

	"northneedle/core/person"
	"northneedle/internal/exchange"
	"northneedle/internal/ledger"
	"northneedle/internal/mail"
	"northneedle/internal/people"
)

// mostOfAPersonList is how many people one list registers: each has a password hashed, which takes its time.
const mostOfAPersonList = 200

// PersonListView is a list of people that was read: who it registers, and who it cannot.
type PersonListView struct {
	People  []ListedPerson     `json:"people"`
	Refused []exchange.Refused `json:"refused"`
	Ignored []string           `json:"ignored" doc:"columns that are not read"`
	Done    bool               `json:"done" doc:"they are registered"`
}

// ListedPerson is somebody of a list.
type ListedPerson struct {
	Line     int         `json:"line"`
	Name     string      `json:"name"`
	Role     person.Role `json:"role"`
	Active   bool        `json:"active" doc:"may sign in"`
	Like     string      `json:"like,omitempty" doc:"somebody whose name is written with other letters and looks the same"`
	Password string      `json:"password,omitempty" doc:"the one-time password, told this once, where they were registered"`
}

// personList is the people and what they may do alone, for lists to be held against.
type personList struct {
	ws       *Workshop
	who      person.Person // whoever brings the list in
	everyone []ledger.Person
	alone    []person.Competence
	named    map[[2]string]bool // person and family, that the list had already
	listed   map[string]bool    // names that it had already, by their keys
}

func (ws *Workshop) personList(who person.Person) (*personList, error) {
	everyone, err := ws.Ledger.Everyone()
	if err != nil {
		return nil, err
	}
	alone, err := ws.Ledger.Alone()
	return &personList{ws, who, everyone, alone, map[[2]string]bool{}, map[string]bool{}}, err
}

// of is who has a name.
func (l *personList) of(name string) (ledger.Person, bool) {
	for _, p := range l.everyone {
		if people.NameKey(p.Name) == people.NameKey(name) {
			return p, true
		}
	}
	return ledger.Person{}, false
}

// registers refuses somebody who is registered already, stood in the list before, or has an address that is none.
func (l *personList) registers(p exchange.Person) error {
	if known, is := l.of(p.Name); is {
		return invalid("name", known.Name+" is registered already.")
	}
	if l.listed[people.NameKey(p.Name)] {
		return invalid("name", p.Name+" stands in the list already.")
	}
	if p.Mail != "" {
		if err := mail.CheckAddress(p.Mail); err != nil {
			return invalid("mail", Sentence(err))
		}
	}
	l.listed[people.NameKey(p.Name)] = true
	return nil
}

// competence is what a line of a list puts on record.
func (l *personList) competence(c exchange.Competence) (ledger.Competence, error) {
	p, is := l.of(c.Name)
	if !is {
		return ledger.Competence{}, invalid("name", "“"+c.Name+"” is not registered: an administrator does that first.")
	}
	key := [2]string{p.ID, c.Family}
	for _, k := range l.alone {
		if k.Person == p.ID && k.Family == c.Family && k.Holds(l.ws.Clock()) {
			return ledger.Competence{}, invalid("family", fmt.Sprintf("%s does %s alone already.", p.Name, c.Family))
		}
	}
	if l.named[key] {
		return ledger.Competence{}, invalid("family", p.Name+" stands with it in the list already.")
	}
	l.named[key] = true
	o := CompetenceOrder{Person: p.ID, Family: c.Family, Ground: c.Ground, Note: c.Note}
	if c.Until != nil {
		o.Until = c.Until.Format(time.DateOnly)
	}
	return l.ws.competence(o, l.who)
}

// PersonList reads a list of people; with take, those who can be registered are, together, each with a one-time password
// that is told this once. Taken in twice, the second time refuses them all: they are registered.
func (ws *Workshop) PersonList(body []byte, take bool, who person.Person) (v PersonListView, err error) {
	ws.enrolling.Lock()
	defer ws.enrolling.Unlock()
	known, err := ws.registered(exchange.People, who)
	if err != nil {
		return v, err
	}
	file, err := exchange.ReadImport(exchange.People, body, known, exchange.Reading{Now: ws.Clock()})
	if err == nil && len(file.Rows) > mostOfAPersonList {
		err = fmt.Errorf("it has %d people: at most %d come in at once", len(file.Rows), mostOfAPersonList)
	}
	if err != nil {
		return v, invalid("file", Sentence(err)+" Nobody was registered.")
	}
	v = PersonListView{People: []ListedPerson{}, Refused: file.Refused, Ignored: file.Ignored}
	all, names := []ledger.Person{}, []string{}
	for _, row := range file.Rows {
		p := row.Person
		one := ListedPerson{Line: row.Line, Name: p.Name, Role: p.Role, Active: p.May}
		for _, other := range known.people.everyone {
			if people.LooksLike(other.Name, p.Name) {
				one.Like = other.Name
			}
		}
		v.People = append(v.People, one)
		all = append(all, ledger.Person{Name: p.Name, Role: p.Role, Mail: p.Mail, Active: p.May})
		names = append(names, p.Name)
	}
	if !take || len(all) == 0 {
		return v, nil
	}
	passwords, err := people.RegisterAll(ws.Ledger, ws.act("", "people imported", who, strings.Join(names, ", ")), all)
	if err != nil {
		return v, err
	}
	for i := range v.People {
		v.People[i].Password = passwords[i]
	}
	v.Done = true
	return v, nil
}

// People is the list of people as it can be brought in again: without anything that one signs in with.
func (ws *Workshop) People(format string, who person.Person) (f File, err error) {
	everyone, err := ws.Ledger.Everyone()
	if err != nil {
		return f, err
	}
	table := exchange.Table{Name: "people", Columns: exchange.PersonColumns, Rows: func(yield func([]any, error) bool) {
		for _, p := range everyone {
			may := "yes"
			if !p.Active {
				may = "no"
			}
			if !yield([]any{p.Name, p.Role, p.Mail, may}, nil) {
				return
			}
		}
	}}
	if f, err = ws.tableFile(table, "people", format); err != nil {
		return f, err
	}
	return f, ws.HandedOut("the list of people, "+format, who)
}

// competenceTable is who may do what alone, as it can be brought in again.
func (ws *Workshop) competenceTable() (exchange.Table, error) {
	all, err := ws.Competences()
	return exchange.Table{Name: "competences", Columns: exchange.CompetenceColumns, Rows: func(yield func([]any, error) bool) {
		for _, c := range all {
			if !c.Holds {
				continue
			}
			var until *time.Time
			if c.Until != nil {
				last := c.Until.Local().AddDate(0, 0, -1)
				until = &last
			}
			if !yield([]any{c.Name, c.Family, c.Ground, c.Note, exchange.Day(until), c.By, c.At}, nil) {
				return
			}
		}
	}}, err
}
