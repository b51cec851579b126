package api

import "time"

// dayOf is the beginning of a time's day.
func dayOf(t time.Time) time.Time {
	return time.Date(t.Year(), t.Month(), t.Day(), 0, 0, 0, 0, t.Location())
}

// local is a time as the workshop's clock shows it. Browsers send instants: the beginning of a
// day there is, elsewhere, another day.
func (h *House) local(t time.Time) time.Time { return t.In(h.Clock().Location()) }

// days until a day; negative is in the past.
func (h *House) days(on time.Time) int {
	now := h.Clock()
	today := dayOf(now)
	n := on.Sub(today).Hours() / 24
	if n < 0 {
		return int(n - 0.5)
	}
	return int(n + 0.5)
}
