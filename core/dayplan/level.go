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
			return nil, nil, nil, fmt.Errorf("load %s: month %d, from %d on, %g h: it must lie within the %d months",
				l.ID, l.Month, l.Earliest, l.Hours, months)
		}
		before[l.Month] += l.Hours
		at[i] = l.Month
	}
	after = slices.Clone(before)
	// Loads that may go to the same months and take the same hours are alike: one of them
	// stands for all.
	type kind struct {
		month, earliest int
		hours           float64
	}
	alike := map[kind][]int{}
	var kinds []kind
	put := func(k kind, i int) {
		if _, known := alike[k]; !known {
			kinds = append(kinds, k)
		}
		alike[k] = append(alike[k], i)
	}
	for i, l := range loads {
		if l.Earliest < l.Month && l.Hours > 0 {
			put(kind{l.Month, max(0, l.Earliest), l.Hours}, i)
		}
	}
	for range 50 * len(loads) {
		best, to, gain := -1, 0, 1e-9
		for n, k := range kinds {
			if len(alike[k]) == 0 {
				continue
			}
			for month := k.earliest; month < k.month; month++ {
				// How much the sum of squares falls: it is least where all months are alike.
				if g := k.hours * (after[k.month] - after[month] - k.hours); g > gain {
					best, to, gain = n, month, g
				}
			}
		}
		if best < 0 {
			break
		}
		k := kinds[best]
		i := alike[k][0]
		alike[k] = alike[k][1:]
		after[k.month] -= k.hours
		after[to] += k.hours
		at[i] = to
		if to > k.earliest {
			put(kind{to, k.earliest, k.hours}, i)
		}
	}
	for i, l := range loads {
		if at[i] != l.Month {
			moves = append(moves, Move{l.ID, l.Month, at[i]})
		}
	}
	return before, after, moves, nil
}
