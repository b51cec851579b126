package run

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"northneedle/core/adjust"
	"northneedle/core/conformity"
	"northneedle/core/procedure"
	"northneedle/core/quantity"
	"northneedle/core/reference"
	"northneedle/core/uncertainty"

	"gonum.org/v1/gonum/stat"
)

// Verdict is one point judged in one phase and round. Numbers are in the device's
// own unit. A nil verdict is a point not measured yet.
type Verdict struct {
	Phase        Phase                `json:"phase"`
	Round        int                  `json:"round"`
	Indicated    float64              `json:"indicated"`
	Reference    float64              `json:"reference"`
	Error        float64              `json:"error"`
	Low          *float64             `json:"low,omitempty"` // limits on the error; absent on a side without one
	High         *float64             `json:"high,omitempty"`
	U            float64              `json:"u"`
	K            float64              `json:"k"`
	TUR          float64              `json:"tur"`
	Zone         conformity.Zone      `json:"zone"`
	ErrorToLimit float64              `json:"error_to_limit"` // error ÷ the limit on its side
	UToLimit     float64              `json:"u_to_limit"`     // U ÷ half the width of the limits
	Pass         bool                 `json:"pass"`           // by the decision rule
	Gross        bool                 `json:"gross"`
	Warning      string               `json:"warning,omitempty"`
	Absent       string               `json:"absent,omitempty"`       // what did not come, in words: then there is no error, and it does not conform
	Window       bool                 `json:"window,omitempty"`       // it is judged by what it shows, not by an error: the limits are on the indication
	DeviceEntry  string               `json:"device_entry,omitempty"` // what is entered into a device that takes what was measured
	Formula      string               `json:"formula"`
	Budget       uncertainty.Budget   `json:"budget"`
	Alternatives []AlternativeVerdict `json:"schools,omitempty"`

	Resolution float64 `json:"-"` // of the display, in Unit
	Unit       string  `json:"-"` // the device's own
}

