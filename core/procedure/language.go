// Package procedure holds the procedure language and the run as a fold of events.
package procedure

import (
	"slices"
	"strings"

	"northneedle/core/adjust"
	"northneedle/core/conformity"
)

// Procedure is one immutable revision of how a family of devices is verified. It
// is data: written in YAML, checked by [Procedure.Check], never changed once used.
type Procedure struct {
	ID       string `json:"id" yaml:"id"`
	Revision int    `json:"revision" yaml:"revision"`
	Title    string `json:"title" yaml:"title"`
	Family   string `json:"family" yaml:"family"`
	Summary  string `json:"summary,omitempty" yaml:"summary"`

	Calibrates []string         `json:"calibrates,omitempty" yaml:"calibrates"` // analytes whose calibration it is
	Cautions   []string         `json:"cautions" yaml:"cautions"`
	Roles      []Role           `json:"roles" yaml:"roles"`
	Policy     *adjust.Policy   `json:"policy,omitempty" yaml:"policy"` // overrides the lab's
	Rule       *conformity.Rule `json:"rule,omitempty" yaml:"rule"`     // overrides the lab's
	Review     Review           `json:"review,omitempty" yaml:"review"` // overrides the lab's
	Parts      []Changeable     `json:"parts,omitempty" yaml:"parts"`
	Steps      []Step           `json:"steps" yaml:"steps"`
	Next       Next             `json:"next" yaml:"next"`
}

// Changeable is something that may be changed during the run, and makes earlier steps count
// no more: another breathing circuit, another sensor.
type Changeable struct {
	ID          string   `json:"id" yaml:"id"`
	Title       string   `json:"title" yaml:"title"`
	Invalidates []string `json:"invalidates" yaml:"invalidates"` // checks, acts and measures to be done again
}

// Review says when a second person countersigns.
type Review string

const (
	ReviewNever     Review = "never"
	ReviewOnFailure Review = "on failure"
	ReviewAlways    Review = "always"
)

// Next is the fixed interval to the next due date: months, days, or each time of
// something that has no date ("patient").
type Next struct {
	Months int    `json:"months,omitempty" yaml:"months"`
	Days   int    `json:"days,omitempty" yaml:"days"`
	Each   string `json:"each,omitempty" yaml:"each"`
	Why    string `json:"why,omitempty" yaml:"why"`
	Within string `json:"within,omitempty" yaml:"within"` // a role whose standard's last day it does not go beyond: a lot of calibrator
}

// Role is something the run needs: a standard of a kind that covers what it is used for.
type Role struct {
	ID       string  `json:"id" yaml:"role"`
	Title    string  `json:"title" yaml:"title"`
	Kind     string  `json:"kind" yaml:"kind"`
	Needs    []Need  `json:"needs" yaml:"needs"`
	Litres   float64 `json:"litres,omitempty" yaml:"litres"` // gas the run uses
	TUR      float64 `json:"tur,omitempty" yaml:"tur"`       // the least tolerance ÷ U wanted, shown as a warning below it
	Optional bool    `json:"optional,omitempty" yaml:"optional"`

	Prepared []Preparation `json:"prepared,omitempty" yaml:"prepared"` // what must have been done to it first
}

// Preparation is a finding of another procedure, made on the reference itself, that
// must not be older than its hours when the reference is used.
type Preparation struct {
	By      string  `json:"by" yaml:"by"`           // procedure
	Finding string  `json:"finding" yaml:"finding"` // its id
	Title   string  `json:"title" yaml:"title"`     // "zeroed"
	Hours   float64 `json:"hours" yaml:"hours"`
}

// Need is a quantity the role's standard must realise, from From to To in Unit.
type Need struct {
	Quantity string  `json:"quantity" yaml:"quantity"`
	From     float64 `json:"from" yaml:"from"`
	To       float64 `json:"to" yaml:"to"`
	Unit     string  `json:"unit" yaml:"unit"`
}

