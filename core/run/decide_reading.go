package run

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"northneedle/core/procedure"
	"northneedle/core/quantity"
	"northneedle/core/signal"
)

// CaptureReading takes a reading of a point, typed or from a link. The phase and
// the round follow from the run.
type CaptureReading struct {
	Reading   string // its id
	Measure   string
	Point     string
	Typed     string          // as it was typed; of a stage, what is shown after it
	Lasted    string          // how long a stage lasted by the technician's own stopwatch; empty: by the run's
	Values    []float64       // from a link, in the device's own unit
	Origin    *Origin         // where they are from; nil: typed
	Linked    bool            // taken from a link, which may show nothing yet
	Steady    bool            // as judged from the trace
	Quantum   float64         // what arrived at once, in the unit of the trace
	Left      float64         // what it still had to go, in the unit of the values
	Trace     []signal.Sample // kept with the reading
	Detail    string
	Curves    []procedure.Curve
	Absent    bool   // what was waited for did not come
	Early     string // why it is taken although it is not steady
	Confirmed bool   // a questioned magnitude was confirmed
}

func (c CaptureReading) decide(r Run, o Order) ([]Fact, error) {
	m, p, round, err := r.openPoint(c.Measure, c.Point)
	if err != nil {
		return nil, err
	}
	if err := r.readable(m, p, round, o.At); err != nil {
		return nil, err
	}
	fact := ReadingCaptured{
		Reading: c.Reading,
		Measure: m.ID,
		Point:   p.ID,
		Phase:   PhaseOf(round),
		Round:   round,
		Source:  Typed,
		Typed:   c.Typed,
		Early:   r.cutShortBefore(m),
	}
	if err := c.values(r, m, p, &fact); err != nil {
		return nil, err
	}
	if c.Origin == nil {
		fact.Given = o.given(r)
	}
	return []Fact{fact}, nil
}

// readable refuses a point that cannot be read now: out of order, complete, or far out with the set-up not looked at.
func (r Run) readable(m *procedure.Measure, p *procedure.Point, round int, now time.Time) error {
	if round == 0 {
		if err := r.inOrderOrSet(m, p, now); err != nil {
			return err
		}
	}
	switch {
	case r.Complete(m, p, round) && r.Omitted[PointKey{m.ID, p.ID, round}] == "":
		return refuse(Conflict, "complete", "point",
			"%s, %s has its readings. Withdraw one with a reason to take it again.", m.Title, p.Label)
	case r.GrossOpen(m, p, round) && !r.SetUpChecked(m, p, round):
		return refuse(Conflict, "gross", "point",
			"%s, %s is far out. Look at the set-up first, and note what you saw; then repeat the point.", m.Title,
			p.Label)
	}
	return nil
}

// late is by how much a reading is recorded later than it was typed, before both times are kept.
const late = 5 * time.Second

// given is when something was given that was sent later; nil where that was now. It lies between the run's last event
// and now: a clock that says otherwise is not believed.
func (o Order) given(r Run) *time.Time {
	if o.Given == nil || o.At.Sub(*o.Given) < late {
		return nil
	}
	at := *o.Given
	if at.Before(r.last) {
		at = r.last
	}
	if at = at.UTC(); o.At.Sub(at) < late {
		return nil
	}
	return &at
}

