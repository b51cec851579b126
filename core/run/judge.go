package run

import (
	"math"
	"slices"

	"northneedle/core/conformity"
	"northneedle/core/procedure"
	"northneedle/core/uncertainty"
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
	Earlier      *procedure.PastValue `json:"earlier,omitempty"`      // what the device gave before, in Unit, where a trend is kept of it
	Jump         string               `json:"jump,omitempty"`         // how it is away from that, in words, where that is a jump: a finding, also inside the limits
	Absent       string               `json:"absent,omitempty"`       // what did not come, in words: then there is no error, and it does not conform
	Longer       string               `json:"longer,omitempty"`       // how long it should be measured for U to be small enough, in words
	Window       bool                 `json:"window,omitempty"`       // it is judged by what it shows, not by an error: the limits are on the indication
	DeviceEntry  string               `json:"device_entry,omitempty"` // what is entered into a device that takes what was measured
	Formula      string               `json:"formula"`
	Budget       uncertainty.Budget   `json:"budget"`
	Alternatives []AlternativeVerdict `json:"schools,omitempty"`

	Resolution float64 `json:"-"` // of the display, in Unit
	ReferenceU float64 `json:"-"` // expanded, of the reference alone, in Unit; 0: none is known
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
	Window    bool     `json:"window,omitempty"`   // the limits are on what is shown: there is no value that it should be
	Longer    string   `json:"longer,omitempty"`   // as of a verdict
	Measured  bool     `json:"measured,omitempty"` // a reference instrument is read, of what the device gives
	Set       *float64 `json:"set,omitempty"`      // what the device is set to, where what it delivers is read by a reference
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
	var stage *procedure.StageReading
	for _, reading := range readings {
		values = append(values, reading.Values...)
		left, quantum = max(left, reading.Left), max(quantum, reading.Quantum)
		stage = reading.Stage
	}
	in, err := r.inputBy(m, p, values, round, r.placeOf(*readings[len(readings)-1]))
	if err != nil {
		return nil, err
	}
	in.Left, in.Quantum, in.Stage = left, quantum, stage
	if !slices.ContainsFunc(readings, func(reading *Reading) bool { return reading.Fine == 0 }) {
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
		Gross:        r.gross(m, a, out.Factor),
		DeviceEntry:  out.DeviceEntry,
		Formula:      out.Formula,
		Budget:       budget,
		Resolution:   in.Resolution,
		Unit:         out.Unit,
		Window:       conformity.BoundsValue(r.Tolerance(m), out.Reference),
	}
	if len(out.OfReference) > 0 {
		alone, err := uncertainty.Combine(out.OfReference...)
		if err != nil {
			return nil, err
		}
		v.ReferenceU = alone.Expanded
	}
	if half := limits.HalfWidth(); half > 0 && !math.IsInf(half, 0) {
		v.UToLimit = budget.Expanded / half
	}
	v.Pass, v.Warning = r.Rule().Accepts(a)
	v.Longer = r.longer(m, out, limits, budget)
	r.compareEarlier(&v, m, p, out)
	v.Alternatives, err = r.alternatives(m, out, a, budget)
	if at := slices.IndexFunc(readings, func(reading *Reading) bool { return reading.Absent != "" }); at >= 0 {
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