// StepKind says what the technician does at a step.
type StepKind string

const (
	StepBring    StepKind = "bring"    // fill the roles
	StepCautions StepKind = "cautions" // acknowledge them
	StepCheck    StepKind = "check"    // fine, not fine, does not apply
	StepAct      StepKind = "act"      // do something, which may open or close a loose end
	StepWait     StepKind = "wait"     // a timer
	StepAmbient  StepKind = "ambient"  // room conditions
	StepRecord   StepKind = "record"   // figures from the data plate
	StepMeasure  StepKind = "measure"
	StepFinding  StepKind = "finding"
	StepSign     StepKind = "sign"
)

// Step is one step of the way. Exactly one of the keys check, act, wait, ambient,
// record, measure and finding is given, and holds its title (for measure and
// finding, its id).
type Step struct {
	ID      string `json:"id,omitempty" yaml:"id"` // made from the title where none is given
	Title   string `json:"title,omitempty" yaml:"title"`
	Check   string `json:"check,omitempty" yaml:"check"`
	Act     string `json:"act,omitempty" yaml:"act"`
	Wait    string `json:"wait,omitempty" yaml:"wait"`
	Ambient string `json:"ambient,omitempty" yaml:"ambient"`
	Record  string `json:"record,omitempty" yaml:"record"`
	Measure string `json:"measure,omitempty" yaml:"measure"`
	Finding string `json:"finding,omitempty" yaml:"finding"`

	Do       string   `json:"do,omitempty" yaml:"do"`             // how, in a sentence or two
	Caution  string   `json:"caution,omitempty" yaml:"caution"`   // shown while the step is done
	Symptom  string   `json:"symptom,omitempty" yaml:"symptom"`   // what the mistake would look like
	When     string   `json:"when,omitempty" yaml:"when"`         // an optional role, or "field = option" of an earlier record: else the step is none
	Answers  string   `json:"answers,omitempty" yaml:"answers"`   // check: passed, for passed, failed, not fitted; else fine, not fine, does not apply
	Skip     string   `json:"skip,omitempty" yaml:"skip"`         // lead: only a lead may leave it out
	Optional bool     `json:"optional,omitempty" yaml:"optional"` // left out, the statement stands: something earlier still counts
	Opens    string   `json:"opens,omitempty" yaml:"opens"`       // the loose end it opens
	Closes   []string `json:"closes,omitempty" yaml:"closes"`     // those it closes

	Minutes float64 `json:"minutes,omitempty" yaml:"minutes"` // wait
	Why     string  `json:"why,omitempty" yaml:"why"`

	UPressure   float64 `json:"u_pressure_hpa,omitempty" yaml:"u_pressure_hpa"` // ambient
	Temperature *Window `json:"temperature,omitempty" yaml:"temperature"`       // ambient: outside it, come back later

	Fields []Field `json:"fields,omitempty" yaml:"fields"` // record

	Method     string   `json:"method,omitempty" yaml:"method"`       // measure
	Direction  string   `json:"direction,omitempty" yaml:"direction"` // rising or falling, where a device may differ
	Role       string   `json:"role,omitempty" yaml:"role"`
	Quantity   string   `json:"quantity,omitempty" yaml:"quantity"`
	Unit       string   `json:"unit,omitempty" yaml:"unit"`
	Reads      string   `json:"reads,omitempty" yaml:"reads"` // unit of what is read, where that is of another kind
	Resolution float64  `json:"resolution,omitempty" yaml:"resolution"`
	Tolerance  string   `json:"tolerance,omitempty" yaml:"tolerance"`
	School     string   `json:"school,omitempty" yaml:"school"`   // whose tolerance it is, where others are in use too
	Schools    []School `json:"schools,omitempty" yaml:"schools"` // the others; the lab's choice decides
	Gross      float64  `json:"gross,omitempty" yaml:"gross"`
	Repeats    int      `json:"repeats,omitempty" yaml:"repeats"`
	Points     []Point  `json:"points,omitempty" yaml:"points"`
	Capture    *Capture `json:"capture,omitempty" yaml:"capture"`
	SetUp      []string `json:"set_up,omitempty" yaml:"set_up"` // what to look at on a gross error

	Pattern  string              `json:"pattern,omitempty" yaml:"pattern"` // of core/method: how the family's errors are read
	Judges   []string            `json:"judges,omitempty" yaml:"judges"`   // finding
	Controls []adjust.Control    `json:"controls,omitempty" yaml:"controls"`
	Causes   map[string][]string `json:"causes,omitempty" yaml:"causes"` // likely causes by shape
}

