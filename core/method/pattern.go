package method

import "slices"

// Placed is one judged point with where it stands among the others: what its reader
// was given (band, direction …).
type Placed struct {
	Label               string
	With                map[string]float64
	Measure             string // its id
	Reference, Error, U float64
	Lean                float64
}

// significant reports whether the error is beyond its uncertainty.
func (p Placed) significant() bool { return p.Error > p.U || p.Error < -p.U }

// percent is the error as a share of the reference.
func (p Placed) percent() float64 { return 100 * p.Error / p.Reference }

// Seen is what a family sees in its points: a shape that its causes go by, and the
// sentence. An investigation wanted before any adjustment says so.
type Seen struct {
	Shape       string   `json:"shape"`
	Words       string   `json:"words"`
	Investigate bool     `json:"investigate,omitempty"`
	Lines       []string `json:"lines,omitempty"` // what it means, one by one
}

// Case is what a pattern has before it: the judged points, the room, and what was
// chosen in the run.
type Case struct {
	Points  []Placed
	Ambient Ambient
	Choices map[string]string
	Plate   map[string]float64
}

// Pattern reads the errors of a finding in the manner of a family.
type Pattern func(Case) Seen

var patterns = map[string]Pattern{}

func registerPattern(name string, p Pattern, params ...string) {
	patterns[name] = p
	asked["pattern "+name] = params
}

// Patterns lists the patterns a finding can name.
func Patterns() []string {
	var names []string
	for name := range patterns {
		names = append(names, name)
	}
	slices.Sort(names)
	return names
}

// KnownPattern reports whether a finding may name this pattern.
func KnownPattern(name string) bool { return patterns[name] != nil }

// See reads the errors by a named pattern; ok is false where there is none of the name or no point.
func See(name string, c Case) (seen Seen, ok bool) {
	p := patterns[name]
	if p == nil || len(c.Points) == 0 {
		return Seen{}, false
	}
	return p(c), true
}
