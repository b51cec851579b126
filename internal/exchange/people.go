package exchange

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"northneedle/core/person"
	"northneedle/core/procedure"
)

// Person is somebody of a list: what they are, and whether they may sign in. A list never has a password.
type Person struct {
	Name string
	Role person.Role
	Mail string // what waits for them is sent there; empty: nothing is
	May  bool   // sign in
}

// Competence is a line of a list that says who may do a family alone.
type Competence struct {
	Name   string
	Family string
	Ground person.Ground
	Note   string     // what it rests on
	Until  *time.Time // the last day on which it holds; nil: no end
}

// PersonColumns and CompetenceColumns are the columns of those lists as they go out. What who said since when comes to the
// record by whoever takes the list in.
var (
	PersonColumns     = []string{"name", "role", "mail", "may_sign_in"}
	CompetenceColumns = []string{"name", "family", "ground", "note", "until", "by", "since"}
)

// person reads somebody who is not registered yet. Whether a name is taken, in the register or by a line before, is the
// register's to say: it knows which spellings are one name.
func (r *rowReader) person(get func(string) string) (*Person, error) {
	p := &Person{Name: strings.Join(strings.Fields(get("name")), " "), Role: person.Role(strings.ToLower(get("role"))),
		Mail: get("mail"), May: true}
	if !slices.Contains(person.PeopleRoles, p.Role) {
		return nil, refusal{"role", notOneOf(get("role"), person.PeopleRoles...)}
	}
	switch text := strings.ToLower(get("may_sign_in")); text {
	case "", "yes":
	case "no":
		p.May = false
	default:
		return nil, refusal{"may_sign_in", fmt.Sprintf("is yes or no, not %q", text)}
	}
	return p, r.known.Registers(*p)
}

// competence reads who may do a family alone.
func (r *rowReader) competence(get func(string) string) (*Competence, error) {
	c := &Competence{Name: get("name"), Family: procedure.Slug(get("family")), Note: get("note"), Ground: person.Imported}
	if text := strings.ToLower(get("ground")); text != "" {
		if c.Ground = person.Ground(text); !slices.Contains(person.Grounds, c.Ground) {
			return nil, refusal{"ground", notOneOf(text, person.Grounds...)}
		}
	}
	if text := get("until"); text != "" {
		until, err := r.date("until", text)
		if err != nil {
			return nil, err
		}
		c.Until = &until
	}
	return c, r.known.Names(*c)
}