// Window is a range the room must be in for the work to mean anything.
type Window struct {
	From float64 `json:"from" yaml:"from"`
	To   float64 `json:"to" yaml:"to"`
	Why  string  `json:"why" yaml:"why"`
}

// Field is one figure of a data plate, or one thing to choose.
type Field struct {
	ID       string   `json:"id" yaml:"id"`
	Label    string   `json:"label" yaml:"label"`
	Unit     string   `json:"unit" yaml:"unit"`
	Min      float64  `json:"min,omitempty" yaml:"min"`
	Max      float64  `json:"max,omitempty" yaml:"max"`
	Options  []Option `json:"options,omitempty" yaml:"options"`   // a choice in place of a figure
	Text     bool     `json:"text,omitempty" yaml:"text"`         // words in place of a figure
	Optional bool     `json:"optional,omitempty" yaml:"optional"` // may stay empty
	SameAs   string   `json:"same_as,omitempty" yaml:"same_as"`   // an earlier choice that this one must equal
	Symptom  string   `json:"symptom,omitempty" yaml:"symptom"`   // what it would look like if it did not
}

// Option is one thing that can be chosen.
type Option struct {
	ID    string `json:"id" yaml:"id"`
	Title string `json:"title" yaml:"title"` // with its definition: "BTPS: 37 °C, ambient pressure, saturated"
}

// Point is one value at which the device is compared.
type Point struct {
	ID    string             `json:"id,omitempty" yaml:"id"`
	Label string             `json:"label" yaml:"label"`
	At    string             `json:"at" yaml:"at"`         // a number, "role.quantity", or "25 % of capacity"
	U     float64            `json:"u,omitempty" yaml:"u"` // expanded (k = 2), where no standard realises the value
	Role  string             `json:"role,omitempty" yaml:"role"`
	Drive map[string]string  `json:"drive,omitempty" yaml:"drive"` // what a linked instrument is set to
	Do    string             `json:"do,omitempty" yaml:"do"`
	With  map[string]float64 `json:"with,omitempty" yaml:"with"` // for the reader, besides the capture's
	Zone  string             `json:"zone,omitempty" yaml:"zone"` // the trim that serves it, where one serves several
	When  string             `json:"when,omitempty" yaml:"when"` // as of a step: else the point is none
}

// School is another criterion in use for a measure, shown beside the one that decides.
type School struct {
	Title     string `json:"title" yaml:"title"`
	Tolerance string `json:"tolerance" yaml:"tolerance"`
}

// Capture says how a reading is taken over a link.
type Capture struct {
	Kind       string             `json:"kind" yaml:"kind"`             // a reader of core/method
	Instrument string             `json:"instrument" yaml:"instrument"` // kind of linked instrument
	Channel    string             `json:"channel" yaml:"channel"`
	Also       []string           `json:"also,omitempty" yaml:"also"`       // further channels
	Breaths    int                `json:"breaths,omitempty" yaml:"breaths"` // alike
	Seconds    float64            `json:"seconds,omitempty" yaml:"seconds"` // window
	Limit      float64            `json:"limit" yaml:"limit"`               // how alike or steady, in the measure's unit
	Floor      float64            `json:"floor,omitempty" yaml:"floor"`     // the least swing that counts
	With       map[string]float64 `json:"with,omitempty" yaml:"with"`       // what else the reader asks for
	Hands      string             `json:"hands,omitempty" yaml:"hands"`     // free: taken by itself when steady
}

