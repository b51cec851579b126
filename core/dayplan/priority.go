package dayplan

import (
	"cmp"
	"slices"
)

// Priority is the cost of leaving a job out: risk² × (30 + days late), where risk is 1 to 5 and the
// days late are limited to −20 … 60. It is always positive. Both the choice of a day's jobs and the
// planner use it.
func Priority(risk, daysLate int) int {
	return risk * risk * (30 + max(-20, min(60, daysLate)))
}

// Candidate is a job that could be done on a day.
type Candidate struct {
	Risk     int  // 1 to 5
	DaysLate int  // negative: not due yet
	Seldom   bool // its place can be reached on few days only
}

// priority counts what can seldom be reached twice: the next chance is far.
func (c Candidate) priority() int {
	p := Priority(c.Risk, c.DaysLate)
	if c.Seldom {
		p *= 2
	}
	return p
}

// Gravest sorts candidates by priority, highest first, and returns their indices in all. Candidates with
// the same priority stay in the order of all.
func Gravest(all []Candidate) []int {
	order := make([]int, len(all))
	for i := range order {
		order[i] = i
	}
	slices.SortStableFunc(order, func(a, b int) int { return cmp.Compare(all[b].priority(), all[a].priority()) })
	return order
}

// RoundRules are a lab's ways of filling its days.
type RoundRules struct {
	Ahead   int `json:"ahead" minimum:"0" maximum:"120" doc:"days before its day that a job may be done in a round"`
	Jobs    int `json:"jobs" minimum:"1" maximum:"40" doc:"jobs a day is filled with for each person, where nobody chose"`
	Forward int `json:"forward" minimum:"0" maximum:"50" doc:"percent of its interval that work may be brought forward"`
}

// DefaultRoundRules are where a lab begins: three weeks ahead, 14 jobs for each person, a sixth of an
// interval.
var DefaultRoundRules = RoundRules{Ahead: 21, Jobs: 14, Forward: 17}
