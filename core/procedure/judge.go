package procedure

import (
	"fmt"
	"math"
	"strings"

	"northneedle/core/adjust"
	"northneedle/core/conformity"
	"northneedle/core/method"
	"northneedle/core/quantity"
	"northneedle/core/uncertainty"
)

// Verdict is one point judged in one phase and round. Numbers are in the device's
// own unit. A nil verdict is a point not measured yet.
type Verdict struct {
	Phase     Phase              `json:"phase"`
	Round     int                `json:"round"`
	Indicated float64            `json:"indicated"`
	Reference float64            `json:"reference"`
	Error     float64            `json:"error"`
	Low       *float64           `json:"low,omitempty"` // limits on the error; absent on a side without one
	High      *float64           `json:"high,omitempty"`
	U         float64            `json:"u"`
	K         float64            `json:"k"`
	TUR       float64            `json:"tur"`
	Zone      conformity.Zone    `json:"zone"`
	Lean      float64            `json:"lean"` // error ÷ limit
	Fan       float64            `json:"fan"`  // U ÷ limit
	Pass      bool               `json:"pass"` // by the decision rule
	Gross     bool               `json:"gross"`
	Sentence  string             `json:"sentence"`
	Warning   string             `json:"warning,omitempty"`
	Formula   string             `json:"formula"`
	Budget    uncertainty.Budget `json:"budget"`
	Schools   []SchoolVerdict    `json:"schools,omitempty"`
}

// SchoolVerdict is a point judged by another criterion in use.
type SchoolVerdict struct {
	Title string          `json:"title"`
	Zone  conformity.Zone `json:"zone"`
	Lean  float64         `json:"lean"`
	Pass  bool            `json:"pass"`
}

// Expected is what a point's device should show, before it has been read.
type Expected struct {
	Reference float64  `json:"reference"`
	Low       *float64 `json:"low,omitempty"` // limits on the indication
	High      *float64 `json:"high,omitempty"`
	Unit      string   `json:"unit"`
	Do        string   `json:"do,omitempty"`
	Formula   string   `json:"formula"`
	Steady    float64  `json:"steady,omitempty"` // how alike readings over a link must be, in Unit
	U         float64  `json:"u"`                // of the reference and the display, before any reading
	TUR       float64  `json:"tur,omitempty"`
}

// shownUnit is the unit the device displays a measure in.
func (r Run) shownUnit(m Step) string {
	if unit := r.Device.Settings["unit."+m.ID]; unit != "" {
		return unit
	}
	return m.Unit
}

// Resolution is the step of the display: the device's own, the data plate's, or the procedure's.
func (r Run) Resolution(m Step) float64 {
	if step := r.Device.Resolution[m.ID]; step > 0 {
		return step
	}
	if division := r.Plate["division"]; division > 0 && m.Method == "weights" {
		return division
	}
	return m.Resolution
}

// tolerance is the maker's where the device states one, else the procedure's.
func (r Run) tolerance(m Step) string {
	if text := r.Device.Limits[m.ID]; text != "" {
		return text
	}
	return m.Tolerance
}

// Rule is the decision rule in force: the procedure's, else the lab's.
func (r Run) Rule() conformity.Rule {
	if r.Procedure.Rule != nil {
		return *r.Procedure.Rule
	}
	return r.Lab.Rule
}

// Policy is the adjustment policy in force.
func (r Run) Policy() adjust.Policy {
	if r.Procedure.Policy != nil {
		return *r.Procedure.Policy
	}
	return r.Lab.Policy
}

// input gathers what a point's method needs. The error says what is still missing.
func (r Run) input(m Step, p Point, readings []float64) (method.Input, error) {
	at, err := parseTarget(p.At)
	if err != nil {
		return method.Input{}, err
	}
	in := method.Input{Target: at.value, Unit: m.Unit, Shown: r.shownUnit(m), Readings: readings, Resolution: r.Resolution(m),
		Ambient: r.Ambient, Settings: r.Device.Settings, Plate: r.Plate}
	if at.of != "" {
		full, ok := r.Plate[at.of]
		if !ok {
			return in, fmt.Errorf("the data plate's %s is not recorded yet", at.of)
		}
		in.Target = at.value / 100 * full
	}
	role, name := p.Role, m.Quantity
	if at.role != "" {
		role, name = at.role, at.quantity
	}
	if role == "" {
		in.Certified = []method.Certified{{Quantity: m.ID, Value: at.value, Unit: m.Unit, U: p.U, K: 2}}
		return in, nil
	}
	bound, ok := r.Bound[role]
	if !ok {
		return in, fmt.Errorf("the role %q is not filled yet", r.roleTitle(role))
	}
	in.Certified = bound.Standard.values(name, in.Target, at.role == "")
	in.Years = math.Max(0, bound.At.Sub(bound.Standard.Certificate.On).Hours()/24/365.25)
	if len(in.Certified) == 0 {
		return in, fmt.Errorf("%s has no certified value for %s at %g", bound.Standard.Tag, name, in.Target)
	}
	return in, nil
}

