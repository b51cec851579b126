package ledger

import (
	"encoding/json"
	"fmt"
	"slices"
	"time"

	"northneedle/core/duty"
)

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

// DueDay is the day an activity is due next, and how many days its calendar lets pass.
type DueDay struct {
	ID        string
	Procedure string
	DueOn     time.Time
	Days      int // 0: it has no calendar
}

// DueDays are the days on which activities are due next, before a day, the earliest first.
func (l *Ledger) DueDays(until time.Time) ([]DueDay, error) {
	type row struct {
		ID, Procedure, Duty string
		DueOn               time.Time
	}
	rows, err := many[row](l.read.Model(&Activity{}).Select("id, procedure, due_on, duty").
		Where("active = ? AND due_on < ? AND asset_id NOT IN (?)", true, until,
			l.read.Model(&Asset{}).Select("id").Where("status = ?", Gone)).
		Order("due_on"))
	days := map[string]int{} // of a duty, as it is written: a workshop has few different ones
	all := make([]DueDay, len(rows))
	for i, r := range rows {
		n, known := days[r.Duty]
		if !known {
			var duty duty.Duty
			if err := json.Unmarshal([]byte(r.Duty), &duty); err != nil {
				return nil, fmt.Errorf("the duty of activity %s: %w", r.ID, err)
			}
			n = duty.Calendar()
			days[r.Duty] = n
		}
		all[i] = DueDay{r.ID, r.Procedure, r.DueOn, n}
	}
	return all, err
}

// RoundsOf are the days from one on whose rounds somebody goes on, the earliest first.
func (l *Ledger) RoundsOf(name, from string) (days []string, err error) {
	rounds, err := many[Round](l.read.Where("day >= ?", from).Order("day"))
	for _, r := range rounds {
		if slices.Contains(r.People, name) {
			days = append(days, r.Day)
		}
	}
	return days, err
}
