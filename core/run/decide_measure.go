package run

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"northneedle/core/adjust"
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
	Typed     string          // as it was typed
	Values    []float64       // from a link, in the device's own unit
	Link      string          // which
	Steady    bool            // as judged from the trace
	Trace     []signal.Sample // kept with the reading
	Detail    string
	Early     string // why it is taken although it is not steady
	Confirmed bool   // a questioned magnitude was confirmed
}

func (c CaptureReading) decide(r Run, o Order) ([]Fact, error) {
	m, p, round, err := r.openPoint(c.Measure, c.Point)
	if err != nil {
		return nil, err
	}
	if round == 0 {
		if err := r.InOrder(m, o.At); err != nil {
			return nil, err
		}
	}
	switch {
	case r.Complete(m, p, round) && r.Omitted[PointKey{m.ID, p.ID, round}] == "":
		return nil, refuse(Conflict, "complete", "point",
			"%s, %s has its readings. Withdraw one with a reason to take it again.", m.Title, p.Label)
	case r.GrossOpen(m, p, round) && !r.SetUpChecked(m, p, round):
		return nil, refuse(Conflict, "gross", "point",
			"%s, %s is far out. Look at the set-up first, and note what you saw; then repeat the point.", m.Title,
			p.Label)
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
	return []Fact{fact}, nil
}

// values fills the fact with what was typed or taken over the link.
func (c CaptureReading) values(r Run, m *procedure.Measure, p *procedure.Point, fact *ReadingCaptured) error {
	expected, err := r.Expect(m, p)
	if err != nil {
		return refuse(Conflict, "not-ready", "point", "%s, %s: %s.", m.Title, p.Label, err)
	}
	if c.Link != "" {
		if len(c.Values) == 0 {
			return refuse(Conflict, "no-reading", "link",
				"There is no reading on the link yet. Wait for it, or type what the device shows.")
		}
		if !c.Steady && strings.TrimSpace(c.Early) == "" {
			return refuse(Question, "not-steady", "early",
				"The reading is not steady yet. Wait, or say why it is taken now; it will be marked.")
		}
		fact.Source, fact.Link, fact.Values, fact.Trace, fact.Detail = Linked, c.Link, c.Values, c.Trace, c.Detail
		if !c.Steady {
			fact.Early = strings.TrimSpace(c.Early)
		}
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
		if likelier := slipped(v, expected, m.Gross); likelier != "" && !c.Confirmed {
			return refuse(Question, "magnitude", "typed",
				"%s %s expected, %s typed: is that what the device shows? %s would fit.",
				quantity.Format(expected.Reference, r.Resolution(m)),
				strings.TrimSpace(quantity.ShowUnit(expected.Unit)), c.Typed, likelier)
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

// slipped says which value would be plausible with the decimal mark moved, where the typed one is not.
func slipped(v float64, e Expected, gross float64) string {
	if e.Low == nil || e.High == nil || v == 0 {
		return ""
	}
	half := gross * (*e.High - *e.Low) / 2
	plausible := func(x float64) bool { return math.Abs(x-e.Reference) <= half }
	if plausible(v) {
		return ""
	}
	for _, shift := range []int{-1, 1, -2, 2, -3, 3} {
		if moved := v * math.Pow10(shift); plausible(moved) {
			return fmt.Sprintf("%.6g", moved)
		}
	}
	return ""
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

// ClosePhase closes as found, or a round as left, of a finding. What is closed never changes.
type ClosePhase struct{ Finding string }

func (c ClosePhase) decide(r Run, o Order) ([]Fact, error) {
	finding, err := stepOf[*procedure.Finding](r, c.Finding)
	if err != nil {
		return nil, err
	}
	round, err := r.OpenRound(finding)
	if err != nil {
		return nil, err
	}
	read := 0
	for _, m := range r.Affected(finding, round) {
		for i := range m.Points {
			p := &m.Points[i]
			switch {
			case r.GrossOpen(m, p, round):
				return nil, refuse(Conflict, "gross", "point",
					"%s, %s is far out: look at the set-up, note what you saw, and repeat the point before closing.",
					m.Title, p.Label)
			case !r.Complete(m, p, round):
				return nil, refuse(Conflict, "incomplete", "point",
					"%s, %s is still to be read, or left out with a reason.", m.Title, p.Label)
			}
			read += len(r.taken(m.ID, p.ID, round))
		}
	}
	if read == 0 {
		return nil, refuse(Conflict, "nothing-read", "finding",
			"Every point was left out: leave %q out too, with a reason.", finding.Title)
	}
	return []Fact{PhaseClosed{finding.ID, PhaseOf(round), round}}, nil
}

// DecideFinding decides what is done about a finding. Anything but the advice needs a reason.
type DecideFinding struct {
	Finding  string
	Decision adjust.Decision
	Reason   string
}

func (c DecideFinding) decide(r Run, o Order) ([]Fact, error) {
	finding, err := stepOf[*procedure.Finding](r, c.Finding)
	if err != nil {
		return nil, err
	}
	state := r.Findings[finding.ID]
	switch {
	case !c.Decision.Valid():
		return nil, refuse(Invalid, "decision", "decision", "The decision is leave, adjust, investigate or withdraw.")
	case state.Closed == 0:
		return nil, refuse(Conflict, "as-found-open", "finding",
			"Close as found first: nothing is judged before all its points are read.")
	case state.Adjusting():
		return nil, refuse(Conflict, "adjusting", "finding",
			"Round %d is under way: adjust, take the points as left and close it first.", state.Closed)
	case state.Done():
		return nil, refuse(Conflict, "decided", "finding", "%s is decided already.", finding.Title)
	}
	advice, err := r.Advise(finding)
	if err != nil {
		return nil, refuse(Conflict, "no-advice", "finding", "%s: %s.", finding.Title, err)
	}
	reason := strings.TrimSpace(c.Reason)
	if c.Decision != advice.Decision && reason == "" {
		return nil, refuse(Invalid, "reason-needed", "reason",
			"The advice is to %s. To %s instead, say why; the record keeps both.", advice.Decision, c.Decision)
	}
	round := state.Closed - 1
	var facts []Fact
	if c.Decision == adjust.Investigate {
		round = state.Closed
	}
	if c.Decision == adjust.Adjust {
		if err := r.mayAdjust(finding); err != nil {
			return nil, err
		}
		round = state.Closed
		if finding.Opens != "" && !r.isOpen(finding.Opens) {
			facts = append(facts, LooseEndOpened{finding.Opens, finding.ID})
		}
	}
	decided := FindingDecided{
		Finding:  finding.ID,
		Decision: c.Decision,
		Advised:  advice.Decision,
		Why:      advice.Why,
		Round:    round,
	}
	if c.Decision != advice.Decision {
		decided.Reason = reason
	}
	return append([]Fact{decided}, facts...), nil
}

func (r Run) mayAdjust(finding *procedure.Finding) error {
	if len(finding.Controls) == 0 {
		return refuse(Conflict, "no-control", "decision", "%s: nothing here can be adjusted.", finding.Title)
	}
	for _, b := range r.Bound {
		if b.Override != "" {
			return refuse(Conflict, "as-found-only", "decision",
				"%s was allowed for as-found readings only: adjust with a standard that is in order.", b.Standard.Tag)
		}
	}
	return nil
}

// MakeAdjustment notes what was moved, in the control's own steps.
type MakeAdjustment struct {
	Finding, Control string
	Point            string // of a table or a zone, as "measure/point"
	Steps            int
	Note             string
}

func (c MakeAdjustment) decide(r Run, o Order) ([]Fact, error) {
	finding, err := stepOf[*procedure.Finding](r, c.Finding)
	if err != nil {
		return nil, err
	}
	state := r.Findings[finding.ID]
	if !state.Adjusting() {
		return nil, refuse(Conflict, "not-adjusting", "finding",
			"Nothing is adjusted before as found is closed and the decision is to adjust.")
	}
	if err := r.roundUnread(finding); err != nil {
		return nil, err
	}
	if state.Last().Decision == adjust.Investigate {
		return c.mended(finding, state)
	}
	control, known := controlOf(finding, c.Control)
	if !known {
		return nil, refuse(Invalid, "no-such-control", "control", "%s has no control %q.", finding.Title, c.Control)
	}
	if err := r.hasEntry(finding, control, c.Point); err != nil {
		return nil, err
	}
	if c.Steps == 0 {
		return nil, refuse(Invalid, "steps", "steps", "Say how many presses were made: more than none.")
	}
	return []Fact{AdjustmentMade{finding.ID, state.Closed, c.Control, c.Point, c.Steps, strings.TrimSpace(c.Note)}}, nil
}

// mended notes what the look for the cause found and what was done, before the points
// are read again. No control was moved.
func (c MakeAdjustment) mended(finding *procedure.Finding, state Finding) ([]Fact, error) {
	switch {
	case c.Control != "" || c.Steps != 0:
		return nil, refuse(Conflict, "investigating", "control",
			"The decision was to look for the cause: nothing is adjusted in this round. Note what was found and done.")
	case strings.TrimSpace(c.Note) == "":
		return nil, refuse(Invalid, "note-needed", "note",
			"Note what you looked at, what you found and what you did, even if it was nothing.")
	}
	return []Fact{AdjustmentMade{Finding: finding.ID, Round: state.Closed, Note: strings.TrimSpace(c.Note)}}, nil
}

// roundUnread refuses a change of the device once points of the round were read.
func (r Run) roundUnread(finding *procedure.Finding) error {
	for _, reading := range r.Readings {
		if m := r.Procedure.Measure(reading.Measure); m != nil && m.Judge == finding &&
			reading.Round == r.Findings[finding.ID].Closed && reading.Withdrawn == "" {
			return refuse(Conflict, "round-read", "finding",
				"Points were read in this round. Close it and decide on another round.")
		}
	}
	return nil
}

// hasEntry refuses a point that a control does not act on by itself, or a table's entry without one.
func (r Run) hasEntry(finding *procedure.Finding, control adjust.Control, point string) error {
	if control.Kind != adjust.Table && control.Kind != adjust.Zone {
		if point != "" {
			return refuse(Invalid, "no-entry", "point", "%s acts on every point alike: leave the point out.",
				control.Label)
		}
		return nil
	}
	measure, id, _ := strings.Cut(point, "/")
	if m := r.Procedure.Measure(measure); m == nil || m.Point(id) == nil || m.Judge != finding {
		return refuse(Invalid, "no-entry", "point", "%s has an entry for each point: say which.", control.Label)
	}
	return nil
}

// CanClose reports whether every point of a finding's open round is complete.
func (r Run) CanClose(f *procedure.Finding) bool {
	round, err := r.OpenRound(f)
	return err == nil && !slices.ContainsFunc(r.Affected(f, round),
		func(m *procedure.Measure) bool { return r.open(m, round) != nil })
}
