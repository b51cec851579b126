package shared

import (
	"fmt"
	"math"

	"northneedle/core/procedure"
	"northneedle/core/quantity"
	"northneedle/core/reference"
	"northneedle/core/uncertainty"

	"gonum.org/v1/gonum/stat"
)

// Measured is a quantity of the device that a reference instrument measures, where no value is set and none should be shown: a
// resistance, a leakage. There is no error; the limits are on the value itself. U comes from the line of the instrument's
// certificate that covers the value, or the line that ends nearest to it, with U taken in proportion beyond its end.
func Measured(in procedure.Input) (procedure.Outcome, error) {
	if len(in.Certified) == 0 {
		return procedure.Outcome{}, fmt.Errorf("the instrument is not certified for this")
	}
	factor, err := quantity.Scale(in.Unit, in.Shown)
	if err != nil {
		return procedure.Outcome{}, err
	}
	value := 0.0
	if len(in.Readings) > 0 {
		value = stat.Mean(in.Readings, nil)
	}
	var best reference.Certified
	nearest := math.Inf(1)
	beyond := 1.0
	for _, line := range in.Certified {
		per, err := quantity.Scale(line.Unit, in.Shown)
		if err != nil {
			return procedure.Outcome{}, err
		}
		low, high := line.From*per, line.To*per
		if line.From == 0 && line.To == 0 {
			low, high = line.Value*per, line.Value*per
		}
		away := max(0, low-value, value-high)
		if away < nearest {
			best, nearest, beyond = line, away, 1
			if value > high && high > 0 {
				beyond = value / high
			}
		}
	}
	per, err := quantity.Scale(best.Unit, in.Shown)
	if err != nil {
		return procedure.Outcome{}, err
	}
	return procedure.Outcome{
		Unit:     in.Shown,
		Factor:   factor,
		Measured: true,
		Terms:    append([]uncertainty.Term{}, best.Terms("Reference instrument", per*beyond, in.Years)...),
		Formula:  "value = what the reference instrument measured",
	}, nil
}
