package ledger

import "time"

// Round is what was chosen for a day: who works, what is done, and in which order.
type Round struct {
	Day    string            `gorm:"primaryKey"` // 2026-11-26
	People []string          `gorm:"serializer:json"`
	Jobs   []string          `gorm:"serializer:json"` // activities; empty: those that are due, the gravest first
	Order  []string          `gorm:"serializer:json"` // of parts, as they were put by hand
	Who    map[string]string `gorm:"serializer:json"` // whom each job was given to
	By     string
	At     time.Time
}

// Round finds a day's.
func (l *Ledger) Round(day string) (Round, error) {
	return one[Round](l.read.Where("day = ?", day))
}

// DueUntil are the activities due before a day, by what is gravest first: invalid or
// overdue, then risk, then day.
func (l *Ledger) DueUntil(day time.Time, limit int) ([]Due, error) {
	return many[Due](l.read.Table("activities").Select(dueColumns).Joins("JOIN assets ON assets.id = activities.asset_id").
		Where("activities.active = ? AND activities.due_on < ? AND assets.status <> ?", true, day, Gone).Order("activities.risk DESC, activities.due_on").Limit(limit))
}

// DueByMonth counts the activities of each procedure due in each month from a day on, as
// "2026-11".
func (l *Ledger) DueByMonth(from, until time.Time) ([]Activity, error) {
	return many[Activity](l.read.Select("id, procedure, title, due_on, duty, asset_id, last_on").Where("active = ? AND due_on >= ? AND due_on < ?", true, from, until).Order("due_on"))
}
