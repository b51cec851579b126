package procedure

import (
	"fmt"
	"maps"
	"math"
	"slices"

	"northneedle/core/method"
	"northneedle/core/quantity"
)

// Known is what is known by now of a reference that runs were made with: the true value
// of its quantity is the certified one plus Error, with an expanded uncertainty U (k = 2),
// both in Unit. Remove says that the error is taken out; otherwise it is taken into the
// uncertainty. Where a reference has a range and no value, it can only be taken into that.
type Known struct {
	Standard string  `json:"standard"` // its id
	Quantity string  `json:"quantity"`
	Error    float64 `json:"error"`
	U        float64 `json:"u"`
	Unit     string  `json:"unit"`
	Remove   bool    `json:"remove"`
}

// Check reports what is wrong with it, if anything.
func (k Known) Check() error {
	switch {
	case k.Standard == "" || k.Quantity == "":
		return fmt.Errorf("say which reference, and which of its quantities")
	case math.IsNaN(k.Error) || math.IsInf(k.Error, 0) || k.Error == 0:
		return fmt.Errorf("say by how much it is off: more than nothing")
	case !(k.U > 0) || math.IsInf(k.U, 0):
		return fmt.Errorf("say how certain that is: an expanded uncertainty above zero")
	}
	_, err := quantity.ParseUnit(k.Unit)
	return err
}

// Reconsidered is a point seen again with what is known of a reference.
type Reconsidered struct {
	Measure  string   `json:"measure"`
	Point    string   `json:"point"`
	Label    string   `json:"label"`
	Phase    Phase    `json:"phase"`
	Before   *Verdict `json:"before"`
	After    *Verdict `json:"after"`
	Changed  bool     `json:"changed"` // its statement is another
	Sentence string   `json:"sentence"`
}

// Reconsider judges every point again that a reference carried, with what is known of it
// now. The record itself stays as it is. It is empty where the run did not use it.
func (r Run) Reconsider(k Known) ([]Reconsidered, error) {
	if err := k.Check(); err != nil {
		return nil, err
	}
	seen, err := r.knowing(k)
	if err != nil || seen.Bound == nil {
		return nil, err
	}
	was := r.remembering()
	var all []Reconsidered
	for _, m := range r.Procedure.Steps {
		for _, p := range m.Points {
			if !r.exists(p) {
				continue
			}
			finding, _ := r.Procedure.FindingOf(m.ID)
			for round := range max(1, r.Findings[finding.ID].Closed) {
				before, err := was.judge(m, p, round)
				if err != nil || before == nil {
					continue
				}
				after, err := seen.judge(m, p, round)
				if err != nil {
					return nil, fmt.Errorf("%s, %s: %w", m.Title, p.Label, err)
				}
				if after.Reference == before.Reference && after.U == before.U {
					continue
				}
				c := Reconsidered{Measure: m.ID, Point: p.ID, Label: m.Title + " " + p.Label, Phase: phaseOf(round), Before: before, After: after, Changed: before.Pass != after.Pass}
				c.Sentence = fmt.Sprintf("%s, %s: was %s, is %s. %s", c.Label, c.Phase, accepted(before.Pass), accepted(after.Pass), after.Sentence)
				all = append(all, c)
			}
		}
	}
	return all, nil
}

func accepted(pass bool) string {
	if pass {
		return "accepted"
	}
	return "not accepted"
}

// knowing is the run as if its reference had been known so; without any bound standard
// where it was not used.
func (r Run) knowing(k Known) (Run, error) {
	seen := r
	seen.Bound = nil
	for role, b := range r.Bound {
		if b.Standard.ID != k.Standard {
			continue
		}
		if seen.Bound == nil {
			seen.Bound = maps.Clone(r.Bound)
		}
		b.Standard.Values = slices.Clone(b.Standard.Values)
		for i, line := range b.Standard.Values {
			if line.Quantity != k.Quantity {
				continue
			}
			known, err := k.line(line)
			if err != nil {
				return seen, err
			}
			b.Standard.Values[i] = known
		}
		seen.Bound[role] = b
	}
	return seen.remembering(), nil
}

// line is a certified line with what is known of it by now.
func (k Known) line(line method.Certified) (method.Certified, error) {
	e, err := quantity.Convert(k.Error, k.Unit, line.Unit)
	if err != nil {
		return line, err
	}
	u, err := quantity.Convert(k.U, k.Unit, line.Unit)
	if err != nil {
		return line, err
	}
	standard := line.U / line.K
	if k.Remove && line.From == 0 && line.To == 0 {
		line.Value += e
		line.U, line.K = u, 2
		return line, nil
	}
	// The error itself counts as a half-width of which nothing more is known.
	line.U, line.K = 2*math.Sqrt(standard*standard+e*e/3+u*u/4), 2
	return line, nil
}