// values fills the fact with what was typed or taken over the link.
func (c CaptureReading) values(r Run, m *procedure.Measure, p *procedure.Point, fact *ReadingCaptured) error {
	expected, err := r.Expect(m, p)
	if err != nil {
		return refuse(Conflict, "not-ready", "point", "%s, %s: %s.", m.Title, p.Label, err)
	}
	if c.Linked || c.Origin != nil {
		if _, open := r.Stages[PointKey{m.ID, p.ID, fact.Round}]; open {
			return refuse(Conflict, "stage-open", "point",
				"%s, %s is being read by hand as a stage: record what is shown after it.", m.Title, p.Label)
		}
		if len(c.Values) == 0 || c.Origin == nil {
			return refuse(Conflict, "no-reading", "link",
				"There is no reading on the link yet. Wait for it, or type what the device shows.")
		}
		if !c.Steady && strings.TrimSpace(c.Early) == "" {
			return refuse(Question, "not-steady", "early",
				"The reading is not steady yet. Wait, or say why it is taken now; it will be marked.")
		}
		if words := r.ToMove(p); words != "" {
			return refuse(Conflict, "move", "point",
				"%s, %s: %s first, and say so. Nothing was recorded.", m.Title, p.Label, words)
		}
		if err := c.Origin.ofItsMoment(r); err != nil {
			return err
		}
		fact.Source, fact.Link, fact.Values, fact.Trace, fact.Detail = Linked, c.Origin.Kind, c.Values, c.Trace, c.Detail
		fact.Origin, fact.Left, fact.Quantum, fact.Curves = c.Origin, c.Left, c.Quantum, c.Curves
		if !c.Steady {
			fact.Early = strings.TrimSpace(c.Early)
		}
		if c.Absent {
			fact.Absent = cmp.Or(m.Absent, "it did not come")
		}
	} else if c.Absent {
		if m.Absent == "" {
			return refuse(Invalid, "reading-needed", "absent", "%s waits for nothing: type what it shows.", m.Title)
		}
		fact.Values, fact.Absent = []float64{0}, m.Absent
	} else if stage, open := r.Stages[PointKey{m.ID, p.ID, fact.Round}]; open {
		s, err := c.staged(r, m, p, stage)
		if err != nil {
			return err
		}
		fact.Stage, fact.Values, fact.Detail = &s, []float64{s.PerHour()}, detail(s, m.Method.Stage.Unit)
		if s.Seconds < short*p.With["minutes"]*60 {
			fact.Early = strings.TrimSpace(c.Early)
		}
		return c.plausible(r, m, expected, s.PerHour())
	} else {
		v, err := quantity.ParseNumber(c.Typed)
		if m.Method.Typed != nil {
			if own, is, problem := m.Method.Typed(c.Typed, r.Resolution(m)); is {
				v, fact.Fine, fact.Detail, err = own.Value, own.Step, own.Detail, problem
			}
		}
		if err != nil {
			return refuse(Invalid, "number", "typed", "%s. Nothing was recorded.",
				strings.ToUpper(err.Error()[:1])+err.Error()[1:])
		}
		if err := c.plausible(r, m, expected, v); err != nil {
			return err
		}
		fact.Values = []float64{v}
	}
	for _, v := range fact.Values {
		if math.IsNaN(v) || math.IsInf(v, 0) {
			return refuse(Invalid, "number", "values", "The reading is not a number. Nothing was recorded.")
		}
	}
	return nil
}

// ofItsMoment refuses a frame that was taken already, and one from before something that was done in the run.
func (o *Origin) ofItsMoment(r Run) error {
	for _, reading := range r.Readings {
		if reading.Origin != nil && reading.Origin.Frame == o.Frame {
			return refuse(Conflict, "frame-used", "frame",
				"This very reading of %s was recorded already. Wait for the next, then take it.", o.Name)
		}
	}
	if o.At.Before(r.SetAt) {
		return refuse(Conflict, "frame-gone", "frame",
			"What was on the screen is from before the last thing that was done in this run: look again and take the reading anew.")
	}
	return nil
}

// ToMove is what the hand must move, and where to, before a point is read over a link; empty where it lies
// there already, or nothing needs moving.
func (r Run) ToMove(p *procedure.Point) string {
	if p.Move == r.Moved {
		return ""
	}
	return p.Move
}

// MoveByHand says that the hand has moved what a point needs moved.
type MoveByHand struct{ Measure, Point string }

func (c MoveByHand) decide(r Run, o Order) ([]Fact, error) {
	m, p, _, err := r.openPoint(c.Measure, c.Point)
	if err != nil {
		return nil, err
	}
	if r.ToMove(p) == "" {
		return nil, refuse(Conflict, "moved", "point", "%s, %s: nothing needs to be moved.", m.Title, p.Label)
	}
	return []Fact{HandMoved{m.ID, p.ID, p.Move}}, nil
}

func (r Run) SetUpChecked(m *procedure.Measure, p *procedure.Point, round int) bool {
	_, ok := r.SetUp[PointKey{m.ID, p.ID, round}]
	return ok
}

// cutShortBefore says which waits before a measure were cut short, and why.
func (r Run) cutShortBefore(m *procedure.Measure) string {
	var words []string
	for _, s := range r.Procedure.Steps {
		if s == procedure.Step(m) {
			break
		}
		if b := s.Base(); r.Timers[b.ID].Cut != "" {
			words = append(words, fmt.Sprintf("%s cut short: %s", b.Title, r.Timers[b.ID].Cut))
		}
	}
	return strings.Join(words, "; ")
}

// point finds a point of a measure.
func (r Run) point(measure, point string) (*procedure.Measure, *procedure.Point, error) {
	m, err := stepOf[*procedure.Measure](r, measure)
	if err != nil {
		return nil, nil, err
	}
	p := m.Point(point)
	if p == nil {
		return nil, nil, refuse(Invalid, "no-such-point", "point", "%s has no point %q.", m.Title, point)
	}
	return m, p, nil
}

// openPoint finds a point of a measure, and the round that it is read in now.
func (r Run) openPoint(measure, point string) (m *procedure.Measure, p *procedure.Point, round int, err error) {
	if m, p, err = r.point(measure, point); err != nil {
		return nil, nil, 0, err
	}
	round, err = r.PointRound(m)
	return m, p, round, err
}

