package procedure

import (
	"time"

	"northneedle/core/conformity"
)

// Against is which earlier value of the same device a point is compared with.
type Against string

const (
	First Against = "first" // its reference value: the first good test, or the first since a repair
	Last  Against = "last"
)

// Trend says that a measure's points are compared with what the same device gave before, besides their limits: a jump inside
// the limits is a finding, in the idea of IEC 62353.
type Trend struct {
	Against Against `yaml:"against" jsonschema:"enum=first,enum=last"`
	Jump    string  `yaml:"jump"` // how far it may be from the earlier value, written as a tolerance is: "±5 % of reading"

	limits conformity.Tolerance // of Jump; filled in by Compile
}

// Earlier is what a device showed at a point in earlier runs of the same procedure, in Unit. Only runs that it passed count.
type Earlier struct {
	Measure string    `json:"measure"`
	Point   string    `json:"point"`
	Unit    string    `json:"unit"`
	First   PastValue `json:"first"`
	Last    PastValue `json:"last"`
}

// PastValue is a value of an earlier run.
type PastValue struct {
	Value float64   `json:"value"`
	At    time.Time `json:"at"`
	Run   string    `json:"run"`
}

// Of is the earlier value that the trend goes by.
func (t Trend) Of(e Earlier) PastValue {
	if t.Against == Last {
		return e.Last
	}
	return e.First
}

// Jumped reports whether a value is further from an earlier one than the trend allows; both are in the measure's unit.
func (t Trend) Jumped(value, earlier float64) bool {
	limits, err := t.limits.Limits(earlier)
	return err == nil && (value-earlier > limits.High || value-earlier < limits.Low)
}
