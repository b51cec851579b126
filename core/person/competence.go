package person

import "time"

// Ground is what it rests on that somebody may do a family alone.
type Ground string

// The grounds of a competence.
const (
	Statement   Ground = "statement"   // somebody entitled says so
	Examination Ground = "examination" // they were examined
	Imported    Ground = "imported"    // taken over from what was kept before
)

// Grounds lists every Ground.
var Grounds = []Ground{Statement, Examination, Imported}

// Competence says that a person may verify devices of one family alone: on whose word, on what ground, from when and
// until when.
type Competence struct {
	Person string // their id
	Family string
	Ground Ground
	By     Person
	At     time.Time
	Until  *time.Time // the first moment at which it does not hold any more; nil: until it is taken back
}

// Holds reports whether it holds at a moment.
func (c Competence) Holds(at time.Time) bool { return c.Until == nil || at.Before(*c.Until) }

// Alone reports whether a person may verify devices of a family alone. A family that nobody was ever named for is open
// to technicians and leads; nobody else is ever alone, whatever is on record of them.
func (p Person) Alone(family string, all []Competence, at time.Time) bool {
	if p.Role != Technician && p.Role != Lead {
		return false
	}
	named := false
	for _, c := range all {
		if c.Family != family {
			continue
		}
		if c.Person == p.ID && c.Holds(at) {
			return true
		}
		named = true
	}
	return !named
}
