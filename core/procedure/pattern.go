package procedure

import (
	"fmt"
	"strings"

	"northneedle/core/quantity"
	"northneedle/core/reference"
)

// JudgedPoint is one judged point with the parameters it was captured with (band, direction …).
type JudgedPoint struct {
	Label               string
	With                map[string]float64
	Measure             string // its id
	Reference, Error, U float64
	ErrorToLimit        float64 // error ÷ limit
	Pass                bool
	Jump                string // how it is away from what the device gave before, in words; empty where it is not
}

// Significant reports whether the error is beyond its uncertainty.
func (p JudgedPoint) Significant() bool { return p.Error > p.U || p.Error < -p.U }

// Percent is the error as a share of the reference.
func (p JudgedPoint) Percent() float64 { return 100 * p.Error / p.Reference }

// Diagnosis is what a family sees in its points: a shape that its causes go by, and the
// sentence. An investigation wanted before any adjustment says so.
type Diagnosis struct {
	Shape       string   `json:"shape"`
	Words       string   `json:"words"`
	Investigate bool     `json:"investigate,omitempty"`
	Figures     []Figure `json:"figures,omitempty"` // what follows from the points together: a factor
	Fails       string   `json:"fails,omitempty"`   // what is outside although no point is by itself: then the finding does not conform
	Lines       []string `json:"lines,omitempty"`   // what it means, one by one
}

// Figure is a result that follows from several points.
type Figure struct {
	ID    string  `json:"id"`
	Title string  `json:"title"`
	Value float64 `json:"value"`
	U     float64 `json:"u"` // expanded (k = 2); 0: it was entered
	Unit  string  `json:"unit"`
}

// Words is a figure in words: "Factor 18.4 mmol/L (U 0.3)".
func (f Figure) Words() string {
	value := strings.Replace(fmt.Sprintf("%.4g", f.Value), "-", "−", 1)
	words := strings.TrimSpace(f.Title + " " + value + " " + quantity.ShowUnit(f.Unit))
	if f.U > 0 {
		words += fmt.Sprintf(" (U %.2g)", f.U)
	}
	return words
}

// FindingInput is what a pattern has before it: the judged points, the room, and what was
// chosen in the run.
type FindingInput struct {
	Points  []JudgedPoint
	Ambient Ambient
	Choices map[string]string
	Plate   map[string]float64
	Bound   map[string]reference.Standard // what fills the roles
	Units   map[string]string             // that the device shows quantities in
	Set     map[string]string             // how the instruments said that they were set when the points were read
	Again   bool                          // as found was read again, after a cause outside the device was removed
}

// Pattern reads the errors of a finding in the manner of a family. The zero value reads nothing.
type Pattern struct {
	Read   func(FindingInput) Diagnosis
	Params []string // names that it takes from a point's "with"
}

// Diagnose reads the errors; ok is false without a pattern or without a point.
func (p Pattern) Diagnose(in FindingInput) (d Diagnosis, ok bool) {
	if p.Read == nil || len(in.Points) == 0 {
		return Diagnosis{}, false
	}
	return p.Read(in), true
}

// Marked are the points whose "with" holds a number above zero for a name.
func Marked(points []JudgedPoint, name string) (all []JudgedPoint) {
	for _, p := range points {
		if p.With[name] > 0 {
			all = append(all, p)
		}
	}
	return all
}
