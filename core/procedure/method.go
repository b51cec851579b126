package procedure

import (
	"fmt"
	"maps"
	"math"
	"slices"

	"northneedle/core/quantity"
	"northneedle/core/reference"
	"northneedle/core/uncertainty"

	"gonum.org/v1/gonum/stat"
)

// Catalogue is what procedures can name: ways of computing a point, of capturing a reading, of
// reading the errors of a finding, and tables of limits, each by its name. Families fill it in.
// The zero value is empty.
type Catalogue struct {
	Methods  map[string]Method
	Captures map[string]CaptureMethod
	Patterns map[string]Pattern
	Tables   map[string]LimitsFunc
}

// Join returns one catalogue with everything of all of them; of two things of one name the later counts.
func Join(all ...Catalogue) Catalogue {
	joined := Catalogue{
		Methods:  map[string]Method{},
		Captures: map[string]CaptureMethod{},
		Patterns: map[string]Pattern{},
		Tables:   map[string]LimitsFunc{},
	}
	for _, c := range all {
		maps.Copy(joined.Methods, c.Methods)
		maps.Copy(joined.Captures, c.Captures)
		maps.Copy(joined.Patterns, c.Patterns)
		maps.Copy(joined.Tables, c.Tables)
	}
	return joined
}

// names lists the keys of a part of a catalogue, sorted.
func names[T any](of map[string]T) []string { return slices.Sorted(maps.Keys(of)) }

// Method is how a point is computed.
//
// Compute fills everything of the outcome but Indicated and the readings' own terms, which
// [Method.Evaluate] adds alike for all. Where the readings are of the reference
// ([Outcome.ReadsReference]) it fills Indicated, and Reference only as what it should be.
type Method struct {
	Compute func(Input) (Outcome, error)
	Words   string // what it compares, for whoever writes a procedure

	Params   []string // names that it takes from a point's "with"
	Value    bool     // it takes the certified value of its standard, whatever the target
	Kit      bool     // it loads pieces of a kit
	Series   bool     // a point is compared with the one read before it ([Input.Before])
	Division string   // figure of the data plate that is the step of the display, in the measure's unit; empty: none

	// Stage says that a point is read by hand as a stage; nil: what is shown is typed.
	Stage *Stage

	// Typed reads what was typed in a form of the method's own. It returns false where it is an
	// ordinary number; resolution is the step of the display. Nil: there is no such form.
	Typed func(text string, resolution float64) (TypedReading, bool, error)
}

// TypedReading is a reading that was typed in a method's own form.
type TypedReading struct {
	Value  float64
	Step   float64 // to which it was read, where that is finer than the display
	Detail string  // kept with the reading
}

// Input is what one point brings. Readings are in the device's own unit; without
// any, the method still says what the device should show.
type Input struct {
	Target     float64 // what the procedure asks for, in Unit
	Unit       string  // the procedure's unit, in which its tolerance is written
	Shown      string  // the device's own unit
	Certified  []reference.Certified
	Years      float64 // since the certificate
	Also       map[string]Beside
	Quantum    float64       // what arrives at once on a balance, in the unit of a reading times hours; 0: it runs evenly
	Stage      *StageReading // of the reading, where it was read by hand
	Readings   []float64
	Left       float64 // what a reading still had to go when it was taken, at most
	Resolution float64 // of the device's display, in Shown
	Ambient    Ambient
	Settings   map[string]string // of the device: conventions, units
	Plate      map[string]float64
	Choices    map[string]string // what was chosen in the run: gas conditions, modes
	With       map[string]float64
	Before     *EarlierPoint // the point read before this one in the same measure and round
}

// Beside is a further standard that a method reckons with: its lines for the quantity, and the years since its certificate.
type Beside struct {
	Lines []reference.Certified
	Years float64
	Found float64 // the largest error that its own check found of it, without its sign, in the measure's unit; in this run or before it
}

// Line is the line of a further standard that covers a value in a unit; false where none does, or it is not there.
func (in Input) Line(name string, value float64, unit string) (c reference.Certified, years float64, ok bool) {
	for _, line := range in.Also[name].Lines {
		if at, err := quantity.Convert(value, unit, line.Unit); err == nil && line.Covers(at) {
			return line, in.Also[name].Years, true
		}
	}
	return c, 0, false
}

