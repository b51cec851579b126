package dayplan

import "time"

// Recurring is work that comes again: when it is due next, after how many days again (0: not
// again), and the hours of hands it takes.
type Recurring struct {
	ID    string
	DueOn time.Time
	Days  int
	Hours float64
}

// shortest is the interval in days below which a check is its users' own, and no load of the lab.
const shortest = 28

// LoadsOf lays work out over months from the first day of a month on. What is overdue falls into
// the first month; the next time of each may be brought forward by a percentage of its interval,
// the times after it stay where they are. Daily and weekly checks are their users'.
func LoadsOf(work []Recurring, first time.Time, months, forward int) []Load {
	month := func(t time.Time) int {
		return max(0, (t.Year()-first.Year())*12+int(t.Month())-int(first.Month()))
	}
	end := first.AddDate(0, months, 0)
	loads := make([]Load, 0, len(work))
	for _, w := range work {
		if w.Days > 0 && w.Days < shortest {
			continue
		}
		l := Load{ID: w.ID, Month: month(w.DueOn), Hours: w.Hours}
		l.Earliest = min(l.Month, month(w.DueOn.AddDate(0, 0, -w.Days*forward/100)))
		loads = append(loads, l)
		for next := w.DueOn; w.Days > 0; {
			if next = next.AddDate(0, 0, w.Days); !next.Before(end) {
				break
			}
			if next.After(first) {
				at := month(next)
				loads = append(loads, Load{ID: w.ID, Month: at, Earliest: at, Hours: w.Hours})
			}
		}
	}
	return loads
}
