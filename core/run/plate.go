package run

import (
	"slices"
	"strings"

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
		if (field.Min != 0 || field.Max != 0) && (v < field.Min || v > field.Max) {
			return nil, refuse(Invalid, "range", field.ID, "%s: %g is outside %g to %g %s.", field.Label, v, field.Min,
				field.Max, quantity.ShowUnit(field.Unit))
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
		if marked || slices.ContainsFunc(r.Readings,
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
