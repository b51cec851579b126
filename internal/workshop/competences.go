package workshop

import (
	"slices"
	"strings"
	"time"

	"northneedle/core/person"
	"northneedle/core/procedure"
	"northneedle/internal/ledger"

	"github.com/oklog/ulid/v2"
)

// CompetenceView is on record that somebody may do a family of devices alone.
type CompetenceView struct {
	ID     string        `json:"id"`
	Person string        `json:"person" doc:"their id"`
	Name   string        `json:"name"`
	Family string        `json:"family"`
	Ground person.Ground `json:"ground"`
	Note   string        `json:"note" doc:"what it rests on"`
	By     string        `json:"by" doc:"who named them"`
	At     time.Time     `json:"at"`
	Until  *time.Time    `json:"until,omitempty" doc:"the first moment at which it does not hold any more"`
	Holds  bool          `json:"holds"`
}

// CompetenceOrder puts on record that somebody may do a family alone.
type CompetenceOrder struct {
	ID     string        `json:"id,omitempty" maxLength:"60" doc:"made by the client, so that a retry records nothing twice"`
	Person string        `json:"person" maxLength:"60"`
	Family string        `json:"family" maxLength:"60"`
	Ground person.Ground `json:"ground" enum:"statement,examination"`
	Note   string        `json:"note,omitempty" maxLength:"400"`
	Until  string        `json:"until,omitempty" maxLength:"10" doc:"the last day on which it holds, as 2027-03-31; none: until it is taken back"`
}

// Competences is all that is or was on record of who may do what alone, the latest first.
func (ws *Workshop) Competences() ([]CompetenceView, error) {
	rows, err := ws.Ledger.Competences()
	if err != nil {
		return nil, err
	}
	name, err := ws.names()
	if err != nil {
		return nil, err
	}
	all, now := []CompetenceView{}, ws.Clock()
	for _, c := range slices.Backward(rows) {
		all = append(all, CompetenceView{ID: c.ID, Person: c.PersonID, Name: name[c.PersonID], Family: c.Family,
			Ground: c.Ground, Note: c.Note,
			By: c.ByName, At: c.At, Until: c.Until, Holds: person.Competence{Until: c.Until}.Holds(now)})
	}
	return all, nil
}

// NameCompetence puts on record that somebody may do a family alone. Nobody names themselves; a trainee is never alone.
func (ws *Workshop) NameCompetence(o CompetenceOrder, who person.Person) error {
	if o.Ground != person.Statement && o.Ground != person.Examination {
		return invalid("ground", "The ground is a statement or an examination.")
	}
	c, err := ws.competence(o, who)
	if err != nil {
		return err
	}
	return ws.Ledger.Record(ws.act(o.ID, "competence named", who, ""), &c)
}

// competence is what an order puts on record.
func (ws *Workshop) competence(o CompetenceOrder, who person.Person) (c ledger.Competence, err error) {
	p, err := ws.colleague(o.Person, "person")
	if err != nil {
		return c, err
	}
	known := slices.ContainsFunc(ws.procedures(), func(p *procedure.Procedure) bool { return p.Family == o.Family })
	var until *time.Time
	if o.Until != "" {
		last, err := time.ParseInLocation(time.DateOnly, o.Until, time.Local)
		if err != nil || !last.After(ws.Clock().AddDate(0, 0, -1)) {
			return c, invalid("until", "The last day is written as 2027-03-31, and is today or later.")
		}
		end := last.AddDate(0, 0, 1)
		until = &end
	}
	switch {
	case p.ID == who.ID:
		return c, invalid("person", "Nobody names themselves: ask another lead.")
	case p.Role != person.Technician && p.Role != person.Lead:
		return c, invalid("person", p.Name+" is a "+string(p.Role)+": only technicians and leads do a device alone.")
	case !known:
		return c, invalid("family", "There is no procedure for a family "+o.Family+".")
	case o.Ground == person.Examination && strings.TrimSpace(o.Note) == "":
		return c, invalid("note", "Say which examination: its name, its day, who held it.")
	}
	return ledger.Competence{ID: ulid.Make().String(), PersonID: p.ID, Family: o.Family, Ground: o.Ground,
		Note: strings.TrimSpace(o.Note), ByID: who.ID, ByName: who.Name, At: ws.Clock(), Until: until}, nil
}

// TakeCompetenceBack ends a competence now, with a reason.
func (ws *Workshop) TakeCompetenceBack(id, reason string, who person.Person) error {
	if strings.TrimSpace(reason) == "" {
		return invalid("reason", "Say why: it stays on record.")
	}
	rows, err := ws.Ledger.Competences()
	if err != nil {
		return err
	}
	at := slices.IndexFunc(rows, func(c ledger.Competence) bool { return c.ID == id })
	if at < 0 {
		return ledger.ErrNotFound
	}
	c, now := rows[at], ws.Clock()
	c.Until = &now
	return ws.Ledger.Record(ws.act("", "competence taken back", who, strings.TrimSpace(reason)), &c)
}

// takeSkillsOver makes competences of the names that earlier versions kept in the day's settings, once.
func (ws *Workshop) takeSkillsOver() error {
	var before struct {
		Skills map[string][]string `json:"skills"`
	}
	if err := ws.Ledger.Setting("day", &before); err != nil || len(before.Skills) == 0 {
		return err
	}
	everyone, err := ws.Ledger.Everyone()
	if err != nil {
		return err
	}
	records := []any{}
	for family, names := range before.Skills {
		for _, p := range everyone {
			if slices.Contains(names, p.Name) {
				records = append(records, &ledger.Competence{ID: ulid.Make().String(), PersonID: p.ID, Family: family,
					Ground: person.Imported,
					Note:   "named in the settings of the day", ByID: ledger.Nobody.ID, ByName: ledger.Nobody.Name, At: ws.Clock()})
			}
		}
	}
	if err := ws.Ledger.Record(ws.act("", "competences taken over", ledger.Nobody, ""), records...); err != nil {
		return err
	}
	day, err := ws.workingDay()
	if err != nil {
		return err
	}
	return ws.Ledger.SetSetting(ws.act("", "working day set", ledger.Nobody,
		"who may do what alone is on record by itself"), "day", day)
}

// skills are the families that a person may do among those that not everyone may, and all of those.
func skills(p person.Person, all []person.Competence, at time.Time) (may, few []string) {
	for _, c := range all {
		if slices.Contains(few, c.Family) {
			continue
		}
		few = append(few, c.Family)
		if p.Alone(c.Family, all, at) {
			may = append(may, c.Family)
		}
	}
	slices.Sort(may)
	return may, few
}
