package ledger

import (
	"time"

	"northneedle/core/person"
)

// Competence is on record that somebody may do a family of devices alone. One that is taken back ends; its row stays.
type Competence struct {
	ID       string `gorm:"primaryKey"`
	PersonID string
	Family   string `gorm:"index:competence_of_family"`
	Ground   person.Ground
	Note     string // what it rests on, in words
	ByID     string
	ByName   string
	At       time.Time
	Until    *time.Time
}

// Competences is all that is or was on record of who may do what alone, the earliest first. It is only read.
func (l *Ledger) Competences() ([]Competence, error) {
	return RememberRecords(l, "competences", func() ([]Competence, error) {
		return many[Competence](l.read.Order("at, id"))
	})
}

// Alone is who may do which family alone, as the core knows it. It is only read.
func (l *Ledger) Alone() ([]person.Competence, error) {
	return RememberRecords(l, "alone", func() ([]person.Competence, error) {
		rows, err := l.Competences()
		all := make([]person.Competence, len(rows))
		for i, c := range rows {
			all[i] = person.Competence{Person: c.PersonID, Family: c.Family, Ground: c.Ground, At: c.At, Until: c.Until,
				By: person.Person{ID: c.ByID, Name: c.ByName}}
		}
		return all, err
	})
}

// Registered is when a person's account was made; zero where the log does not say.
func (l *Ledger) Registered(id string) (time.Time, error) {
	return RememberRecords(l, "registered "+id, func() (time.Time, error) {
		var at []string
		touched := l.read.Model(&Touch{}).Select("min(ord)").Where("subject = ?", "people/"+id)
		err := l.read.Model(&Event{}).Where("ord = (?)", touched).Pluck("at", &at).Error
		if err != nil || len(at) == 0 {
			return time.Time{}, err
		}
		return time.Parse(time.RFC3339Nano, at[0])
	})
}