func (r Run) roleTitle(id string) string {
	if role, ok := r.Procedure.RoleOf(id); ok {
		return role.Title
	}
	return id
}

// limits are the limits on the error at an outcome's reference, in the device's own unit.
func (r Run) limits(m Step, out method.Outcome) (conformity.Limits, error) {
	of, err := limitsOf(r.tolerance(m))
	if err != nil {
		return conformity.Limits{}, err
	}
	limits, err := of(out.Reference/out.Factor, r.Plate)
	return limits.Scale(out.Factor), err
}

// Expect computes what a point should show. The error says what is missing.
func (r Run) Expect(m Step, p Point) (Expected, error) {
	in, err := r.input(m, p, nil)
	if err != nil {
		return Expected{}, err
	}
	out, err := method.Evaluate(m.Method, in)
	if err != nil {
		return Expected{}, err
	}
	limits, err := r.limits(m, out)
	if err != nil {
		return Expected{}, err
	}
	e := Expected{Reference: out.Reference, Unit: out.Unit, Do: out.Do, Formula: out.Formula}
	e.Low, e.High = finite(out.Reference+limits.Low), finite(out.Reference+limits.High)
	if m.Capture != nil {
		e.Steady = m.Capture.Limit * out.Factor
	}
	budget, err := uncertainty.Combine(out.Terms...)
	if err != nil {
		return Expected{}, err
	}
	e.U = budget.Expanded
	if half := limits.HalfWidth(); e.U > 0 && !math.IsInf(half, 0) {
		e.TUR = half / e.U
	}
	return e, nil
}

func finite(v float64) *float64 {
	if math.IsInf(v, 0) || math.IsNaN(v) {
		return nil
	}
	return &v
}

// taken are the readings of a point in a round that still stand.
func (r Run) taken(measure, point string, round int) []Reading {
	var all []Reading
	for _, reading := range r.Readings {
		if reading.Measure == measure && reading.Point == point && reading.Round == round && reading.Withdrawn == "" {
			all = append(all, reading)
		}
	}
	return all
}

// standing are the readings that count: after a gross error and a look at the
// set-up, only those taken since.
func (r Run) standing(m Step, p Point, round int) []Reading {
	checkedAt, checked := r.SetUp[pointKey{m.ID, p.ID, round}]
	var since []Reading
	for i, reading := range r.Readings {
		if reading.Measure == m.ID && reading.Point == p.ID && reading.Round == round && reading.Withdrawn == "" && (!checked || i >= checkedAt) {
			since = append(since, reading)
		}
	}
	if checked && len(since) == 0 {
		return r.taken(m.ID, p.ID, round)
	}
	return since
}

// complete reports whether a point needs nothing more in a round: enough readings,
// or left out with a reason. A gross error counts only once the set-up was looked
// at and the point repeated.
func (r Run) complete(m Step, p Point, round int) bool {
	if _, omitted := r.Omitted[pointKey{m.ID, p.ID, round}]; omitted {
		return true
	}
	if len(r.standing(m, p, round)) < m.Repeats {
		return false
	}
	return !r.grossOpen(m, p, round)
}

// grossOpen reports whether a point stands on a gross error that was not followed up.
func (r Run) grossOpen(m Step, p Point, round int) bool {
	v, err := r.judge(m, p, round)
	if err != nil || v == nil || !v.Gross {
		return false
	}
	at, checked := r.SetUp[pointKey{m.ID, p.ID, round}]
	if !checked {
		return true
	}
	for _, reading := range r.Readings[at:] {
		if reading.Measure == m.ID && reading.Point == p.ID && reading.Round == round && reading.Withdrawn == "" {
			return false
		}
	}
	return true
}

