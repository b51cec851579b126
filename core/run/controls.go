package run

import (
	"northneedle/core/procedure"
	"northneedle/core/quantity"
	"northneedle/core/reference"

	"gonum.org/v1/gonum/stat"
)

// ControlReading is a control that was measured in a run: it belongs on the chart of its analyte.
type ControlReading struct {
	procedure.Chart
	Level    int
	Unit     string  // UCUM: of Value and Mean
	Value    float64 // the mean of its readings, as left where there is one
	Mean     float64 // the lot's certified value
	Standard reference.Standard
}

// ControlReadings are the controls that were measured in the run, in the order of the procedure. Those without a lot that is
// known, or without a reading that stands, are left out.
func (r Run) ControlReadings() (all []ControlReading) {
	for _, m := range r.Procedure.Measures() {
		if m.Chart == nil {
			continue
		}
		for i := range m.Points {
			p := &m.Points[i]
			role, name := m.Source(p)
			bound, filled := r.Bound[role]
			values := r.lastValues(m, p)
			if !filled || bound.Standard.Lot == "" || len(values) == 0 {
				continue
			}
			unit := r.Unit(m)
			for _, line := range bound.Standard.Lines(name, 0, m.Unit, false) {
				scale, err := quantity.ScaleOf(name, line.Unit, unit)
				if err != nil {
					continue
				}
				all = append(all, ControlReading{Chart: *m.Chart, Level: int(p.With["level"]), Unit: unit,
					Value: stat.Mean(values, nil), Mean: line.Value * scale, Standard: bound.Standard})
				break
			}
		}
	}
	return all
}

// lastValues are the values of the last round in which a point was read.
func (r Run) lastValues(m *procedure.Measure, p *procedure.Point) (values []float64) {
	for round := r.LastRound(m); round >= 0 && len(values) == 0; round-- {
		for _, reading := range r.standing(m.ID, p.ID, round) {
			values = append(values, reading.Values...)
		}
	}
	return values
}
