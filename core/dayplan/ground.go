package dayplan

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