// AlternativeVerdict is a point judged by another criterion in use.
type AlternativeVerdict struct {
	Title        string          `json:"title"`
	Zone         conformity.Zone `json:"zone"`
	ErrorToLimit float64         `json:"error_to_limit"`
	Pass         bool            `json:"pass"`
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

// Tolerance is half of what the limits leave between them, or the room on the one side that has a limit; 0 without any.
func (e Expected) Tolerance() float64 {
	middle := e.Reference
	if e.Set != nil {
		middle = *e.Set
	}
	switch {
	case e.Low != nil && e.High != nil:
		return (*e.High - *e.Low) / 2
	case e.High != nil:
		return math.Abs(*e.High - middle)
	case e.Low != nil:
		return math.Abs(middle - *e.Low)
	}
	return 0
}

// Unit is the unit the device displays a measure in: its settings name it by the
// measure ("unit.co2") or by its quantity ("unit.mass"); otherwise the procedure's.
func (r Run) Unit(m *procedure.Measure) string {
	for _, of := range []string{m.ID, m.Quantity} {
		if unit := r.Device.Settings["unit."+of]; unit != "" {
			return unit
		}
	}
	return m.Unit
}

// Resolution is the step of the display, in [Run.Unit]: the device's own, the data plate's, or the procedure's.
func (r Run) Resolution(m *procedure.Measure) float64 {
	if step := r.Device.Resolution[m.ID]; step > 0 {
		return step
	}
	if division := r.Plate[m.Method.Division]; m.Method.Division != "" && division > 0 {
		if shown, err := quantity.Convert(division, m.Unit, r.Unit(m)); err == nil {
			return shown
		}
	}
	return m.Resolution
}

// Tolerance is the maker's where the device states one, else that of the school the lab
// has chosen, else the procedure's.
func (r Run) Tolerance(m *procedure.Measure) string {
	if text := r.Device.Limits[m.ID]; text != "" {
		return text
	}
	if at := r.chosen(m); at >= 0 {
		return m.Alternatives[at].Tolerance
	}
	return m.Tolerance
}

// chosen is the place of the alternative that the lab's choice makes decide; −1 where the measure's own does.
func (r Run) chosen(m *procedure.Measure) int {
	return slices.IndexFunc(m.Alternatives,
		func(a procedure.AlternativeTolerance) bool { return slices.Contains(r.Lab.Schools, a.Title) })
}

// Alternatives are the criteria in use for a measure besides the one that decides.
func (r Run) Alternatives(m *procedure.Measure) []procedure.AlternativeTolerance {
	var others []procedure.AlternativeTolerance
	decides := r.Tolerance(m)
	if m.School != "" {
		others = append(others, procedure.AlternativeTolerance{Title: m.School, Tolerance: m.Tolerance,
			Limits: m.Limits})
	}
	others = append(others, m.Alternatives...)
	return slices.DeleteFunc(others, func(a procedure.AlternativeTolerance) bool { return a.Tolerance == decides })
}

// limitsInForce are the limits of each measure for the run's device, parsed once.
func (r Run) limitsInForce() map[string]procedure.LimitsFunc {
	all := map[string]procedure.LimitsFunc{}
	for _, m := range r.Procedure.Measures() {
		all[m.ID] = m.Limits
		if text := r.Device.Limits[m.ID]; text != "" {
			of, err := r.Procedure.Catalogue.ParseLimits(text)
			if err != nil {
				err = fmt.Errorf("the tolerance in the device's record: %w", err)
				of = func(float64, map[string]float64) (conformity.Limits, error) { return conformity.Limits{}, err }
			}
			all[m.ID] = of
		} else if at := r.chosen(m); at >= 0 {
			all[m.ID] = m.Alternatives[at].Limits
		}
	}
	return all
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
func (r Run) room(f *procedure.Finding, round int) procedure.Ambient {
	if rooms := r.Findings[f.ID].Rooms; round >= 0 && round < len(rooms) {
		return rooms[round]
	}
	return r.Ambient
}

// input gathers what a point's method needs. The error says what is still missing.
func (r Run) input(m *procedure.Measure, p *procedure.Point, readings []float64, round int) (procedure.Input, error) {
	return r.inputBy(m, p, readings, round, len(r.Readings))
}

// inputBy is the same with the standards that filled the roles when a reading was taken, by its place in the run.
func (r Run) inputBy(m *procedure.Measure, p *procedure.Point, readings []float64, round, reading int) (procedure.Input, error) {
	at := p.Target
	in := procedure.Input{
		Target:     at.Value,
		Unit:       m.Unit,
		Shown:      r.Unit(m),
		Readings:   readings,
		Resolution: r.Resolution(m),
		Ambient:    r.room(m.Judge, round),
		Settings:   r.Device.Settings,
		Plate:      r.Plate,
		Choices:    r.Choices,
		With:       p.With,
	}
	if m.Method.Series {
		in.Before = r.before(m, p, round)
	}
	if at.Of != "" {
		full, ok := r.Plate[at.Of]
		if !ok {
			return in, fmt.Errorf("the data plate's %s is not recorded yet", at.Of)
		}
		in.Target = at.Percent / 100 * full
	}
	for name, of := range m.Also {
		id, what, _ := strings.Cut(of, ".")
		if bound, ok := r.boundFor(id, reading); ok {
			in.Also = with(in.Also, name, procedure.Beside{Lines: bound.Standard.Lines(what, 0, m.Unit, false),
				Years: bound.years()})
		}
	}
	role, name := p.Role, m.Quantity
	if at.Role != "" {
		role, name = at.Role, at.Quantity
	}
	if role == "" {
		in.Certified = []reference.Certified{{Quantity: m.ID, Value: at.Value, Unit: m.Unit, U: p.U, K: 2}}
		return in, nil
	}
	bound, ok := r.boundFor(role, reading)
	if !ok {
		return in, fmt.Errorf("the role %q is not filled yet", r.roleTitle(role))
	}
	in.Certified = bound.Standard.Lines(name, in.Target, m.Unit, at.Role == "")
	in.Years = bound.years()
	if len(in.Certified) == 0 {
		return in, fmt.Errorf("%s has no certified value for %s at %g", bound.Standard.Tag, name, in.Target)
	}
	return in, nil
}

// LastRound is the round of a measure being read, or read last.
func (r Run) LastRound(m *procedure.Measure) int {
	if round, err := r.OpenRound(m.Judge); err == nil {
		return round
	}
	return max(0, r.Findings[m.Judge.ID].Closed-1)
}

// before is the point of a measure ahead of another, where it was read in the round.
func (r Run) before(m *procedure.Measure, p *procedure.Point, round int) *procedure.EarlierPoint {
	at := slices.IndexFunc(m.Points, func(other procedure.Point) bool { return other.ID == p.ID })
	for at--; at >= 0 && !r.Holds(m.Points[at].Condition); at-- {
	}
	if at < 0 {
		return nil
	}
	earlier := &m.Points[at]
	var values []float64
	for _, reading := range r.standing(m.ID, earlier.ID, round) {
		values = append(values, reading.Values...)
	}
	if len(values) == 0 {
		return nil
	}
	return &procedure.EarlierPoint{Target: earlier.Target.Value, Reading: stat.Mean(values, nil)}
}

// boundFor is the standard that filled a role when a reading was taken, by its place in the run.
func (r Run) boundFor(role string, reading int) (Bound, bool) {
	now, ok := r.Bound[role]
	if earlier := r.Exchanged[role]; ok && reading < now.After && len(earlier) > 0 {
		for i := len(earlier) - 1; i > 0; i-- {
			if reading >= earlier[i].After {
				return earlier[i], true
			}
		}
		return earlier[0], true
	}
	return now, ok
}

// years is how long ago the standard was certified when it was bound.
func (b Bound) years() float64 {
	return math.Max(0, b.At.Sub(b.Standard.Certificate.On).Hours()/24/365.25)
}

// Bindings are all standards that filled a role, the earliest first.
func (r Run) Bindings(role string) []Bound {
	all := slices.Clone(r.Exchanged[role])
	if now, ok := r.Bound[role]; ok {
		all = append(all, now)
	}
	return all
}

// placeOf is the place of a reading in the run.
func (r Run) placeOf(reading Reading) int {
	return slices.IndexFunc(r.Readings, func(other Reading) bool { return other.Reading == reading.Reading })
}

func (r Run) roleTitle(id string) string {
	if role, ok := r.Procedure.RoleOf(id); ok {
		return role.Title
	}
	return id
}

// limitsAt are the limits on the error at an outcome's reference, in the device's own unit.
func (r Run) limitsAt(of procedure.LimitsFunc, out procedure.Outcome) (conformity.Limits, error) {
	if of == nil {
		return conformity.Limits{}, fmt.Errorf("no limits are in force: the run was not opened")
	}
	base := out.Reference
	if out.LimitBase != 0 {
		base = out.LimitBase
	}
	limits, err := of(base/out.Factor, r.Plate)
	return limits.Scale(out.Factor), err
}

func finite(v float64) *float64 {
	if math.IsInf(v, 0) || math.IsNaN(v) {
		return nil
	}
	return &v
}

// judgement is what became of judging a point: a verdict, or why there is none.
type judgement struct {
	verdict *Verdict
	err     error
}

// Judge is the verdict on one point in one round; nil where nothing was read.
func (r Run) Judge(m *procedure.Measure, p *procedure.Point, round int) (*Verdict, error) {
	j := r.verdicts[PointKey{m.ID, p.ID, round}]
	return j.verdict, j.err
}

// judgedAt is the run with the verdict on one point computed from what is recorded by now; in a
// series, also the verdict on the point behind it.
func (r Run) judgedAt(key PointKey) Run {
	m := r.Procedure.Measure(key.Measure)
	if m == nil {
		return r
	}
	r.verdicts = with(r.verdicts, key, r.judgement(m, m.Point(key.Point), key.Round))
	if !m.Method.Series {
		return r
	}
	for i := range m.Points {
		behind := PointKey{key.Measure, m.Points[i].ID, key.Round}
		if _, read := r.verdicts[behind]; read && behind != key {
			r.verdicts[behind] = r.judgement(m, &m.Points[i], key.Round)
		}
	}
	return r
}

// judgedAnew is the run with every verdict computed again from what is recorded by now, and
// what every point should show.
func (r Run) judgedAnew() Run {
	all := make(map[PointKey]judgement, len(r.verdicts))
	for key := range r.verdicts {
		m := r.Procedure.Measure(key.Measure)
		all[key] = r.judgement(m, m.Point(key.Point), key.Round)
	}
	r.verdicts = all
	return r.expecting()
}

func (r Run) judgement(m *procedure.Measure, p *procedure.Point, round int) judgement {
	if p == nil {
		return judgement{}
	}
	v, err := r.verdict(m, p, round)
	return judgement{v, err}
}

// plainlyOut is the share of the limit that stands for what did not come.
const plainlyOut = 1.5

// absent makes a verdict one on what did not come, whatever was read meanwhile: that is no error of so much.
func (v *Verdict) absent(words string) {
	v.Absent, v.Zone, v.Pass, v.Gross, v.Warning, v.Alternatives = words, conformity.Outside, false, false, "", nil
	v.ErrorToLimit = plainlyOut
}

func (r Run) verdict(m *procedure.Measure, p *procedure.Point, round int) (*Verdict, error) {
	readings := r.standing(m.ID, p.ID, round)
	if len(readings) == 0 {
		return nil, nil
	}
	var values []float64
	left, quantum := 0.0, 0.0
	for _, reading := range readings {
		values = append(values, reading.Values...)
		left, quantum = max(left, reading.Left), max(quantum, reading.Quantum)
	}
	in, err := r.inputBy(m, p, values, round, r.placeOf(readings[len(readings)-1]))
	if err != nil {
		return nil, err
	}
	in.Left, in.Quantum = left, quantum
	if !slices.ContainsFunc(readings, func(reading Reading) bool { return reading.Fine == 0 }) {
		in.Resolution = readings[0].Fine
	}
	out, err := m.Method.Evaluate(in)
	if err != nil {
		return nil, err
	}
	limits, err := r.limitsAt(r.limits[m.ID], out)
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
	v := Verdict{
		Phase:        PhaseOf(round),
		Round:        round,
		Indicated:    out.Indicated,
		Reference:    out.Reference,
		Error:        a.Error,
		Low:          finite(limits.Low),
		High:         finite(limits.High),
		U:            budget.Expanded,
		K:            budget.K,
		TUR:          a.TUR,
		Zone:         a.Zone,
		ErrorToLimit: a.ErrorToLimit,
		Gross:        math.Abs(a.ErrorToLimit) > m.Gross,
		DeviceEntry:  out.DeviceEntry,
		Formula:      out.Formula,
		Budget:       budget,
		Resolution:   in.Resolution,
		Unit:         out.Unit,
		Window:       conformity.BoundsValue(r.Tolerance(m), out.Reference),
	}
	if half := limits.HalfWidth(); half > 0 && !math.IsInf(half, 0) {
		v.UToLimit = budget.Expanded / half
	}
	v.Pass, v.Warning = r.Rule().Accepts(a)
	v.Alternatives, err = r.alternatives(m, out, a, budget)
	if at := slices.IndexFunc(readings, func(reading Reading) bool { return reading.Absent != "" }); at >= 0 {
		v.absent(readings[at].Absent)
	}
	return &v, err
}

// alternatives judges a point by the other criteria of its measure.
func (r Run) alternatives(m *procedure.Measure, out procedure.Outcome, a conformity.Assessment,
	budget uncertainty.Budget) ([]AlternativeVerdict, error) {
	var all []AlternativeVerdict
	for _, other := range r.Alternatives(m) {
		limits, err := r.limitsAt(other.Limits, out)
		if err != nil {
			return nil, err
		}
		assessed, err := conformity.Assess(a.Error, limits, budget.Expanded, budget.K)
		if err != nil {
			return nil, err
		}
		pass, _ := r.Rule().Accepts(assessed)
		all = append(all, AlternativeVerdict{other.Title, assessed.Zone, assessed.ErrorToLimit, pass})
	}
	return all, nil
}

// PhaseOf is the phase of a round: 0 is as found.
func PhaseOf(round int) Phase {
	if round > 0 {
		return AsLeft
	}
	return AsFound
}