// judge is the verdict on one point in one round; nil where nothing was read.
func (r Run) judge(m Step, p Point, round int) (*Verdict, error) {
	key := pointKey{m.ID, p.ID, round}
	if v, known := r.verdicts[key]; known {
		return v, nil
	}
	v, err := r.verdict(m, p, round)
	if err == nil && r.verdicts != nil {
		r.verdicts[key] = v
	}
	return v, err
}

func (r Run) verdict(m Step, p Point, round int) (*Verdict, error) {
	readings := r.standing(m, p, round)
	if len(readings) == 0 {
		return nil, nil
	}
	var values []float64
	for _, reading := range readings {
		values = append(values, reading.Values...)
	}
	in, err := r.input(m, p, values)
	if err != nil {
		return nil, err
	}
	out, err := method.Evaluate(m.Method, in)
	if err != nil {
		return nil, err
	}
	limits, err := r.limits(m, out)
	if err != nil {
		return nil, err
	}
	budget, err := uncertainty.Combine(out.Terms...)
	if err != nil {
		return nil, err
	}
	a, err := conformity.Assess(out.Indicated-out.Reference, limits, budget.Expanded, budget.K)
	if err != nil {
		return nil, err
	}
	v := Verdict{Phase: phaseOf(round), Round: round, Indicated: out.Indicated, Reference: out.Reference, Error: a.Error, Low: finite(limits.Low), High: finite(limits.High),
		U: budget.Expanded, K: budget.K, TUR: a.TUR, Zone: a.Zone, Lean: a.Lean, Formula: out.Formula, Budget: budget}
	if half := limits.HalfWidth(); half > 0 && !math.IsInf(half, 0) {
		v.Fan = budget.Expanded / half
	}
	v.Gross = math.Abs(a.Lean) > m.Gross
	v.Pass, v.Warning = r.Rule().Accepts(a)
	v.Sentence = sentence(v, in.Resolution, out.Unit)
	v.Schools, err = r.schools(m, out, a, budget)
	return &v, err
}

// schools judges a point by the other criteria of its measure.
func (r Run) schools(m Step, out method.Outcome, a conformity.Assessment, budget uncertainty.Budget) ([]SchoolVerdict, error) {
	var all []SchoolVerdict
	for _, school := range m.Schools {
		of, err := limitsOf(school.Tolerance)
		if err != nil {
			return nil, err
		}
		limits, err := of(out.Reference/out.Factor, r.Plate)
		if err != nil {
			return nil, err
		}
		other, err := conformity.Assess(a.Error, limits.Scale(out.Factor), budget.Expanded, budget.K)
		if err != nil {
			return nil, err
		}
		pass, _ := r.Rule().Accepts(other)
		all = append(all, SchoolVerdict{school.Title, other.Zone, other.Lean, pass})
	}
	return all, nil
}

func phaseOf(round int) Phase {
	if round > 0 {
		return AsLeft
	}
	return AsFound
}

// sentence is the verdict with its numbers, one digit finer than the display.
func sentence(v Verdict, resolution float64, unit string) string {
	fine := resolution / 10
	words := v.Zone.Words()
	limit := "no limit"
	switch {
	case v.Low != nil && v.High != nil && math.Abs(*v.Low+*v.High) < 1e-12*(math.Abs(*v.High)+1):
		limit = "limit ±" + quantity.Format(*v.High, fine)
	case v.Low != nil && v.High != nil:
		limit = "limits " + quantity.FormatSigned(*v.Low, fine) + " and " + quantity.FormatSigned(*v.High, fine)
	case v.High != nil:
		limit = "limit " + quantity.FormatSigned(*v.High, fine)
	case v.Low != nil:
		limit = "limit " + quantity.FormatSigned(*v.Low, fine)
	}
	text := fmt.Sprintf("%s. Error %s, %s, U %s", strings.ToUpper(words[:1])+words[1:], quantity.FormatSigned(v.Error, fine), limit, quantity.Format(v.U, fine))
	if shown := quantity.ShowUnit(unit); shown != "" {
		text += " " + shown
	}
	if v.TUR > 0 {
		text += fmt.Sprintf(" (TUR %.1f)", v.TUR)
	}
	return text + "."
}
