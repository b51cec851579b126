package run

import (
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"northneedle/core/adjust"
	"northneedle/core/conformity"
	"northneedle/core/procedure"
	"northneedle/core/quantity"
	"northneedle/core/reference"

	"gonum.org/v1/gonum/stat"
)

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
	if m.Table != nil {
		row, _ := m.Table.Row(r.Choices)
		return row.Tolerance
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
		} else if m.Table != nil && r.Tolerance(m) != "" {
			if of, err := r.Procedure.Catalogue.ParseLimits(r.Tolerance(m)); err == nil {
				all[m.ID] = of
			}
		}
		if of := all[m.ID]; m.Low != nil && of != nil && r.Device.Limits[m.ID] == "" {
			all[m.ID] = m.Low.Around(of)
		}
		if of := all[m.ID]; m.LimitPlus != "" && of != nil {
			all[m.ID] = func(at float64, plate map[string]float64) (conformity.Limits, error) {
				limits, err := of(at, plate)
				return limits.Widen(plate[m.LimitPlus]), err
			}
		}
	}
	return all
}

// States are the sentences of the procedure about what was shown, each {field} replaced by what the run recorded. A sentence is
// left out as long as one of its fields is not recorded.
func (r Run) States() []string {
	var all []string
	for _, words := range r.Procedure.States {
		if said, known := r.said(words); known {
			all = append(all, said)
		}
	}
	return all
}

// Label is what the device's label says of it since this run; empty where the procedure has nothing to say.
func (r Run) Label() string {
	said, known := r.said(r.Procedure.Label)
	if !known {
		return ""
	}
	return said
}

// said is a sentence with each {field} replaced by what the run recorded; false where something of it was not recorded.
func (r Run) said(words string) (string, bool) {
	for _, set := range r.settings() {
		words = strings.ReplaceAll(words, "{"+set.Field+"}", set.Value)
	}
	return words, !strings.Contains(words, "{")
}

// gross reports whether an error at an outcome is far out: by what was recorded of it for this run, else by the procedure's
// multiple of the limit.
func (r Run) gross(m *procedure.Measure, a conformity.Assessment, factor float64) bool {
	from, ok := r.Plate[m.GrossBy]
	if chosen, err := strconv.ParseFloat(r.Choices[m.GrossBy], 64); err == nil {
		from, ok = chosen, true
	}
	if m.GrossBy == "" || !ok {
		return math.Abs(a.ErrorToLimit) > m.Gross
	}
	return math.Abs(a.Error) > from*factor
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

// With is what a point gives its method: what the procedure says, and what its tables say for what was chosen in the run.
func (r Run) With(m *procedure.Measure, p *procedure.Point) (map[string]float64, error) {
	all := p.With
	for _, name := range r.Procedure.Tables(m) {
		v, err := r.Procedure.Values[name].Value(r.Choices, p)
		if err != nil {
			return p.With, fmt.Errorf("%s: %w", name, err)
		}
		all = with(all, name, v)
	}
	return all, nil
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
	var err error
	if in.With, err = r.With(m, p); err != nil {
		return in, err
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
				Years: bound.years(), Found: r.found(id, bound.Standard)})
		}
	}
	role, name := m.Source(p)
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
