package procedure

import (
	"cmp"
	"fmt"
	"iter"
	"slices"
	"strings"

	"northneedle/core/adjust"
	"northneedle/core/quantity"
)

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

// StepKinds lists every StepKind, in the order of a run.
var StepKinds = []StepKind{StepBring, StepCautions, StepCheck, StepAct, StepWait, StepAmbient, StepRecord, StepMeasure,
	StepFinding, StepSign}

// Step is one step of a run: a pointer to one of the types below.
type Step interface {
	Kind() StepKind
	Base() *StepBase
}

// Steps are the steps of a definition in their order.
type Steps []Step

// StepBase is what all kinds of step share.
type StepBase struct {
	ID       string   `yaml:"id,omitempty"`       // made from the title where none is given
	Title    string   `yaml:"title,omitempty"`    // the words behind the key of its kind where none is given
	Do       string   `yaml:"do,omitempty"`       // how, in a sentence or two
	Caution  string   `yaml:"caution,omitempty"`  // shown while the step is done
	Symptom  string   `yaml:"symptom,omitempty"`  // what the mistake would look like
	When     string   `yaml:"when,omitempty"`     // an optional role, or "field = option" of an earlier record: otherwise the step is left out of the run
	Skip     string   `yaml:"skip,omitempty"`     // "lead": only a lead may leave it out
	Optional bool     `yaml:"optional,omitempty"` // left out, the statement still stands
	Opens    string   `yaml:"opens,omitempty"`    // the loose end it opens
	Closes   []string `yaml:"closes,omitempty"`   // the loose ends it closes

	Condition Condition `yaml:"-"` // When, parsed by Compile
}

// Base returns the shared part.
func (b *StepBase) Base() *StepBase { return b }

// LeadOnly reports whether only a lead may leave the step out.
func (b *StepBase) LeadOnly() bool { return b.Skip == "lead" }

// BringStep begins every run: the roles are filled with standards.
type BringStep struct{ StepBase }

// CautionsStep follows it: the cautions are acknowledged.
type CautionsStep struct{ StepBase }

// CheckStep is a question that is answered fine, not fine or does not apply.
type CheckStep struct {
	Check    string `yaml:"check" jsonschema:"description=What is looked at."`
	StepBase `yaml:",inline"`
	Answers  string `yaml:"answers,omitempty" jsonschema:"enum=passed"` // "passed": answered passed, failed or not fitted
	Reads    string `yaml:"reads,omitempty"`                            // a procedure whose result on the device is read, or "controls": it is fine only where that stands
}

// ReadsControls reports whether the check reads the control charts of what the procedure calibrates.
func (c *CheckStep) ReadsControls() bool { return c.Reads == readsControls }

const readsControls = "controls"

// Tests reports whether the check is answered passed, failed or not fitted.
func (c *CheckStep) Tests() bool { return c.Answers == "passed" }

// ActStep is something to do.
type ActStep struct {
	Act      string `yaml:"act" jsonschema:"description=What is done."`
	StepBase `yaml:",inline"`
	Vessels  []string `yaml:"vessels,omitempty"` // measures whose points each have a cuvette or a tube of their own: labels are printed for them
}

// WaitStep is a timer.
type WaitStep struct {
	Wait     string `yaml:"wait" jsonschema:"description=What is waited for."`
	StepBase `yaml:",inline"`
	Minutes  float64 `yaml:"minutes"` // above 0, at most 1440
	Why      string  `yaml:"why"`     // what happens if it is cut short
}

// AmbientStep records the room conditions.
type AmbientStep struct {
	Ambient     string `yaml:"ambient" jsonschema:"description=Its title."`
	StepBase    `yaml:",inline"`
	UPressure   float64 `yaml:"u_pressure_hpa,omitempty"` // expanded uncertainty (k = 2) of the pressure, in hPa
	Temperature *Window `yaml:"temperature,omitempty"`    // in °C: outside it, come back later
}

// Window is a range the room must be in for the work to mean anything.
type Window struct {
	From float64 `yaml:"from"`
	To   float64 `yaml:"to"`
	Why  string  `yaml:"why"`
}

// RecordStep records figures and choices: a data plate, how a device is set.
type RecordStep struct {
	Record   string `yaml:"record" jsonschema:"description=Its title."`
	StepBase `yaml:",inline"`
	Fields   []Field         `yaml:"fields,omitempty" jsonschema:"minItems=1"`
	Parts    []ExchangedPart `yaml:"parts,omitempty" jsonschema:"minItems=1"`
}

