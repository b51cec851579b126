package run

import (
	"slices"
	"strings"

	"northneedle/core/adjust"
	"northneedle/core/procedure"
)

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
	closed := []Fact{PhaseClosed{finding.ID, PhaseOf(round), round}}
	if round == 0 && r.agreesWithVoided(finding) {
		closed = append(closed, AsFoundStands{finding.ID})
	}
	return closed, nil
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
			facts = append(facts, OpenItemAdded{finding.Opens, finding.ID})
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
	Typed            string // what was entered in the device, where a control is told its load
	Nothing          bool   // where the cause was looked for: nothing of the device was changed
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
	if control.Sense == adjust.TellLoad {
		if c.Note, err = r.toldLoad(finding, c.Typed); err != nil {
			return nil, err
		}
	}
	return []Fact{AdjustmentMade{Finding: finding.ID, Round: state.Closed, Control: c.Control, Point: c.Point, Steps: c.Steps,
		Note: strings.TrimSpace(c.Note)}}, nil
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
	return []Fact{AdjustmentMade{Finding: finding.ID, Round: state.Closed, Note: strings.TrimSpace(c.Note), Nothing: c.Nothing}}, nil
}

// roundUnread refuses a change of the device once points of the round were read.
func (r Run) roundUnread(finding *procedure.Finding) error {
	for _, reading := range r.Readings {
		if m := r.Procedure.Measure(reading.Measure); m != nil && m.Judge == finding &&
			reading.Round == r.Findings[finding.ID].Closed && reading.Stands() {
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
