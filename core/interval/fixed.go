// Package interval says when a device is next due, and why.
package interval

import (
	"fmt"
	"time"
)

// Due is a next date with the reason for it.
type Due struct {
	On     time.Time `json:"on"`
	Reason string    `json:"reason"`
}

// FixedDays is [Fixed] for so many days (1 to 3650).
func FixedDays(done time.Time, days int, why string) (Due, error) {
	if days < 1 || days > 3650 {
		return Due{}, fmt.Errorf("the interval must be 1 to 3650 days, it is %d", days)
	}
	reason := fmt.Sprintf("%d days after %s, a fixed interval", days, done.Format(time.DateOnly))
	if days == 1 {
		reason = fmt.Sprintf("the day after %s", done.Format(time.DateOnly))
	}
	if why != "" {
		reason += ": " + why
	}
	return Due{time.Date(done.Year(), done.Month(), done.Day()+days, 0, 0, 0, 0, done.Location()), reason}, nil
}

// Fixed is the calendar school: so many months (1 to 120) after the day of the
// run. A day that the target month lacks becomes that month's last day.
func Fixed(done time.Time, months int, why string) (Due, error) {
	if months < 1 || months > 120 {
		return Due{}, fmt.Errorf("the interval must be 1 to 120 months, it is %d", months)
	}
	day := time.Date(done.Year(), done.Month(), done.Day(), 0, 0, 0, 0, done.Location())
	on := day.AddDate(0, months, 0)
	if on.Day() != day.Day() {
		on = on.AddDate(0, 0, -on.Day())
	}
	unit := "months"
	if months == 1 {
		unit = "month"
	}
	reason := fmt.Sprintf("%d %s after %s, a fixed interval", months, unit, done.Format(time.DateOnly))
	if why != "" {
		reason += ": " + why
	}
	return Due{on, reason}, nil
}

// InDays is a number of days in words: "1 day", "30 days".
func InDays(n int) string {
	if n == 1 {
		return "1 day"
	}
	return fmt.Sprintf("%d days", n)
}

// Past reports whether a last day is over at a time: a day counts to its end.
func Past(day, now time.Time) bool { return !now.Before(day.AddDate(0, 0, 1)) }
