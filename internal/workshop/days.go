package workshop

import (
	"time"
)

// Day is a day as it travels, 2026-11-26: a date, not an instant, which elsewhere is another
// day. Empty is none.
type Day string

// dayOf is the beginning of a time's day.
func dayOf(t time.Time) time.Time {
	return time.Date(t.Year(), t.Month(), t.Day(), 0, 0, 0, 0, t.Location())
}

// begin is when a day begins where the workshop is; the zero time where it is none.
func (ws *Workshop) begin(day Day) time.Time {
	t, err := time.ParseInLocation(time.DateOnly, string(day), ws.Clock().Location())
	if err != nil {
		return time.Time{}
	}
	return t
}

// days until a day; negative is in the past.
func (ws *Workshop) days(on time.Time) int {
	now := ws.Clock()
	today := dayOf(now)
	n := on.Sub(today).Hours() / 24
	if n < 0 {
		return int(n - 0.5)
	}
	return int(n + 0.5)
}

// atMinute is a minute of a day as the clock on the wall shows it, also on a day on which that is put forward or back.
func atMinute(day time.Time, minute int) time.Time {
	return time.Date(day.Year(), day.Month(), day.Day(), 0, minute, 0, 0, day.Location())
}