// Field is one figure of a data plate, or one thing to choose.
type Field struct {
	ID       string   `json:"id" yaml:"id"`
	Label    string   `json:"label" yaml:"label"`
	Unit     string   `json:"unit" yaml:"unit,omitempty"`
	Min      float64  `json:"min,omitempty" yaml:"min,omitempty"`
	Max      float64  `json:"max,omitempty" yaml:"max,omitempty"`
	Options  []Option `json:"options,omitempty" yaml:"options,omitempty"`                        // a choice in place of a figure
	Text     bool     `json:"text,omitempty" yaml:"text,omitempty"`                              // words in place of a figure
	Optional bool     `json:"optional,omitempty" yaml:"optional,omitempty"`                      // may stay empty
	SameAs   string   `json:"same_as,omitempty" yaml:"same_as,omitempty"`                        // an earlier choice that this one must equal; or "role.lot", "role.expiry", "role.quantity" of what fills a role
	Quantity string   `json:"quantity,omitempty" yaml:"quantity,omitempty"`                      // it is typed in the unit that the device shows the quantity in
	ReadBack string   `json:"read_back,omitempty" yaml:"read_back,omitempty"`                    // the setting of an instrument that the choice is, by the profile's name: what the instrument says of itself is held against it
	Symptom  string   `json:"symptom,omitempty" yaml:"symptom,omitempty"`                        // what it would look like if it did not
	Keeps    string   `json:"keeps,omitempty" yaml:"keeps,omitempty" jsonschema:"enum=software"` // what of the device it is: kept with the device when the run is signed
	Counts   string   `json:"counts,omitempty" yaml:"counts,omitempty"`                          // it is what the device's counter of these shows, in the words of the duties that go by it: "hours"
	SetBack  bool     `json:"set_back,omitempty" yaml:"set_back,omitempty"`                      // the counter is set back to nothing in the run
}

// Recorded is what a run recorded for the field, in words: the title of the option, the words, or the figure with its unit;
// empty where nothing was recorded.
func (f Field) Recorded(plate map[string]float64, choices map[string]string) string {
	choice := choices[f.ID]
	for _, o := range f.Options {
		if o.ID == choice {
			return o.Title
		}
	}
	if v, ok := plate[f.ID]; ok && choice == "" {
		return strings.TrimSpace(fmt.Sprintf("%g %s", v, cmp.Or(f.Counts, quantity.ShowUnit(f.Unit))))
	}
	return choice
}

// Fields are what the procedure records, in its order.
func (p *Procedure) Fields() iter.Seq[Field] {
	return func(yield func(Field) bool) {
		for _, s := range p.Steps {
			record, is := s.(*RecordStep)
			if !is {
				continue
			}
			for _, f := range record.Fields {
				if !yield(f) {
					return
				}
			}
		}
	}
}

// What a field can be compared with of the standard that fills a role, besides its certified values.
const (
	Lot    = "lot"
	Expiry = "expiry"
)

// chartLevel is the name under a point's "with" that gives the level of a control.
const chartLevel = "level"

// offers reports whether all of some options can be chosen.
func (f Field) offers(options []string) bool {
	for _, id := range options {
		if !slices.ContainsFunc(f.Options, func(o Option) bool { return o.ID == id }) {
			return false
		}
	}
	return true
}

// Option is one thing that can be chosen.
type Option struct {
	ID    string `json:"id" yaml:"id"`
	Title string `json:"title" yaml:"title"` // with its definition: "BTPS: 37 °C, ambient pressure, saturated"
}

