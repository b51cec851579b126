package run

import (
	"math"
	"slices"
	"strings"
	"time"

	"northneedle/core/procedure"
	"northneedle/core/quantity"
)

// RecordPlate records the figures of the data plate as they were typed.
type RecordPlate struct {
	Step   string
	Values map[string]string
}

func (c RecordPlate) decide(r Run, o Order) ([]Fact, error) {
	step, err := stepOf[*procedure.RecordStep](r, c.Step)
	if err != nil {
		return nil, err
	}
	values, choices := map[string]float64{}, map[string]string{}
	for _, field := range step.Fields {
		words := strings.TrimSpace(c.Values[field.ID])
		switch {
		case words == "" && field.Optional:
			continue
		case field.Text && (words == "" || len(words) > 200):
			return nil, refuse(Invalid, "words", field.ID, "%s: say it in 1 to 200 characters.", field.Label)
		case field.Text:
			if err := r.printed(field, words); err != nil {
				return nil, err
			}
			choices[field.ID] = words
			continue
		}
		if len(field.Options) > 0 {
			if choices[field.ID], err = choose(field, c.Values[field.ID], choices); err != nil {
				return nil, err
			}
			continue
		}
		v, err := quantity.ParseNumber(c.Values[field.ID])
		if err != nil {
			return nil, refuse(Invalid, "number", field.ID, "%s: %s.", field.Label, err)
		}
		if err := r.printedValue(field, v); err != nil {
			return nil, err
		}
		if (field.Min != 0 || field.Max != 0) && (v < field.Min || v > field.Max) {
			return nil, refuse(Invalid, "range", field.ID, "%s: %g is outside %g to %g %s.", field.Label, v, field.Min,
				field.Max, quantity.ShowUnit(r.FieldUnit(field)))
		}
		if field.Counts != "" && v < 0 {
			return nil, refuse(Invalid, "range", field.ID, "%s: a counter shows 0 or more.", field.Label)
		}
		values[field.ID] = v
	}
	if len(r.Readings) > 0 && r.usedPlate(step) {
		return nil, refuse(Conflict, "plate-in-use", "step",
			"%s: readings were taken on these figures. Withdraw them before changing it.", step.Title)
	}
	fact := PlateRecorded{Step: c.Step, Values: values}
	if len(choices) > 0 {
		fact.Choices = choices
	}
	return append([]Fact{fact}, r.ends(step)...), nil
}

// choose checks a choice: one of the options, and the same as what it must equal.
func choose(f procedure.Field, chosen string, before map[string]string) (string, error) {
	at := slices.IndexFunc(f.Options, func(o procedure.Option) bool { return o.ID == chosen })
	if at < 0 {
		return "", refuse(Invalid, "choice", f.ID, "%s: choose what is set.", f.Label)
	}
	if other := before[f.SameAs]; other != "" && other != chosen {
		return "", refuse(Invalid, "mismatch", f.ID,
			"%s: set to %s, but %s is needed. %s Set it right, and choose it here.", f.Label, chosen, other, f.Symptom)
	}
	return chosen, nil
}

// ReadBack are the choices that were recorded as they were read off an instrument, by the names of its settings.
func (r Run) ReadBack() map[string]string {
	all := map[string]string{}
	for f := range r.Procedure.Fields() {
		if choice := r.Choices[f.ID]; f.ReadBack != "" && choice != "" {
			all[f.ReadBack] = choice
		}
	}
	return all
}

// FieldUnit is the unit that a figure is typed in: the one that the device shows its quantity in, else the field's own.
func (r Run) FieldUnit(f procedure.Field) string {
	if unit := r.Device.Settings["unit."+f.Quantity]; f.Quantity != "" && unit != "" {
		return unit
	}
	return f.Unit
}

// printed refuses a lot or an expiry that is another than the register holds of the standard that fills a role.
func (r Run) printed(f procedure.Field, typed string) error {
	role, what, _ := strings.Cut(f.SameAs, ".")
	bound, filled := r.Bound[role]
	if !filled {
		return nil
	}
	known := map[string]string{procedure.Lot: bound.Standard.Lot,
		procedure.Expiry: bound.Standard.Certificate.DueOn.Format(time.DateOnly)}[what]
	if known == "" || strings.EqualFold(known, typed) {
		return nil
	}
	return refuse(Invalid, "mismatch", f.ID, "%s: %s was typed, the register holds %s for %s. %s Look at the label and the insert; enter here what stands there, or bring the right one.",
		f.Label, typed, known, bound.Standard.Tag, f.Symptom)
}

// printedShare is how far a typed value may be from the register's, as a share: its last digit may be rounded.
const printedShare = 0.005

// printedValue refuses a value that is another than the register holds of the standard that fills a role.
func (r Run) printedValue(f procedure.Field, typed float64) error {
	role, what, named := strings.Cut(f.SameAs, ".")
	bound, filled := r.Bound[role]
	if !named || !filled {
		return nil
	}
	for _, line := range bound.Standard.Lines(what, 0, f.Unit, false) {
		scale, err := quantity.ScaleOf(what, line.Unit, r.FieldUnit(f))
		if err == nil && math.Abs(typed-line.Value*scale) > printedShare*math.Abs(line.Value*scale) {
			unit := quantity.ShowUnit(r.FieldUnit(f))
			return refuse(Invalid, "mismatch", f.ID, "%s: %g %s was typed, the register holds %.4g %s for %s. %s Look at the insert of this lot, and at the unit.",
				f.Label, typed, unit, line.Value*scale, unit, bound.Standard.Named(), f.Symptom)
		}
	}
	return nil
}

// ChangePart says that a part was changed during the run: the steps that it invalidates
// are to be done again.
type ChangePart struct{ Part, Reason string }

func (c ChangePart) decide(r Run, _ Order) ([]Fact, error) {
	at := slices.IndexFunc(r.Procedure.Parts, func(p procedure.ReplaceablePart) bool { return p.ID == c.Part })
	if at < 0 {
		return nil, refuse(Invalid, "no-such-part", "part", "This procedure names no part %q.", c.Part)
	}
	part := r.Procedure.Parts[at]
	reason := strings.TrimSpace(c.Reason)
	if reason == "" {
		return nil, refuse(Invalid, "reason-needed", "reason", "%s: say what was changed and why.", part.Title)
	}
	fact := PartChanged{Part: part.ID, Reason: part.Title + ": " + reason}
	for _, id := range part.Invalidates {
		if m := r.Procedure.Measure(id); m != nil && r.Findings[m.Judge.ID].Closed > 0 {
			return nil, refuse(Conflict, "judged", "part",
				"%s is judged already, and does not change any more: abandon this run and begin a new one.", m.Title)
		}
		_, marked := r.Marks[id]
		_, timed := r.Timers[id]
		if marked || timed || slices.ContainsFunc(r.Readings,
			func(x Reading) bool { return x.Measure == id && x.Stands() }) {
			fact.Steps = append(fact.Steps, id)
		}
	}
	if len(fact.Steps) == 0 {
		return nil, refuse(Conflict, "nothing-touched", "part", "%s: nothing that was done so far depends on it.",
			part.Title)
	}
	return []Fact{fact}, nil
}

// usedPlate reports whether readings that stand were taken after a record, and so on it.
func (r Run) usedPlate(record *procedure.RecordStep) bool {
	at := func(id string) int {
		return slices.IndexFunc(r.Procedure.Steps, func(s procedure.Step) bool { return s.Base().ID == id })
	}
	return slices.ContainsFunc(r.Readings, func(reading Reading) bool {
		return reading.Stands() && at(reading.Measure) > at(record.ID)
	})
}
