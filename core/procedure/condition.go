package procedure

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"northneedle/core/conformity"
	"northneedle/core/quantity"
)

// Condition says when a step, a point or a control belongs to a run: always (its zero value),
// when an optional role was filled, when what fills a role is to be prepared by the run itself, or when something was chosen.
type Condition struct {
	Role          string // the optional role
	Unprepared    bool   // what fills the role, optional or not, was not prepared before the run
	Field, Option string // the choice; of several options parted by "|", any will do
}

// Allows reports whether an option is among those that the condition asks for.
func (c Condition) Allows(option string) bool { return slices.Contains(c.Options(), option) }

// Options are those that the condition asks for.
func (c Condition) Options() []string {
	all := strings.Split(c.Option, "|")
	for i := range all {
		all[i] = strings.TrimSpace(all[i])
	}
	return all
}

// Always reports whether nothing is asked for.
func (c Condition) Always() bool { return c == Condition{} }

// parseCondition reads "role", "role unprepared", "field = option" or "field = option | other".
func parseCondition(when string) Condition {
	if role, unprepared := strings.CutSuffix(when, " unprepared"); unprepared {
		return Condition{Role: strings.TrimSpace(role), Unprepared: true}
	}
	field, option, choice := strings.Cut(when, "=")
	if !choice {
		return Condition{Role: strings.TrimSpace(when)}
	}
	return Condition{Field: strings.TrimSpace(field), Option: strings.TrimSpace(option)}
}

// Target is a point's value: a number in the measure's unit, a standard's certified value
// (Role and Quantity), or Percent of a figure of the data plate (Of).
type Target struct {
	Value          float64
	Role, Quantity string
	Percent        float64
	Of             string
}

func parseTarget(text string) (Target, error) {
	clean := strings.TrimSpace(text)
	if number, field, ok := strings.Cut(clean, "% of "); ok {
		v, err := quantity.ParseNumber(number)
		if err != nil || strings.TrimSpace(field) == "" {
			return Target{}, fmt.Errorf("%q is not understood: write it like \"25 %% of capacity\"", text)
		}
		return Target{Percent: v, Of: strings.TrimSpace(field)}, nil
	}
	if v, err := quantity.ParseNumber(clean); err == nil {
		return Target{Value: v}, nil
	}
	role, name, ok := strings.Cut(clean, ".")
	if !ok || role == "" || name == "" {
		return Target{}, fmt.Errorf("%q is not understood: use a number, \"role.quantity\" or \"25 %% of capacity\"",
			text)
	}
	return Target{Role: role, Quantity: name}, nil
}

// LimitTable gives a tolerance by what was chosen in the run: the protection class, the method. The first row that fits counts.
type LimitTable struct {
	Source string     `yaml:"source"` // the standard or manual that it is taken from, with its edition
	Rows   []LimitRow `yaml:"rows" jsonschema:"minItems=1"`
}

// LimitRow is a row of a LimitTable: it fits where every field named holds one of the options given ("BF | CF").
type LimitRow struct {
	When      map[string]string `yaml:"when"`
	Tolerance string            `yaml:"tolerance"`
}

// Row is the row that fits what was chosen; false where none does.
func (t LimitTable) Row(choices map[string]string) (LimitRow, bool) {
	for _, row := range t.Rows {
		fits := true
		for field, option := range row.When {
			fits = fits && Condition{Field: field, Option: option}.Allows(choices[field])
		}
		if fits {
			return row, true
		}
	}
	return LimitRow{}, false
}

// LimitsFunc gives the limits on the error at a reference value; both are in the measure's unit.
// Plate holds the figures of the data plate.
type LimitsFunc func(reference float64, plate map[string]float64) (conformity.Limits, error)

// Around returns limits that are the maker's up to UpTo, and those of the measure above. They give an error where the maker's
// figure is not recorded.
func (l *LowRange) Around(of LimitsFunc) LimitsFunc {
	return func(at float64, plate map[string]float64) (conformity.Limits, error) {
		if math.Abs(at) > l.UpTo*(1+1e-9) {
			return of(at, plate)
		}
		percent, ok := plate[l.Percent]
		if !ok || !(percent > 0) {
			return conformity.Limits{}, fmt.Errorf("up to %g the maker's limit counts, and is not recorded (%s)", l.UpTo, l.Percent)
		}
		half := percent / 100 * math.Abs(at)
		return conformity.Limits{Low: -half, High: half}, nil
	}
}

// ParseLimits reads a tolerance: the name of one of the catalogue's tables, or the text form
// of [conformity.ParseTolerance].
func (c Catalogue) ParseLimits(text string) (LimitsFunc, error) {
	if table := c.Tables[text]; table != nil {
		return table, nil
	}
	t, err := conformity.ParseTolerance(text)
	if err != nil {
		return nil, err
	}
	return func(reference float64, _ map[string]float64) (conformity.Limits, error) { return t.Limits(reference) }, nil
}
