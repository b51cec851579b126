package dayplan

import (
	"fmt"
	"slices"
)

// sheet is a plan being filled in.
type sheet struct {
	day     Day
	byHand  bool
	hands   [][]Block           // by person, by time
	engaged map[string][]Window // references, by tag
	holds   map[string]int      // the job, counted from 1, that was begun with a reference
	begun   []*begun            // by job
	after   []int               // by job: not before, since its references were elsewhere before it would have been done
	plan    Plan
}

// decode puts parts into the day in an order: a job stands in it twice, for its beginning
// and for its end; each part goes where it first fits.
func (d Day) decode(order []int) Plan { return d.fill(order, false) }

// fill puts parts into the day: by hand, each comes after the one before it in the order,
// with the person it was given to; otherwise where it first fits.
func (d Day) fill(order []int, byHand bool) Plan {
	s := &sheet{
		day:     d,
		byHand:  byHand,
		hands:   make([][]Block, len(d.People)),
		engaged: map[string][]Window{},
		holds:   map[string]int{},
		begun:   make([]*begun, len(d.Jobs)),
		after:   make([]int, len(d.Jobs)),
		plan:    Plan{Blocks: []Block{}, Left: []Left{}, Order: []string{}},
	}
	for tag, away := range d.Busy {
		s.engaged[tag] = slices.Clone(away)
	}
	for _, i := range order {
		s.part(i)
	}
	for i := range d.Jobs { // what was named once, or not at all
		for s.begun[i] == nil || !s.begun[i].over {
			s.part(i)
		}
	}
	for _, blocks := range s.hands {
		s.plan.Blocks = append(s.plan.Blocks, blocks...)
	}
	slices.SortStableFunc(s.plan.Blocks, func(a, b Block) int { return a.From - b.From })
	s.plan.Who = map[string]string{}
	blocks := map[string]int{}
	for _, b := range s.plan.Blocks {
		blocks[b.Job]++
	}
	for _, b := range s.plan.Blocks {
		s.plan.Order, s.plan.Who[b.Job] = append(s.plan.Order, b.Job), b.Person
		if blocks[b.Job] == 1 { // both of its parts are here
			s.plan.Order = append(s.plan.Order, b.Job)
		}
	}
	for _, l := range s.plan.Left {
		s.plan.Order = append(s.plan.Order, l.Job, l.Job)
	}
	s.sum()
	return s.plan
}

// begun is a job that was begun, or left out.
type begun struct {
	person int
	first  Block
	ready  int // when its end can be done
	over   bool
}

// part places the next part of a job.
func (s *sheet) part(i int) {
	switch b := s.begun[i]; {
	case b == nil:
		s.begin(i)
	case !b.over:
		s.finish(i)
	}
}

// given reports whether a job is a person's where it was given to someone who works.
func (s *sheet) given(j Job, person Person) bool {
	to := s.day.Who[j.ID]
	return to == "" || to == person.Name || !slices.ContainsFunc(s.day.People,
		func(p Person) bool { return p.Name == to })
}

func (s *sheet) leave(i int, why string) {
	for _, tag := range s.day.Jobs[i].References {
		if s.holds[tag] == i+1 {
			delete(s.holds, tag)
		}
	}
	s.begun[i] = &begun{over: true}
	s.plan.Left = append(s.plan.Left, Left{s.day.Jobs[i].ID, why})
}

// begin places the beginning of a job with whoever can begin it first. A reference that
// another job holds is waited for: that job is finished before.
func (s *sheet) begin(i int) {
	j := s.day.Jobs[i]
	for _, tag := range j.References {
		for holder := s.holds[tag]; holder > 0 && holder != i+1; holder = s.holds[tag] {
			s.finish(holder - 1)
		}
	}
	best := begun{person: -1}
	why := "nobody who works that day is qualified for it"
	for p, person := range s.day.People {
		if !person.can(j.Skill) || s.byHand && !s.given(j, person) {
			continue
		}
		from := s.freed(j, max(j.Ready, s.after[i], person.From))
		b := begun{person: p, first: Block{Job: j.ID, Part: SetUp, Person: person.Name, Place: j.Place,
			From: from, Until: from}}
		if b.ready = b.first.Until; !j.Started {
			at, ok := s.gap(p, j.Place, from, j.Setup)
			for ok && s.freed(j, at) > at { // a start that moved: the references may be elsewhere then
				at, ok = s.gap(p, j.Place, s.freed(j, at), j.Setup)
			}
			if !ok {
				why = s.noRoom(i)
				continue
			}
			b.first.From, b.first.Until = at, at+j.Setup
			b.ready = b.first.Until + j.Wait
		}
		if best.person < 0 || b.ready < best.ready {
			best = b
		}
	}
	if best.person < 0 {
		s.leave(i, why)
		return
	}
	s.begun[i] = &best
	for _, tag := range j.References {
		s.holds[tag] = i + 1
	}
	if best.first.Until > best.first.From {
		s.insert(best.person, best.first)
	}
	if j.Wait == 0 && !j.Started { // nothing can come between
		s.finish(i)
	}
}

