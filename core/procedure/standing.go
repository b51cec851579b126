package procedure

import (
	"strings"
)

// taken are the readings of a point in a round that still stand.
func (r Run) taken(measure, point string, round int) []Reading {
	var all []Reading
	for _, reading := range r.Readings {
		if reading.Measure == measure && reading.Point == point && reading.Round == round && reading.Withdrawn == "" {
			all = append(all, reading)
		}
	}
	return all
}

// standing are the readings that count: after a gross error and a look at the
// set-up, only those taken since.
func (r Run) standing(m Step, p Point, round int) []Reading {
	checkedAt, checked := r.SetUp[pointKey{m.ID, p.ID, round}]
	var since []Reading
	for i, reading := range r.Readings {
		if reading.Measure == m.ID && reading.Point == p.ID && reading.Round == round && reading.Withdrawn == "" && (!checked || i >= checkedAt) {
			since = append(since, reading)
		}
	}
	if checked && len(since) == 0 {
		return r.taken(m.ID, p.ID, round)
	}
	return since
}

// complete reports whether a point needs nothing more in a round: enough readings,
// or left out with a reason. A gross error counts only once the set-up was looked
// at and the point repeated.
func (r Run) complete(m Step, p Point, round int) bool {
	if _, omitted := r.Omitted[pointKey{m.ID, p.ID, round}]; omitted || !r.exists(p) {
		return true
	}
	if len(r.standing(m, p, round)) < m.Repeats {
		return false
	}
	return !r.grossOpen(m, p, round)
}

// exists reports whether a point is one in this run: not where the optional role that
// it is about was left unfilled, or something else was chosen.
func (r Run) exists(p Point) bool { return r.Wanted(p.When) }

// Wanted reports whether what a "when" asks for is so: an optional role was filled, or
// something was chosen ("steps = 10"); nothing asked for is always so.
func (r Run) Wanted(when string) bool {
	if field, option, choice := chosenBy(when); choice {
		return r.Choices[field] == option
	}
	_, bound := r.Bound[when]
	return when == "" || bound
}

// chosenBy reads a "when" that asks for a choice: "field = option".
func chosenBy(when string) (field, option string, ok bool) {
	field, option, ok = strings.Cut(when, "=")
	return strings.TrimSpace(field), strings.TrimSpace(option), ok
}

// grossOpen reports whether a point stands on a gross error that was not followed up.
func (r Run) grossOpen(m Step, p Point, round int) bool {
	v, err := r.judge(m, p, round)
	if err != nil || v == nil || !v.Gross {
		return false
	}
	at, checked := r.SetUp[pointKey{m.ID, p.ID, round}]
	if !checked {
		return true
	}
	for _, reading := range r.Readings[at:] {
		if reading.Measure == m.ID && reading.Point == p.ID && reading.Round == round && reading.Withdrawn == "" {
			return false
		}
	}
	return true
}
