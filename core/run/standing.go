package run

import "northneedle/core/procedure"

// taken are the readings of a point in a round that still stand.
func (r Run) taken(measure, point string, round int) []*Reading {
	return r.takenSince(0, PointKey{measure, point, round})
}

// takenSince are those among the readings from one on.
func (r Run) takenSince(first int, key PointKey) (all []*Reading) {
	for i := first; i < len(r.Readings); i++ {
		if reading := &r.Readings[i]; reading.at(key) && reading.Stands() {
			all = append(all, reading)
		}
	}
	return all
}

// standing are the readings that count: after a gross error and a look at the
// set-up, only those taken since.
func (r Run) standing(measure, point string, round int) []*Reading {
	key := PointKey{measure, point, round}
	if checkedAt, checked := r.SetUp[key]; checked {
		if since := r.takenSince(checkedAt, key); len(since) > 0 {
			return since
		}
	}
	return r.takenSince(0, key)
}

// Superseded are the readings of a point in a round that were far out, and were read again after a look at the set-up:
// they do not count, and stay in sight.
func (r Run) Superseded(m *procedure.Measure, p *procedure.Point, round int) []*Reading {
	if _, checked := r.SetUp[PointKey{m.ID, p.ID, round}]; !checked {
		return nil
	}
	taken, standing := r.taken(m.ID, p.ID, round), r.standing(m.ID, p.ID, round)
	return taken[:len(taken)-len(standing)]
}

// Complete reports whether a point needs nothing more in a round: enough readings,
// or left out with a reason. A gross error counts only once the set-up was looked
// at and the point repeated.
func (r Run) Complete(m *procedure.Measure, p *procedure.Point, round int) bool {
	if _, omitted := r.Omitted[PointKey{m.ID, p.ID, round}]; omitted || !r.Holds(m.Condition) || !r.Holds(p.Condition) {
		return true
	}
	if len(r.standing(m.ID, p.ID, round)) < m.Repeats {
		return false
	}
	return !r.GrossOpen(m, p, round)
}

// open is the first point of a measure that is not complete in a round; nil where all are.
func (r Run) open(m *procedure.Measure, round int) *procedure.Point {
	for i := range m.Points {
		if !r.Complete(m, &m.Points[i], round) {
			return &m.Points[i]
		}
	}
	return nil
}

// Holds reports whether what a condition asks for is so in this run: an optional role was
// filled, what fills a role was not prepared before, or something was chosen. A condition that asks for nothing always holds.
func (r Run) Holds(c procedure.Condition) bool {
	switch {
	case c.Field != "":
		return c.Allows(r.Choices[c.Field])
	case c.Role != "":
		bound, filled := r.Bound[c.Role]
		if !c.Unprepared || !filled {
			return filled || c.Unprepared
		}
		role, _ := r.Procedure.RoleOf(c.Role)
		return !role.PreparedHere(bound.Standard, bound.At)
	}
	return true
}

// GrossOpen reports whether a point stands on a gross error that was not followed up.
func (r Run) GrossOpen(m *procedure.Measure, p *procedure.Point, round int) bool {
	v, err := r.Judge(m, p, round)
	if err != nil || v == nil || !v.Gross {
		return false
	}
	at, checked := r.SetUp[PointKey{m.ID, p.ID, round}]
	if !checked {
		return true
	}
	for _, reading := range r.Readings[at:] {
		if reading.at(PointKey{m.ID, p.ID, round}) && reading.Stands() {
			return false
		}
	}
	return true
}
