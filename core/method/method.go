// Package method holds the measuring methods that a procedure can name. A method
// turns the inputs of one point into the reference value, the indicated value and
// the terms of its uncertainty budget. A device family adds its methods in a file
// of its own, and registers them here by name.
package method

import (
	"fmt"
	"math"
	"slices"

	"northneedle/core/conformity"
	"northneedle/core/uncertainty"
)

// Certified is one line of a standard's certificate: a value, or a range that the
// standard realises, with expanded uncertainty U and coverage factor K in Unit.
type Certified struct {
	Quantity string  `json:"quantity"`        // what it is a value of: "CO2", "SpO2", "mass"
	Piece    string  `json:"piece,omitempty"` // which piece of a kit
	Value    float64 `json:"value,omitempty"`
	From     float64 `json:"from,omitempty"` // of a range; From = To = 0 means Value alone
	To       float64 `json:"to,omitempty"`
	Unit     string  `json:"unit"`
	U        float64 `json:"u"`
	K        float64 `json:"k"`

	DriftPerYear float64 `json:"drift_per_year,omitempty"` // half-width it may have moved by in a year, in Unit
	Resolution   float64 `json:"resolution,omitempty"`     // step of its own display, in Unit
}

// Check reports a certificate line that cannot carry a measurement.
func (c Certified) Check() error {
	switch {
	case c.Quantity == "":
		return fmt.Errorf("the certificate line has no quantity")
	case !(c.U > 0) || math.IsInf(c.U, 0):
		return fmt.Errorf("%s: the certificate states no uncertainty U: a reference without one cannot be used", c.Quantity)
	case !(c.K > 0):
		return fmt.Errorf("%s: the certificate states no coverage factor k", c.Quantity)
	case math.IsNaN(c.Value) || math.IsInf(c.Value, 0):
		return fmt.Errorf("%s: the certificate value is not a number", c.Quantity)
	case c.From > c.To || math.IsNaN(c.From+c.To) || math.IsInf(c.From+c.To, 0):
		return fmt.Errorf("%s: the certificate's range runs backwards, or is no range", c.Quantity)
	case !(c.DriftPerYear >= 0) || math.IsInf(c.DriftPerYear, 0):
		return fmt.Errorf("%s: the drift in a year must not be negative", c.Quantity)
	case !(c.Resolution >= 0) || math.IsInf(c.Resolution, 0):
		return fmt.Errorf("%s: the resolution must not be negative", c.Quantity)
	}
	return nil
}

// Covers reports whether the line realises the value.
func (c Certified) Covers(value float64) bool {
	if c.From == 0 && c.To == 0 {
		return true
	}
	slack := 1e-9 * math.Max(math.Abs(c.From), math.Abs(c.To))
	return value >= c.From-slack && value <= c.To+slack
}

// Ambient is the recorded state of the room. UPressureHPa is the expanded
// uncertainty (k = 2) of the pressure.
type Ambient struct {
	TemperatureC    float64 `json:"temperature_c"`
	PressureHPa     float64 `json:"pressure_hpa"`
	HumidityPercent float64 `json:"humidity_percent"`
	UPressureHPa    float64 `json:"u_pressure_hpa,omitempty"`
	Source          string  `json:"source"`
	Recorded        bool    `json:"recorded"`
}

// terms are what a certificate line adds to a budget, with the sensitivity that turns
// its unit into the result's: its uncertainty, its drift over the years since the
// certificate, and its own resolution.
func (c Certified) terms(name string, sensitivity, years float64) []uncertainty.Term {
	all := []uncertainty.Term{{Name: name + ", from its certificate", Distribution: uncertainty.Normal, Width: c.U, K: c.K, Sensitivity: sensitivity}}
	if c.DriftPerYear > 0 && years > 0 {
		t := uncertainty.Drift(name+", drift since its certificate", c.DriftPerYear, years)
		t.Sensitivity = sensitivity
		all = append(all, t)
	}
	if c.Resolution > 0 {
		t := uncertainty.Resolution(name+", its own resolution", c.Resolution)
		t.Sensitivity = sensitivity
		all = append(all, t)
	}
	return all
}

// Input is what one point brings. Readings are in the device's own unit; without
// any, the method still says what the device should show.
type Input struct {
	Target     float64 // what the procedure asks for, in Unit
	Unit       string  // the procedure's unit, in which its tolerance is written
	Shown      string  // the device's own unit
	Certified  []Certified
	Years      float64 // since the certificate
	Readings   []float64
	Resolution float64 // of the device's display, in Shown
	Ambient    Ambient
	Settings   map[string]string // of the device: conventions, units
	Plate      map[string]float64
	Choices    map[string]string // what was chosen in the run: gas conditions, modes
	With       map[string]float64
	Before     *Earlier // the point read before this one in the same measure and round
}