// finish places the end of a job that was begun. Where its references are elsewhere before that, the job is begun again later;
// where it does not fit into the day at all, it is taken out.
func (s *sheet) finish(i int) {
	j, b := s.day.Jobs[i], s.begun[i]
	at, ok := s.gap(b.person, j.Place, b.ready, j.Finish)
	until := at + j.Finish
	back := 0
	if ok {
		back = s.back(j, b.first.From, until)
	}
	if !ok || back > 0 {
		s.hands[b.person] = slices.DeleteFunc(s.hands[b.person], func(x Block) bool { return x.Job == j.ID })
		if !ok || j.Started {
			s.leave(i, s.noRoom(i))
			return
		}
		for _, tag := range j.References {
			delete(s.holds, tag)
		}
		s.after[i], s.begun[i] = back, nil
		s.begin(i)
		return
	}
	b.over = true
	last := Block{Job: j.ID, Part: Finish, Person: b.first.Person, Place: j.Place, From: at, Until: until}
	switch {
	case j.Wait == 0 && !j.Started && at == b.first.Until: // one piece of work
		k := slices.IndexFunc(s.hands[b.person], func(x Block) bool { return x.Job == j.ID })
		if k < 0 { // nothing to set up
			last.Part = Whole
			s.insert(b.person, last)
			break
		}
		s.hands[b.person][k].Part, s.hands[b.person][k].Until = Whole, until
	case j.Finish > 0:
		s.insert(b.person, last)
	}
	for _, tag := range j.References {
		s.engaged[tag] = append(s.engaged[tag], Window{b.first.From, until})
		delete(s.holds, tag)
	}
}

// freed is from when on the references of a job are free for as long as it takes at least.
func (s *sheet) freed(j Job, from int) int {
	for range 50 {
		until := from + j.length()
		if !j.Started {
			until += j.Wait
		}
		later := from
		for _, tag := range j.References {
			for _, w := range s.engaged[tag] {
				if w.From < until && w.Until > from {
					later = max(later, w.Until)
				}
			}
		}
		if later == from {
			break
		}
		from = later
	}
	return from
}

// back is when the references of a job that are elsewhere within a stretch are back; 0 where none is.
func (s *sheet) back(j Job, from, until int) (back int) {
	for _, tag := range j.References {
		for _, w := range s.engaged[tag] {
			if w.From < until && w.Until > from {
				back = max(back, w.Until)
			}
		}
	}
	return back
}

func (s *sheet) noRoom(i int) string {
	j := s.day.Jobs[i]
	if s.after[i] > 0 {
		return "there is no room for it once its references are back, at " + Clock(s.after[i])
	}
	if windows, ok := s.day.Windows[j.Place]; ok {
		if len(windows) == 0 {
			return j.Place + " cannot be reached that day"
		}
		return "there is no room for it while " + j.Place + " is open"
	}
	return "there is no room left in the day"
}

// gap is the earliest time from one on at which a person can work so long at a place.
func (s *sheet) gap(p int, at string, from, length int) (int, bool) {
	person, g := s.day.People[p], s.day.ground
	blocks := s.hands[p]
	place, was, end := g.of[at], g.of[person.Place], person.From
	first := 0
	if s.byHand && len(blocks) > 0 { // nothing slips in before what stands there
		first = len(blocks)
		was, end = blocks[first-1].at, blocks[first-1].Until
	}
	for i := first; i <= len(blocks); i++ {
		latest := person.Until
		if i < len(blocks) {
			latest = blocks[i].From - g.ways[place][blocks[i].at]
		}
		if at, ok := g.open(place, max(from, end+g.ways[was][place]), latest, length); ok {
			return at, true
		}
		if i < len(blocks) {
			was, end = blocks[i].at, blocks[i].Until
		}
	}
	return 0, false
}

// insert puts a block among a person's, by time.
func (s *sheet) insert(p int, b Block) {
	b.at = s.day.ground.of[b.Place]
	at := 0
	for at < len(s.hands[p]) && s.hands[p][at].From < b.From {
		at++
	}
	s.hands[p] = slices.Insert(s.hands[p], at, b)
}

// way is the minutes from one place to another.
func (s *sheet) way(from, to string) int {
	return s.day.ground.ways[s.day.ground.of[from]][s.day.ground.of[to]]
}

// sum adds up hands, ways and the waits that were filled.
func (s *sheet) sum() {
	for p, blocks := range s.hands {
		was := s.day.People[p].Place
		for _, b := range blocks {
			way := s.way(was, b.Place)
			s.plan.Way += way
			for i := range s.plan.Blocks {
				if s.plan.Blocks[i] == b {
					s.plan.Blocks[i].Travel = way
				}
			}
			s.plan.Hands += b.Until - b.From
			s.plan.Ends = max(s.plan.Ends, b.Until)
			was = b.Place
		}
	}
	for _, j := range s.day.Jobs {
		if j.Started || j.Wait == 0 {
			continue
		}
		from, until := -1, -1
		for _, b := range s.plan.Blocks {
			if b.Job == j.ID && b.Part == SetUp {
				from, until = b.Until, b.Until+j.Wait
			}
		}
		for _, b := range s.plan.Blocks {
			if from >= 0 && b.Job != j.ID {
				s.plan.Filled += max(0, min(until, b.Until)-max(from, b.From))
			}
		}
	}
}

// Clock writes a minute of the day: 485 is 08:05.
func Clock(minute int) string { return fmt.Sprintf("%02d:%02d", minute/60, minute%60) }
