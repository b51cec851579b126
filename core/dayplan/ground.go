package dayplan

import "slices"

// ground is the places of a day as numbers, so that ways and windows are looked up once
// and not for every order that is tried.
type ground struct {
	of      map[string]int
	ways    [][]int    // minutes, from one to another
	windows [][]Window // when it is open
	always  []bool     // it has no windows: it is always open
}

// survey numbers the places of a day.
func (d Day) survey() *ground {
	g := &ground{of: map[string]int{}}
	var names []string
	add := func(place string) {
		if _, known := g.of[place]; !known {
			g.of[place] = len(names)
			names = append(names, place)
		}
	}
	for _, p := range d.People {
		add(p.Place)
	}
	for _, j := range d.Jobs {
		add(j.Place)
	}
	for _, from := range names {
		ways := make([]int, len(names))
		for i, to := range names {
			if d.Travel != nil && from != "" && from != to {
				ways[i] = d.Travel(from, to)
			}
		}
		g.ways = append(g.ways, ways)
		windows, known := d.Windows[from]
		g.windows, g.always = append(g.windows, windows), append(g.always, !known)
	}
	return g
}

// way is the minutes from one place to another.
func (s *sheet) way(from, to string) int { return s.ground.ways[s.ground.of[from]][s.ground.of[to]] }

// open is the first time from one on at which a place is open for so long before another.
func (g *ground) open(place, from, latest, length int) (int, bool) {
	if g.always[place] {
		return from, from+length <= latest
	}
	for _, w := range g.windows[place] {
		at := max(from, w.From)
		if at+length <= min(latest, w.Until) {
			return at, true
		}
	}
	return 0, false
}

// gap is the earliest time from one on at which a person can work so long at a place.
func (s *sheet) gap(p int, at string, from, length int) (int, bool) {
	person, g := s.day.People[p], s.ground
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
	b.at = s.ground.of[b.Place]
	at := 0
	for at < len(s.hands[p]) && s.hands[p][at].From < b.From {
		at++
	}
	s.hands[p] = slices.Insert(s.hands[p], at, b)
}
