package run

import (
	"math"

	"northneedle/core/adjust"
	"northneedle/core/procedure"
	"northneedle/core/quantity"
)

// SpanLoad is the load that a span is set with: the heaviest that was read, its certified value in the device's unit, the
// pieces in words, and the step of the display.
type SpanLoad struct {
	Value float64 `json:"value"`
	Unit  string  `json:"unit"` // UCUM
	Step  float64 `json:"step"`
	Do    string  `json:"do"`
}

// SpanLoad is the load for the controls of a finding that are told it; nil where there is none, or no load was read.
func (r Run) SpanLoad(f *procedure.Finding) *SpanLoad {
	told := false
	for _, c := range r.Controls(f) {
		told = told || c.Sense == adjust.TellLoad
	}
	if !told {
		return nil
	}
	var heaviest *SpanLoad
	for _, m := range f.Measures {
		for i := range m.Points {
			p := &m.Points[i]
			e, err := r.Expect(m, p)
			if err == nil && len(r.standing(m.ID, p.ID, 0)) > 0 && (heaviest == nil || e.Reference > heaviest.Value) {
				heaviest = &SpanLoad{e.Reference, e.Unit, r.Resolution(m), e.Do}
			}
		}
	}
	return heaviest
}

// shown is the load as the display shows it.
func (s SpanLoad) shown() string {
	return quantity.Format(math.Round(s.Value/s.Step)*s.Step, s.Step) + " " + quantity.ShowUnit(s.Unit)
}

// toldLoad is the note of a span that was set: what was typed into the device, and what lay on it. Typed is refused where it is not
// the load, to half a step of the display.
func (r Run) toldLoad(f *procedure.Finding, typed string) (string, error) {
	load := r.SpanLoad(f)
	if load == nil {
		return "", refuse(Conflict, "no-load", "typed", "No load was read that the span could be set with.")
	}
	v, err := quantity.ParseNumber(typed)
	switch {
	case err != nil:
		return "", refuse(Invalid, "number", "typed", "Type the value that you entered in the device: it should be %s.", load.shown())
	case math.Abs(v-load.Value) > load.Step/2+1e-9:
		return "", refuse(Invalid, "not-the-load", "typed",
			"%s was typed into the device, and %s lies on it: it would be wrong at every load by %s %%. Enter %s in the device, then here.",
			typed, load.shown(), quantity.FormatSigned(100*(v-load.Value)/load.Value, 0.1), load.shown())
	}
	return quantity.Format(v, load.Step) + " " + quantity.ShowUnit(load.Unit) + " typed in; " + load.Do, nil
}
