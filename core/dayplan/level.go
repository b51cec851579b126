package dayplan

import (
	"fmt"
	"slices"
)

// Load is one piece of work in a year: the month it is due in, counted from the first,
// and the earliest that it may be done in. Nothing is put off.
type Load struct {
	ID       string
	Month    int
	Earliest int
	Hours    float64
}

// Move brings a load forward.
type Move struct {
	ID   string `json:"id"`
	From int    `json:"from"`
	To   int    `json:"to"`
}

// Level evens a year out by bringing work forward within its window, from the fullest
// month to the emptiest it may go to, as long as that lowers the fuller of the two. The
// hours by month are those before and after.
func Level(loads []Load, months int) (before, after []float64, moves []Move, err error) {
	before = make([]float64, months)
	at := make([]int, len(loads))
	for i, l := range loads {
		if l.Month < 0 || l.Month >= months || l.Earliest > l.Month || !(l.Hours >= 0) {
			return nil, nil, nil, fmt.Errorf("load %s: month %d, from %d on, %g h: it must lie within the %d months", l.ID, l.Month, l.Earliest, l.Hours, months)
		}
		before[l.Month] += l.Hours
		at[i] = l.Month
	}
	after = slices.Clone(before)
	for range 50 * len(loads) {
		best, to, gain := -1, 0, 1e-9
		for i, l := range loads {
			for month := max(0, l.Earliest); month < at[i]; month++ {
				// How much the sum of squares falls: it is least where all months are alike.
				if g := l.Hours * (after[at[i]] - after[month] - l.Hours); g > gain {
					best, to, gain = i, month, g
				}
			}
		}
		if best < 0 {
			break
		}
		after[at[best]] -= loads[best].Hours
		after[to] += loads[best].Hours
		at[best] = to
	}
	for i, l := range loads {
		if at[i] != l.Month {
			moves = append(moves, Move{l.ID, l.Month, at[i]})
		}
	}
	return before, after, moves, nil
}