// Earlier is a point that was read before: what was asked for, in the procedure's unit,
// and the mean of what was read.
type Earlier struct{ Target, Reading float64 }

// only is the single certificate line that most methods need (what names it in the
// refusal), with how many of the device's own unit make one of its unit, and one of
// the procedure's.
func (in Input) only(what string) (c Certified, per, factor float64, err error) {
	if len(in.Certified) != 1 {
		return c, 0, 0, fmt.Errorf("exactly one %s is needed for this point, there are %d", what, len(in.Certified))
	}
	c = in.Certified[0]
	if per, err = scale(c.Unit, in.Shown); err != nil {
		return c, 0, 0, err
	}
	factor, err = scale(in.Unit, in.Shown)
	return c, per, factor, err
}

// Outcome is the point computed. All values are in Unit, the device's own unit;
// Factor is how many of those make one of the procedure's unit.
type Outcome struct {
	Reference float64            `json:"reference"`
	Indicated float64            `json:"indicated"`
	Unit      string             `json:"unit"`
	Factor    float64            `json:"factor"`
	Terms     []uncertainty.Term `json:"terms"`
	Formula   string             `json:"formula"`
	Do        string             `json:"do,omitempty"` // what to set up for this point: "load 20 kg + 5 kg"

	Plus     float64 `json:"plus,omitempty"`     // added to a reading, in its unit, before anything else
	Per      float64 `json:"per,omitempty"`      // how many of Unit one unit of a reading makes; 0: one
	Told     string  `json:"told,omitempty"`     // what the device is told of the readings, where it takes what was measured
	Measures bool    `json:"measures,omitempty"` // the readings are of the reference; Indicated is what the device was set to
}

// Method computes a point. It must fill everything but Indicated and the
// readings' own terms, which [Evaluate] adds alike for all. Where the readings are of
// the reference ([Outcome.Measures]) it fills Indicated, and Reference only as what it
// should be.
type Method func(Input) (Outcome, error)

// LimitsFunc gives limits that a table or the data plate decides rather than a text.
type LimitsFunc func(reference float64, plate map[string]float64) (conformity.Limits, error)

var methods = map[string]Method{}
var tables = map[string]LimitsFunc{}

// asked are the names that a method or a pattern takes from a point's "with".
var asked = map[string][]string{}

func register(name string, m Method, params ...string) {
	methods[name] = m
	asked["method "+name] = params
}

// Asks lists what a method and a pattern take from a point's "with"; either may be empty.
func Asks(method, pattern string) []string {
	return append(slices.Clone(asked["method "+method]), asked["pattern "+pattern]...)
}

func registerLimits(name string, f LimitsFunc) { tables[name] = f }

// Names lists the methods a procedure can name.
func Names() []string {
	names := make([]string, 0, len(methods))
	for name := range methods {
		names = append(names, name)
	}
	slices.Sort(names)
	return names
}

// Known reports whether a procedure may name this method.
func Known(name string) bool { return methods[name] != nil }

// Limits finds a table of limits by its name; nil where there is none.
func Limits(name string) LimitsFunc { return tables[name] }

// Evaluate computes one point by the named method: the reference, the mean of the
// readings, and the budget terms of reference, display and repeatability.
func Evaluate(name string, in Input) (Outcome, error) {
	m := methods[name]
	if m == nil {
		return Outcome{}, fmt.Errorf("method %q is not known: use one of %v", name, Names())
	}
	for _, c := range in.Certified {
		if err := c.Check(); err != nil {
			return Outcome{}, err
		}
	}
	out, err := m(in)
	if err != nil {
		return Outcome{}, err
	}
	if out.Per == 0 {
		out.Per = 1
	}
	mean := 0.0
	for _, r := range in.Readings {
		if math.IsNaN(r) || math.IsInf(r, 0) {
			return Outcome{}, fmt.Errorf("a reading is not a number")
		}
		mean += out.Per * (r + out.Plus) / float64(len(in.Readings))
	}
	switch {
	case !out.Measures:
		out.Indicated = mean
	case len(in.Readings) > 0:
		out.Reference = mean
	}
	if in.Resolution > 0 {
		term := uncertainty.Resolution("Resolution of the display", in.Resolution)
		term.Sensitivity = out.Per
		out.Terms = append(out.Terms, term)
	}
	if term, ok := uncertainty.Repeatability(in.Readings); ok {
		term.Sensitivity = out.Per
		out.Terms = append(out.Terms, term)
	}
	return out, nil
}
