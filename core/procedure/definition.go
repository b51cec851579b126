// Package procedure holds the definition of a procedure: what is written in its file, a type for
// each kind of step, and what follows from it once it is compiled. It also says what a device
// family may compute of its own: methods, ways of capturing, patterns and tables of limits.
package procedure

import (
	"northneedle/core/adjust"
	"northneedle/core/conformity"
	"northneedle/core/duty"
	"northneedle/core/interval"
	"northneedle/core/reference"
	"strings"
	"time"
)

// Definition is one immutable revision of how a family of devices is verified, as it is written.
// [Compile] makes a [Procedure] of it.
type Definition struct {
	ID        string `yaml:"id" jsonschema:"pattern=^[a-z0-9]+(-[a-z0-9]+)*$"`
	Revision  int    `yaml:"revision" jsonschema:"minimum=1"`
	Title     string `yaml:"title"`
	Family    string `yaml:"family"`
	Test      string `yaml:"test,omitempty"`      // the one test of an analyser that it is about: where it fails, that test is stopped, not the device
	Shared    bool   `yaml:"shared,omitempty"`    // it is for devices of every family: an electrical safety test
	Maintains bool   `yaml:"maintains,omitempty"` // it measures nothing: parts are exchanged or cleaned, and its paper states no conformity
	Summary   string `yaml:"summary,omitempty"`

	Calibrates []string              `yaml:"calibrates,omitempty"` // analytes whose calibration it is
	Cautions   []string              `yaml:"cautions" jsonschema:"minItems=1"`
	Roles      []reference.Role      `yaml:"roles,omitempty"`
	Policy     *adjust.Policy        `yaml:"policy,omitempty"` // overrides the lab's
	Rule       *conformity.Rule      `yaml:"rule,omitempty"`   // overrides the lab's
	Review     Review                `yaml:"review,omitempty"` // overrides the lab's
	Parts      []ReplaceablePart     `yaml:"parts,omitempty"`
	Limits     map[string]LimitTable `yaml:"limits,omitempty"`  // tolerances by what is chosen, named by measures
	Values     map[string]ValueTable `yaml:"values,omitempty"`  // what methods take by what is chosen, by the name of their parameter
	Label      string                `yaml:"label,omitempty"`   // what the device's label says of it in a few words, {field} as below
	States     []string              `yaml:"states,omitempty"`  // what the certificate says of what was shown and what not; {field} stands for what was recorded
	Happens    []Happening           `yaml:"happens,omitempty"` // what the work itself does to the device
	Steps      Steps                 `yaml:"-"`                 // read apart: a type for each kind
	Next       Next                  `yaml:"next"`
}

// Fits reports whether the definition is for devices of a family.
func (d *Definition) Fits(family string) bool { return d.Shared || d.Family == family }

// ReplaceablePart is a part that may be replaced during the run, such as a breathing circuit or a
// sensor. Replacing it invalidates the steps that depend on it.
type ReplaceablePart struct {
	ID          string   `json:"id" yaml:"id"`
	Title       string   `json:"title" yaml:"title"`
	Invalidates []string `json:"invalidates" yaml:"invalidates"` // checks, acts, waits, records and measures to be done again
}

// Happening is an event that the work itself is to the device, for which duties become due: a seal that was broken to adjust it.
type Happening struct {
	Event  duty.Event `yaml:"event"`
	Opened string     `yaml:"opened"`         // the loose end with which it happens
	When   string     `yaml:"when,omitempty"` // as of a step
	Words  string     `yaml:"words"`          // what the certificate says of it

	Condition Condition `yaml:"-"` // When, parsed by Compile
}

// Review says when a second person countersigns.
type Review string

const (
	ReviewNever     Review = "never"
	ReviewOnFailure Review = "on failure"
	ReviewAlways    Review = "always"
)

// Reviews lists every valid Review.
var Reviews = []Review{ReviewNever, ReviewOnFailure, ReviewAlways}

// Next is the fixed interval to the next due date: months, days, or each time of
// something that has no date ("patient").
type Next struct {
	Months int      `yaml:"months,omitempty"`
	Days   int      `yaml:"days,omitempty"`
	Each   string   `yaml:"each,omitempty"`
	Why    string   `yaml:"why,omitempty"`
	Within RoleList `yaml:"within,omitempty"` // roles whose standard's last day it does not go beyond: a lot of calibrator, its reagent
}

// RoleList names roles: one, or a list of them.
type RoleList []string

// UnmarshalYAML reads one name, or a list.
func (l *RoleList) UnmarshalYAML(read func(any) error) error {
	var one string
	if err := read(&one); err == nil {
		*l = RoleList{one}
		return nil
	}
	var all []string
	err := read(&all)
	*l = all
	return err
}

// After is the due date that a run done at a time leads to; nil where Each is the interval.
// It returns an error for an interval that is not positive.
func (n Next) After(done time.Time) (*interval.Due, error) {
	var due interval.Due
	var err error
	switch {
	case n.Each != "":
		return nil, nil
	case n.Days > 0:
		due, err = interval.FixedDays(done, n.Days, n.Why)
	default:
		due, err = interval.Fixed(done, n.Months, n.Why)
	}
	return &due, err
}

// Slug makes an id from a title: lower case letters and digits joined by hyphens.
func Slug(title string) string {
	var b strings.Builder
	gap := false
	for _, r := range strings.ToLower(title) {
		switch {
		case r >= 'a' && r <= 'z' || r >= '0' && r <= '9':
			if gap && b.Len() > 0 {
				b.WriteByte('-')
			}
			gap = false
			b.WriteRune(r)
		case r >= '₀' && r <= '₉':
			gap = false
			b.WriteRune('0' + r - '₀')
		default:
			gap = true
		}
	}
	return b.String()
}