// Tests reports whether a check is answered passed, failed or not fitted.
func (s *Step) Tests() bool { return s.Answers == "passed" }

// Kind is what the technician does at the step; empty where none or several of the keys are given.
func (s *Step) Kind() StepKind {
	kind, n := StepKind(""), 0
	note := func(key string, k StepKind) {
		if key != "" {
			kind, n = k, n+1
		}
	}
	note(s.Check, StepCheck)
	note(s.Act, StepAct)
	note(s.Wait, StepWait)
	note(s.Ambient, StepAmbient)
	note(s.Record, StepRecord)
	note(s.Measure, StepMeasure)
	note(s.Finding, StepFinding)
	switch {
	case n == 1:
		return kind
	case n > 1:
		return ""
	case s.ID == bringID:
		return StepBring
	case s.ID == cautionsID:
		return StepCautions
	case s.ID == signID:
		return StepSign
	}
	return ""
}

const (
	bringID    = "bring-together"
	cautionsID = "cautions"
	signID     = "sign"
)

// settled fills in what follows from the rest: ids, titles, defaults.
func (s Step) settled() Step {
	words := s.Check + s.Act + s.Wait + s.Ambient + s.Record + s.Measure + s.Finding
	if s.ID == "" {
		s.ID = Slug(words)
	}
	if s.Title == "" {
		s.Title = words
	}
	if s.Kind() == StepMeasure {
		if s.Repeats == 0 {
			s.Repeats = 1
		}
		if s.Gross == 0 {
			s.Gross = 3
		}
		points := make([]Point, len(s.Points))
		for i, p := range s.Points {
			if p.ID == "" {
				p.ID = Slug(p.Label)
			}
			if p.Role == "" {
				p.Role = s.Role
			}
			points[i] = p
		}
		s.Points = points
	}
	return s
}

// Settled returns the procedure with every default that follows from the rest filled in.
func (p Procedure) Settled() Procedure {
	steps := make([]Step, len(p.Steps))
	for i, s := range p.Steps {
		steps[i] = s.settled()
	}
	p.Steps = steps
	return p
}

// Way is the whole order of a run: what every run begins with, the procedure's own steps, and signing.
func (p Procedure) Way() []Step {
	way := make([]Step, 0, len(p.Steps)+len(ends))
	way = append(way, ends[:2]...)
	way = append(way, p.Steps...)
	return append(way, ends[2])
}

// ends are the steps that every run begins and ends with.
var ends = []Step{{ID: bringID, Title: "Bring together"}, {ID: cautionsID, Title: "Cautions"}, {ID: signID, Title: "Sign"}}

// Step finds a step of the way by its id.
func (p Procedure) Step(id string) (Step, bool) {
	for i := range p.Steps {
		if p.Steps[i].ID == id {
			return p.Steps[i], true
		}
	}
	for _, s := range ends {
		if s.ID == id {
			return s, true
		}
	}
	return Step{}, false
}

// FindingOf is the finding that judges a measure.
func (p Procedure) FindingOf(measure string) (Step, bool) {
	for i := range p.Steps {
		if p.Steps[i].Finding != "" && slices.Contains(p.Steps[i].Judges, measure) {
			return p.Steps[i], true
		}
	}
	return Step{}, false
}

// RoleOf finds a role by its id.
func (p Procedure) RoleOf(id string) (Role, bool) {
	for _, r := range p.Roles {
		if r.ID == id {
			return r, true
		}
	}
	return Role{}, false
}

// Point finds a point of a measure by its id.
func (s Step) Point(id string) (Point, bool) {
	for _, p := range s.Points {
		if p.ID == id {
			return p, true
		}
	}
	return Point{}, false
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