// OpenRound is the round a finding's points are being read in.
func (r Run) OpenRound(finding *procedure.Finding) (int, error) {
	state := r.Findings[finding.ID]
	switch {
	case state.Closed == 0:
		return 0, nil
	case !state.Adjusting():
		return 0, refuse(Conflict, "closed", "point",
			"As found is closed and does not change any more. Decide in %q what to do next.", finding.Title)
	case !r.Adjusted(finding, state.Closed):
		return 0, refuse(Conflict, "not-adjusted", "point",
			"%s: note the adjustment first, then take the points as left.", finding.Title)
	}
	return state.Closed, nil
}

// PointRound is the round in which a point of a measure is being read.
func (r Run) PointRound(m *procedure.Measure) (int, error) {
	round, err := r.OpenRound(m.Judge)
	if err == nil && !slices.Contains(r.Affected(m.Judge, round), m) {
		return 0, refuse(Conflict, "not-affected", "point",
			"%s is not touched by the adjustment: its readings as found stand.", m.Title)
	}
	return round, err
}

func (r Run) Adjusted(finding *procedure.Finding, round int) bool {
	return slices.ContainsFunc(r.Findings[finding.ID].Adjustments,
		func(a AdjustmentMade) bool { return a.Round == round })
}

// WithdrawReading takes a reading out of the count. It stays in the record.
type WithdrawReading struct{ Reading, Reason string }

func (c WithdrawReading) decide(r Run, o Order) ([]Fact, error) {
	for _, reading := range r.Readings {
		if reading.Reading != c.Reading {
			continue
		}
		m, _, err := r.point(reading.Measure, reading.Point)
		if err != nil {
			return nil, err
		}
		round, err := r.OpenRound(m.Judge)
		switch {
		case err != nil || round != reading.Round:
			return nil, refuse(Conflict, "closed", "reading", "The readings %s are closed and do not change any more.",
				reading.Phase)
		case reading.Withdrawn != "":
			return nil, refuse(Conflict, "withdrawn", "reading", "This reading was withdrawn already.")
		case reading.Void:
			return nil, refuse(Conflict, "closed", "reading",
				"This reading is of an as found that was the set-up's: it does not count, and stays in the record.")
		case strings.TrimSpace(c.Reason) == "":
			return nil, refuse(Invalid, "reason-needed", "reason",
				"Say why the reading is withdrawn. It stays visible in the record.")
		}
		return []Fact{ReadingWithdrawn{c.Reading, strings.TrimSpace(c.Reason)}}, nil
	}
	return nil, refuse(Invalid, "no-such-reading", "reading", "There is no such reading in this run.")
}

// OmitPoint leaves a point out, with a reason.
type OmitPoint struct{ Measure, Point, Reason string }

func (c OmitPoint) decide(r Run, o Order) ([]Fact, error) {
	m, p, round, err := r.openPoint(c.Measure, c.Point)
	if err != nil {
		return nil, err
	}
	switch {
	case onlyLead(m, o) != nil:
		return nil, onlyLead(m, o)
	case strings.TrimSpace(c.Reason) == "":
		return nil, refuse(Invalid, "reason-needed", "reason",
			"%s, %s: say why it is left out. The certificate will state it.", m.Title, p.Label)
	case len(r.taken(m.ID, p.ID, round)) > 0:
		return nil, refuse(Conflict, "measured", "point", "%s, %s has readings: withdraw them first.", m.Title, p.Label)
	}
	return []Fact{PointOmitted{m.ID, p.ID, PhaseOf(round), round, strings.TrimSpace(c.Reason)}}, nil
}

// omitAll leaves out every point of a measure that has no reading yet.
func (r Run) omitAll(m *procedure.Measure, reason string) ([]Fact, error) {
	round, err := r.OpenRound(m.Judge)
	if err != nil {
		return nil, err
	}
	var facts []Fact
	for i := range m.Points {
		p := &m.Points[i]
		if !r.Complete(m, p, round) && len(r.taken(m.ID, p.ID, round)) == 0 {
			facts = append(facts, PointOmitted{m.ID, p.ID, PhaseOf(round), round, reason})
		}
	}
	if len(facts) == 0 {
		return nil, refuse(Conflict, "measured", "step", "%s has no point left that could be left out.", m.Title)
	}
	return facts, nil
}

// CheckSetUp says what a look at the set-up showed after a gross error.
type CheckSetUp struct{ Measure, Point, Note string }

func (c CheckSetUp) decide(r Run, o Order) ([]Fact, error) {
	m, p, round, err := r.openPoint(c.Measure, c.Point)
	if err != nil {
		return nil, err
	}
	switch {
	case !r.GrossOpen(m, p, round):
		return nil, refuse(Conflict, "not-gross", "point", "%s, %s is not far out: there is nothing to look for.",
			m.Title, p.Label)
	case strings.TrimSpace(c.Note) == "":
		return nil, refuse(Invalid, "note-needed", "note",
			"Note what you looked at and what you found, even if it was nothing.")
	}
	return []Fact{SetUpChecked{m.ID, p.ID, round, strings.TrimSpace(c.Note)}}, nil
}