// Measure is a series of points at which the device is compared.
type Measure struct {
	Measure      string `yaml:"measure" jsonschema:"description=Its id."`
	StepBase     `yaml:",inline"`
	MethodName   string                 `yaml:"method"`                                                    // of the family's methods
	Direction    string                 `yaml:"direction,omitempty" jsonschema:"enum=rising,enum=falling"` // where a device may differ
	Role         string                 `yaml:"role,omitempty"`
	Quantity     string                 `yaml:"quantity,omitempty"`
	Also         map[string]string      `yaml:"also,omitempty"` // further standards that the method reckons with, by its own names: "pipette: pipette.volume"
	Unit         string                 `yaml:"unit"`
	Reads        string                 `yaml:"reads,omitempty"`      // unit of what is read, where that is of another kind
	Resolution   float64                `yaml:"resolution"`           // of the display, in the measure's unit
	Tolerance    string                 `yaml:"tolerance"`            // "±2", "±5 % of reading", "max(±2, ±5 % of reading)", "-0.5/+1.0", "20..200"; or the name of a table
	School       string                 `yaml:"school,omitempty"`     // whose tolerance it is, where others are in use too
	Alternatives []AlternativeTolerance `yaml:"schools,omitempty"`    // the others; the lab's choice decides
	Gross        float64                `yaml:"gross,omitempty"`      // multiple of the tolerance from which an error is far out; 0 means 3
	Low          *LowRange              `yaml:"low,omitempty"`        // a range at its lower end with a limit of its own
	LimitPlus    string                 `yaml:"limit_plus,omitempty"` // a record's figure that the limit is widened by: what a simulator allows for itself
	GrossBy      string                 `yaml:"gross_by,omitempty"`   // a record's figure or choice that gives it in the measure's unit instead
	Pair         string                 `yaml:"pair,omitempty"`       // an earlier measure whose points are set together with these: one setting, two readings
	Apart        bool                   `yaml:"apart,omitempty"`      // its points are no levels of one another: corners, ears, frequencies
	Limited      bool                   `yaml:"limited,omitempty"`    // points left out at an end limit the statement to the others, and leave it whole
	Repeats      int                    `yaml:"repeats,omitempty"`    // readings a point needs; 0 means 1
	Points       []Point                `yaml:"points" jsonschema:"minItems=1"`
	Capture      *Capture               `yaml:"capture,omitempty"` // none: it is read from the display and typed
	SetUp        []string               `yaml:"set_up,omitempty"`  // what to look at on a gross error
	Trend        *Trend                 `yaml:"trend,omitempty"`   // what its points are compared with besides their limits
	Chart        *Chart                 `yaml:"chart,omitempty"`   // its readings are controls, and go onto their chart when the run is signed
	Absent       string                 `yaml:"absent,omitempty"`  // what is said where what is waited for does not come: "no alarm within 30 s". Then a point does not conform

	Method Method      `yaml:"-"` // the following are filled in by Compile
	Limits LimitsFunc  `yaml:"-"` // of Tolerance
	Table  *LimitTable `yaml:"-"` // that Tolerance names, where the limits go by what is chosen
	Judge  *Finding    `yaml:"-"` // that judges it
}

// LowRange is the lower end of a measure's range, for which its tolerance was not made: there the maker's counts, which is recorded.
type LowRange struct {
	UpTo    float64 `json:"up_to" yaml:"up_to"`     // in the measure's unit, itself included
	Percent string  `json:"percent" yaml:"percent"` // the record's figure that is the limit, in percent of the reading
}

// Chart says that the points of a measure are controls of an analyte. A point's level is given under "with".
type Chart struct {
	Analyte string  `yaml:"analyte"`
	CV      float64 `yaml:"cv"`                // percent: the scatter that a new lot begins with, until the lab enters its own
	Allowed float64 `yaml:"allowed,omitempty"` // total error, percent
}

// AlternativeTolerance is another criterion in use for a measure, shown beside the one that decides.
type AlternativeTolerance struct {
	Title     string `json:"title" yaml:"title"`
	Tolerance string `json:"tolerance" yaml:"tolerance"`

	Limits LimitsFunc `json:"-" yaml:"-"` // of Tolerance; filled in by Compile
}

// Point is one value at which the device is compared.
type Point struct {
	ID    string             `yaml:"id,omitempty"`
	Label string             `yaml:"label"`
	At    string             `yaml:"at"`              // a number, "role.quantity", or "25 % of capacity"
	U     float64            `yaml:"u,omitempty"`     // expanded (k = 2), where no standard realises the value
	Role  string             `yaml:"role,omitempty"`  // the measure's where none is given
	Drive map[string]string  `yaml:"drive,omitempty"` // what a linked instrument is set to
	Do    string             `yaml:"do,omitempty"`
	Move  string             `yaml:"move,omitempty"` // what the hand moves where, before the point is read: "Probe into zone 2, upper"
	With  map[string]float64 `yaml:"with,omitempty"` // for the way of capturing, besides the capture's own
	Zone  string             `yaml:"zone,omitempty"` // the trim that serves it, where one serves several
	When  string             `yaml:"when,omitempty"` // as of a step: otherwise the point is left out of the run
	Own   bool               `yaml:"-"`              // of the technician's own, in one run

	Target    Target    `yaml:"-"` // At, parsed by Compile
	Condition Condition `yaml:"-"` // When, parsed by Compile
}

// Uses reports whether a point of the measure goes by the standard that fills a role.
func (m *Measure) Uses(p *Point, role string) bool {
	if p.Role == role || p.Target.Role == role {
		return true
	}
	for _, of := range m.Also {
		if id, _, _ := strings.Cut(of, "."); id == role {
			return true
		}
	}
	return false
}

// Source returns the role whose standard realises a point, and the quantity of its certificate; an empty role where the point
// states its own value.
func (m *Measure) Source(p *Point) (role, quantity string) {
	if p.Target.Role != "" {
		return p.Target.Role, p.Target.Quantity
	}
	return p.Role, m.Quantity
}

