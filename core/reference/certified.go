package reference

import (
	"fmt"
	"math"

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

	// What a piece of a kit is known by now to be off by, in Unit: which pieces were taken goes by their Value, and what they
	// realise by both.
	Shift float64 `json:"shift,omitempty"`
}

// Check reports a certificate line that cannot carry a measurement.
func (c Certified) Check() error {
	switch {
	case c.Quantity == "":
		return fmt.Errorf("the certificate line has no quantity")
	case !(c.U > 0) || math.IsInf(c.U, 0):
		return fmt.Errorf("%s: the certificate states no uncertainty U: a reference without one cannot be used",
			c.Quantity)
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

// Terms are what a certificate line adds to a budget, with the sensitivity that turns
// its unit into the result's: its uncertainty, its drift over the years since the
// certificate, and its own resolution.
func (c Certified) Terms(name string, sensitivity, years float64) []uncertainty.Term {
	all := []uncertainty.Term{{Name: name + ", from its certificate", Distribution: uncertainty.Normal, Width: c.U,
		K: c.K, Sensitivity: new(sensitivity)}}
	if c.DriftPerYear > 0 && years > 0 {
		t := uncertainty.Drift(name+", drift since its certificate", c.DriftPerYear, years)
		t.Sensitivity = new(sensitivity)
		all = append(all, t)
	}
	if c.Resolution > 0 {
		t := uncertainty.Resolution(name+", its own resolution", c.Resolution)
		t.Sensitivity = new(sensitivity)
		all = append(all, t)
	}
	return all
}
