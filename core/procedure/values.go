package procedure

import (
	"fmt"
	"maps"
	"slices"
	"strings"
)

// ValueTable gives a method a value by what was chosen in the run, such as the reference threshold of a tone by the
// transducer. Where Over is given, the value goes by that parameter of a point too: by its frequency.
type ValueTable struct {
	Source string     `yaml:"source"`         // the standard or manual that it is taken from, with its edition
	By     string     `yaml:"by"`             // the choice of a record that it goes by
	Over   string     `yaml:"over,omitempty"` // the parameter of a point under "with" that it goes by too
	Rows   []ValueRow `yaml:"rows" jsonschema:"minItems=1"`
}

// ValueRow is a row of a [ValueTable]: it fits where one of the options given was chosen ("supra | insert").
type ValueRow struct {
	When  string              `yaml:"when"`
	Value float64             `yaml:"value,omitempty"` // of a table that goes by the choice alone
	At    map[float64]float64 `yaml:"at,omitempty"`    // by the point's parameter
}

// Value is what the table says for what was chosen, at a point. It returns an error where nothing was chosen yet, and where
// the table has no value.
func (t ValueTable) Value(choices map[string]string, p *Point) (float64, error) {
	chosen := choices[t.By]
	if chosen == "" {
		return 0, fmt.Errorf("what is chosen under %q is not recorded yet", t.By)
	}
	for _, row := range t.Rows {
		if !(Condition{Field: t.By, Option: row.When}).Allows(chosen) {
			continue
		}
		if t.Over == "" {
			return row.Value, nil
		}
		if v, ok := row.At[p.With[t.Over]]; ok {
			return v, nil
		}
		return 0, fmt.Errorf("the table for %s has no value at %g", chosen, p.With[t.Over])
	}
	return 0, fmt.Errorf("there is no row for %s", chosen)
}

// values checks the tables of values that go by what is chosen.
func (c *checker) values() {
	for _, name := range slices.Sorted(maps.Keys(c.p.Values)) {
		table, at := c.p.Values[name], "values."+name
		c.need(at+".source", table.Source)
		c.need(at+".by", table.By)
		if len(table.Rows) == 0 {
			c.say(at+".rows", "is missing")
		}
		for i, row := range table.Rows {
			path := fmt.Sprintf("%s.rows[%d]", at, i)
			when := strings.TrimSpace(table.By) + " = " + row.When
			c.when(path+".when", when, parseCondition(when), c.p.Steps)
			if table.Over != "" && len(row.At) == 0 {
				c.say(path+".at", "is missing: the table goes by %s", table.Over)
			}
		}
	}
}

// Tables are the names of the tables of values that a measure's method takes, sorted.
func (p *Procedure) Tables(m *Measure) []string {
	var all []string
	for _, name := range slices.Sorted(maps.Keys(p.Values)) {
		if slices.Contains(m.Method.Params, name) {
			all = append(all, name)
		}
	}
	return all
}