// Capture says how a reading is taken over a link.
type Capture struct {
	Kind       string             `json:"kind" yaml:"kind"`                     // one of the family's ways of capturing
	Instrument string             `json:"instrument" yaml:"instrument"`         // kind of linked instrument
	Role       string             `json:"role,omitempty" yaml:"role,omitempty"` // whose reference is the instrument; empty: the device under test
	In         map[string]string  `json:"in,omitempty" yaml:"in,omitempty"`     // UCUM unit that a channel is taken in, where it is not the measure's
	Channel    string             `json:"channel" yaml:"channel"`
	Also       []string           `json:"also,omitempty" yaml:"also,omitempty"`                          // further channels
	Breaths    int                `json:"breaths,omitempty" yaml:"breaths,omitempty"`                    // alike
	Seconds    float64            `json:"seconds,omitempty" yaml:"seconds,omitempty"`                    // window
	Limit      float64            `json:"limit" yaml:"limit"`                                            // how alike or steady, in the measure's unit
	Share      float64            `json:"share,omitempty" yaml:"share,omitempty"`                        // of the tolerance that a reading may still have to go when it is taken; 0 means 0.25
	Unmoved    float64            `json:"unmoved,omitempty" yaml:"unmoved,omitempty"`                    // s that a reading is waited for that is still what it was before, and should not be; 0 means 30
	Floor      float64            `json:"floor,omitempty" yaml:"floor,omitempty"`                        // the least swing that counts
	With       map[string]float64 `json:"with,omitempty" yaml:"with,omitempty"`                          // what else the way of capturing asks for
	Hands      string             `json:"hands,omitempty" yaml:"hands,omitempty" jsonschema:"enum=free"` // free: taken by itself when steady

	Method CaptureMethod `json:"-" yaml:"-"` // of Kind; filled in by Compile
}

// Finding judges measures and decides what is done.
type Finding struct {
	Finding     string `yaml:"finding" jsonschema:"description=Its id."`
	StepBase    `yaml:",inline"`
	PatternName string              `yaml:"pattern,omitempty"` // of the family's patterns: how its errors are read
	Judges      []string            `yaml:"judges" jsonschema:"minItems=1"`
	Controls    []adjust.Control    `yaml:"controls,omitempty"`
	Causes      map[string][]string `yaml:"causes,omitempty"`    // likely causes by shape
	Of          string              `yaml:"of,omitempty"`        // the role whose standard it is a finding of: it is kept with that standard, and counts in later runs
	Corrects    string              `yaml:"corrects,omitempty"`  // what later readings its line of shown on delivered is taken out of, in words
	About       string              `yaml:"about,omitempty"`     // what it is a statement about, where that is not the device ("the room"): then its points are no part of the device's result, only what its pattern fails
	MustHold    bool                `yaml:"must_hold,omitempty"` // of one about something else: where a point of it is outside, the run is not complete
	Outside     []string            `yaml:"outside,omitempty"`   // causes outside the device, for which as found is not the device's

	Measures   []*Measure  `yaml:"-"` // of Judges; the following are filled in by Compile
	Pattern    Pattern     `yaml:"-"`
	Conditions []Condition `yaml:"-"` // of each control's When
}

// SignStep ends every run.
type SignStep struct{ StepBase }

func (*BringStep) Kind() StepKind    { return StepBring }
func (*CautionsStep) Kind() StepKind { return StepCautions }
func (*CheckStep) Kind() StepKind    { return StepCheck }
func (*ActStep) Kind() StepKind      { return StepAct }
func (*WaitStep) Kind() StepKind     { return StepWait }
func (*AmbientStep) Kind() StepKind  { return StepAmbient }
func (*RecordStep) Kind() StepKind   { return StepRecord }
func (*Measure) Kind() StepKind      { return StepMeasure }
func (*Finding) Kind() StepKind      { return StepFinding }
func (*SignStep) Kind() StepKind     { return StepSign }

// words are what stands behind the key of a step's kind: its title, or for a measure and a finding its id.
func words(s Step) string {
	switch s := s.(type) {
	case *CheckStep:
		return s.Check
	case *ActStep:
		return s.Act
	case *WaitStep:
		return s.Wait
	case *AmbientStep:
		return s.Ambient
	case *RecordStep:
		return s.Record
	case *Measure:
		return s.Measure
	case *Finding:
		return s.Finding
	}
	return ""
}

// Point finds a point by its id; nil where there is none.
func (m *Measure) Point(id string) *Point {
	for i := range m.Points {
		if m.Points[i].ID == id {
			return &m.Points[i]
		}
	}
	return nil
}
