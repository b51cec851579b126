package procedure

import (
	"fmt"
	"math"
	"slices"
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
	Told      string             `json:"told,omitempty"` // what a device that takes what was measured is told
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

// Expected is what is to be read at a point, before it has been: what the device should
// show, or, where the device is set and the reference read (Set), what the reference should.
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
	Set       *float64 `json:"set,omitempty"` // where the reading is the reference's: what the device is set to
}

// shownUnit is the unit the device displays a measure in: its settings name it by the
// measure ("unit.co2") or by its quantity ("unit.mass").
func (r Run) shownUnit(m Step) string {
	for _, of := range []string{m.ID, m.Quantity} {
		if unit := r.Device.Settings["unit."+of]; unit != "" {
			return unit
		}
	}
	return m.Unit
}

// Resolution is the step of the display: the device's own, the data plate's, or the procedure's.
func (r Run) Resolution(m Step) float64 {
	if step := r.Device.Resolution[m.ID]; step > 0 {
		return step
	}
	if division := r.Plate["division"]; division > 0 && m.Method == method.Weights {
		if shown, err := quantity.Convert(division, m.Unit, r.shownUnit(m)); err == nil {
			return shown
		}
	}
	return m.Resolution
}

// tolerance is the maker's where the device states one, else that of the school the lab
// has chosen, else the procedure's.
func (r Run) tolerance(m Step) string {
	if text := r.Device.Limits[m.ID]; text != "" {
		return text
	}
	for _, school := range m.Schools {
		if slices.Contains(r.Lab.Schools, school.Title) {
			return school.Tolerance
		}
	}
	return m.Tolerance
}

// otherSchools are the criteria in use for a measure besides the one that decides.
func (r Run) otherSchools(m Step) []School {
	var others []School
	decides := r.tolerance(m)
	if m.School != "" {
		others = append(others, School{m.School, m.Tolerance})
	}
	others = append(others, m.Schools...)
	return slices.DeleteFunc(others, func(s School) bool { return s.Tolerance == decides })
}

// Rule is the decision rule in force: the procedure's, else the lab's.
func (r Run) Rule() conformity.Rule {
	if r.Procedure.Rule != nil {
		return *r.Procedure.Rule
	}
	return r.Lab.Rule
}

// Policy is the adjustment policy in force: the procedure's, else the lab's, by the
// school that the device is kept by where its settings name one.
func (r Run) Policy() adjust.Policy {
	policy := r.Lab.Policy
	if r.Procedure.Policy != nil {
		policy = *r.Procedure.Policy
	}
	if school := adjust.School(r.Device.Settings["adjustment"]); slices.Contains(adjust.Schools, school) {
		policy.School = school
	}
	return policy
}

// room is the conditions that a round of a finding was read in: those that stood when it
// was closed, whatever was recorded since.
func (r Run) room(finding Step, round int) method.Ambient {
	if rooms := r.Findings[finding.ID].rooms; round < len(rooms) {
		return rooms[round]
	}
	return r.Ambient
}

// input gathers what a point's method needs. The error says what is still missing.
func (r Run) input(m Step, p Point, readings []float64, round int) (method.Input, error) {
	at, err := parseTarget(p.At)
	if err != nil {
		return method.Input{}, err
	}
	finding, _ := r.Procedure.FindingOf(m.ID)
	in := method.Input{Target: at.value, Unit: m.Unit, Shown: r.shownUnit(m), Readings: readings, Resolution: r.Resolution(m),
		Ambient: r.room(finding, round), Settings: r.Device.Settings, Plate: r.Plate, Choices: r.Choices, With: p.With}
	in.Before = r.before(m, p, round)
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
	in.Certified = bound.Standard.values(name, in.Target, m.Unit, at.role == "")
	in.Years = math.Max(0, bound.At.Sub(bound.Standard.Certificate.On).Hours()/24/365.25)
	if len(in.Certified) == 0 {
		return in, fmt.Errorf("%s has no certified value for %s at %g", bound.Standard.Tag, name, in.Target)
	}
	return in, nil
}

// lastRound is the round of a measure being read, or read last.
func (r Run) lastRound(m Step) int {
	finding, _ := r.Procedure.FindingOf(m.ID)
	if round, err := r.openRound(finding); err == nil {
		return round
	}
	return max(0, r.Findings[finding.ID].Closed-1)
}

// before is the point of a measure ahead of another, where it was read in the round.
func (r Run) before(m Step, p Point, round int) *method.Earlier {
	at := slices.IndexFunc(m.Points, func(other Point) bool { return other.ID == p.ID })
	for at--; at >= 0 && !r.exists(m.Points[at]); at-- {
	}
	if at < 0 {
		return nil
	}
	earlier := m.Points[at]
	target, err := parseTarget(earlier.At)
	readings := r.standing(m, earlier, round)
	if err != nil || len(readings) == 0 {
		return nil
	}
	e, n := method.Earlier{Target: target.value}, 0
	for _, reading := range readings {
		for _, v := range reading.Values {
			e.Reading += v
			n++
		}
	}
	e.Reading /= float64(max(1, n))
	return &e
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
	in, err := r.input(m, p, nil, r.lastRound(m))
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
	shown := func(v float64) float64 { return v/out.Per - out.Plus }
	e := Expected{Reference: shown(out.Reference), Unit: out.Unit, Do: out.Do, Formula: out.Formula}
	e.Low, e.High = finite(shown(out.Reference+limits.Low)), finite(shown(out.Reference+limits.High))
	if out.Measures {
		e.Set = &out.Indicated
		e.Low, e.High = finite(shown(out.Indicated-limits.High)), finite(shown(out.Indicated-limits.Low))
	}
	if m.Capture != nil {
		e.Steady = m.Capture.Limit * out.Factor
	}
	budget, err := uncertainty.Combine(out.Terms...)
	if err != nil {
		return Expected{}, err
	}
	e.U = budget.Expanded / out.Per
	if half := limits.HalfWidth(); e.U > 0 && !math.IsInf(half, 0) {
		e.TUR = half / budget.Expanded
	}
	return e, nil
}

func finite(v float64) *float64 {
	if math.IsInf(v, 0) || math.IsNaN(v) {
		return nil
	}
	return &v
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
	in, err := r.input(m, p, values, round)
	if err != nil {
		return nil, err
	}
	if slices.IndexFunc(readings, func(reading Reading) bool { return reading.Fine == 0 }) < 0 {
		in.Resolution = readings[0].Fine
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
	v := Verdict{Told: out.Told, Phase: phaseOf(round), Round: round, Indicated: out.Indicated, Reference: out.Reference, Error: a.Error, Low: finite(limits.Low), High: finite(limits.High),
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
	for _, school := range r.otherSchools(m) {
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