// EarlierPoint is a point that was read before: what was asked for, in the procedure's unit,
// and the mean of what was read.
type EarlierPoint struct{ Target, Reading float64 }

// Only is the single certificate line that most methods need ("what" names it in the
// error), with how many of the device's own unit make one of its unit, and one of
// the procedure's.
func (in Input) Only(what string) (c reference.Certified, per, factor float64, err error) {
	if len(in.Certified) != 1 {
		return c, 0, 0, fmt.Errorf("exactly one %s is needed for this point, there are %d", what, len(in.Certified))
	}
	c = in.Certified[0]
	if per, err = quantity.ScaleOf(c.Quantity, c.Unit, in.Shown); err != nil {
		return c, 0, 0, err
	}
	factor, err = quantity.ScaleOf(c.Quantity, in.Unit, in.Shown)
	return c, per, factor, err
}

// Outcome is the point computed. All values are in Unit, the device's own unit;
// Factor is how many of those make one of the procedure's unit.
type Outcome struct {
	Reference float64
	Indicated float64
	Unit      string
	Factor    float64
	Terms     []uncertainty.Term
	Formula   string
	Do        string // what to set up for this point: "load 20 kg + 5 kg"

	ReadingOffset   float64 // added to a reading, in its unit, before anything else
	UnitsPerReading float64 // how many of Unit one unit of a reading makes; 0 means 1
	DeviceEntry     string  // what is entered into a device that takes what was measured
	LimitBase       float64 // what a tolerance is a share of, in Unit, where that is not the reference: what was set; 0: the reference
	Pipetted        float64 // µL that a pipette brings: where that alone makes U larger than the tolerance, the point is not read
	Measured        bool    // the readings are of a reference instrument, and count as what the device gives: a leakage, a temperature
	ReadsReference  bool    // the readings are of the reference; Indicated is what the device was set to
	Delivers        bool    // the readings are of a reference instrument, and count as what the device delivers; Reference is what it was set to

	Minutes float64            // how long it was measured, where a longer time makes U smaller
	Timed   []uncertainty.Term // the terms among Terms that become smaller in proportion

	// The terms among Terms that are of the reference and how it is used: without what the device's own display, and its
	// scatter, add. Evaluate fills them in.
	OfReference []uncertainty.Term
}

// Evaluate computes one point: the reference, the mean of the readings, and the budget terms of
// reference, display and repeatability. It returns an error for a certificate line that cannot
// carry a measurement, a reading that is no number, and whatever Compute refuses.
func (m Method) Evaluate(in Input) (Outcome, error) {
	for _, c := range in.Certified {
		if err := c.Check(); err != nil {
			return Outcome{}, err
		}
	}
	out, err := m.Compute(in)
	if err != nil {
		return Outcome{}, err
	}
	out.OfReference = slices.Clip(out.Terms)
	if out.UnitsPerReading == 0 {
		out.UnitsPerReading = 1
	}
	for _, r := range in.Readings {
		if math.IsNaN(r) || math.IsInf(r, 0) {
			return Outcome{}, fmt.Errorf("a reading is not a number")
		}
	}
	if len(in.Readings) > 0 {
		mean := out.UnitsPerReading * (stat.Mean(in.Readings, nil) + out.ReadingOffset)
		if out.ReadsReference {
			out.Reference = mean
		} else {
			out.Indicated = mean
		}
	}
	if in.Resolution > 0 {
		term := uncertainty.Resolution("Resolution of the display", in.Resolution)
		term.Sensitivity = new(out.UnitsPerReading)
		out.Terms = append(out.Terms, term)
		if out.ReadsReference {
			out.OfReference = append(out.OfReference, term)
		}
	}
	if in.Left > 0 {
		out.Terms = append(out.Terms, uncertainty.Term{
			Name:         "Still to go when it was read",
			Distribution: uncertainty.Rectangular,
			Width:        in.Left,
			Sensitivity:  new(out.UnitsPerReading),
		})
	}
	if term, ok := uncertainty.Repeatability(in.Readings); ok {
		term.Sensitivity = new(out.UnitsPerReading)
		out.Terms = append(out.Terms, term)
	}
	return out, nil
}
