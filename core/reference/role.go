package reference

import "slices"

// Role is something the run needs: a standard of a kind that covers what it is used for.
type Role struct {
	ID       string  `json:"id" yaml:"role"`
	Title    string  `json:"title" yaml:"title"`
	Kind     string  `json:"kind" yaml:"kind"`
	Needs    []Need  `json:"needs" yaml:"needs,omitempty"`
	Litres   float64 `json:"litres,omitempty" yaml:"litres,omitempty"` // gas the run uses
	TUR      float64 `json:"tur,omitempty" yaml:"tur,omitempty"`       // the least tolerance ÷ U wanted, shown as a warning below it
	Optional bool    `json:"optional,omitempty" yaml:"optional,omitempty"`

	Prepared []Preparation `json:"prepared,omitempty" yaml:"prepared,omitempty"` // what must have been done to it first
}

// Preparation is a finding of another procedure, made on the reference itself, that
// must not be older than its hours when the reference is used.
type Preparation struct {
	By      string  `json:"by" yaml:"by"`           // procedure
	Finding string  `json:"finding" yaml:"finding"` // its id
	Title   string  `json:"title" yaml:"title"`     // "zeroed"
	Hours   float64 `json:"hours" yaml:"hours"`
	Here    bool    `json:"here,omitempty" yaml:"here,omitempty"` // where it was not, the run that uses it does it: its steps say when: ROLE unprepared
}

// Need is a quantity the role's standard must realise, from From to To in Unit.
type Need struct {
	Quantity string  `json:"quantity" yaml:"quantity"`
	From     float64 `json:"from" yaml:"from"`
	To       float64 `json:"to" yaml:"to"`
	Unit     string  `json:"unit" yaml:"unit"`
}

// Realises reports whether the role says that it needs a quantity.
func (r Role) Realises(quantity string) bool {
	return slices.ContainsFunc(r.Needs, func(n Need) bool { return n.Quantity == quantity })
}
