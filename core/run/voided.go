package run

import (
	"maps"
	"math"
	"slices"
	"strings"
	"time"

	"northneedle/core/adjust"
	"northneedle/core/person"
	"northneedle/core/procedure"
)

// VoidedAsFound is an as found that was declared not valid, because what it showed came from outside the device.
type VoidedAsFound struct {
	AsFoundVoided
	At     time.Time
	By     person.Person
	Stands bool // read again it agreed, and so it counts after all

	aside reads // the readings that do not count: the first, or where it stands the second
}

// reads is everything that was read and decided of a finding, and judged by what stood then.
type reads struct {
	verdicts  map[PointKey]judgement
	omitted   map[PointKey]string
	setUp     map[PointKey]int
	setUpNote map[PointKey]string
	readings  []string // their ids
	finding   Finding  // without Voided
}

// Verdict is the verdict on a point as it was first found and does not count; nil where it was not read.
func (v VoidedAsFound) Verdict(measure, point string) *Verdict {
	return v.aside.verdicts[PointKey{measure, point, 0}].verdict
}

// Adjustments are those that were made and wholly put back before as found was declared not valid.
func (v VoidedAsFound) Adjustments() []AdjustmentMade { return v.aside.finding.Adjustments }

// graveRisk is the risk of a device from which what a person alone says of a set-up is not enough.
const graveRisk = 4

// grave reports whether a device is one that keeps people alive, or is not known to be none.
func (d Device) grave() bool { return d.Risk == 0 || d.Risk >= graveRisk }

// shortestCause is how many letters tell a cause that the procedure does not name.
const shortestCause = 10

// VoidAsFound declares as found not valid: what it showed came from outside the device. It is kept and printed, and as
// found is read again.
type VoidAsFound struct {
	Finding string
	Cause   string // one that the procedure names, or in words
	Done    string // what was put right
}

func (c VoidAsFound) decide(r Run, o Order) ([]Fact, error) {
	finding, err := stepOf[*procedure.Finding](r, c.Finding)
	if err != nil {
		return nil, err
	}
	state := r.Findings[finding.ID]
	cause, done := strings.TrimSpace(c.Cause), strings.TrimSpace(c.Done)
	listed := slices.Contains(finding.Outside, cause)
	switch {
	case state.Closed == 0:
		return nil, refuse(Conflict, "as-found-open", "finding",
			"Close as found first: before that, a reading is withdrawn with a reason and taken again.")
	case r.DeviceChanged(finding):
		return nil, refuse(Conflict, "adjusted", "finding",
			"%s: the device was changed since. Put the adjustment wholly back and read again first; a repair stands.", finding.Title)
	case r.putBackUnread(state):
		return nil, refuse(Conflict, "unread", "finding",
			"%s: what was put back was not read again yet. Read the points and close the round first.", finding.Title)
	case !listed && len([]rune(cause)) < shortestCause:
		return nil, refuse(Invalid, "cause", "cause",
			"Choose the cause outside the device, or tell it in words (%d letters at least). It stands on the certificate.", shortestCause)
	case done == "":
		return nil, refuse(Invalid, "done", "done", "Say what was put right at the set-up. It stands on the certificate.")
	}
	return []Fact{AsFoundVoided{finding.ID, cause, listed, done}}, nil
}

// putBackUnread reports whether a control was moved in the round that is under way.
func (r Run) putBackUnread(state Finding) bool {
	return state.Adjusting() && slices.ContainsFunc(state.Adjustments,
		func(a AdjustmentMade) bool { return a.Round == state.Closed && a.Control != "" })
}

// MayVoid reports whether as found of a finding may be declared not valid now.
func (r Run) MayVoid(f *procedure.Finding) bool {
	state := r.Findings[f.ID]
	return r.Status == Open && state.Closed > 0 && !r.DeviceChanged(f) && !r.putBackUnread(state)
}

// DeviceChanged reports whether something of the device was changed in a finding's rounds and not wholly put back. A
// routine of the device cannot be put back, and no repair is.
func (r Run) DeviceChanged(f *procedure.Finding) bool {
	moved := map[[2]string]int{}
	for _, a := range r.Findings[f.ID].Adjustments {
		control, known := controlOf(f, a.Control)
		switch {
		case a.Control == "" && !a.Nothing, known && control.Kind == adjust.Routine:
			return true
		case a.Control != "":
			moved[[2]string{a.Control, a.Point}] += a.Steps
		}
	}
	for _, steps := range moved {
		if steps != 0 {
			return true
		}
	}
	return false
}

// agreesWithVoided reports whether as found, read again, agrees with the one that was declared not valid last: at every
// point that was not accepted the errors are alike within U; where all were accepted, at every point.
func (r Run) agreesWithVoided(f *procedure.Finding) bool {
	voided := r.Findings[f.ID].Voided
	if len(voided) == 0 || voided[len(voided)-1].Stands {
		return false
	}
	first := voided[len(voided)-1].aside.verdicts
	anyOutside := slices.ContainsFunc(slices.Collect(maps.Values(first)),
		func(j judgement) bool { return j.verdict != nil && j.verdict.Round == 0 && !j.verdict.Pass })
	compared := 0
	for key, j := range first {
		if key.Round != 0 || j.verdict == nil || anyOutside && j.verdict.Pass {
			continue
		}
		again := r.verdicts[key].verdict
		if again == nil || math.Abs(again.Error-j.verdict.Error) > math.Max(again.U, j.verdict.U) {
			return false
		}
		compared++
	}
	return compared > 0
}

func (f AsFoundVoided) apply(r Run, e Event) Run {
	r.SetAt = e.At
	voided := VoidedAsFound{AsFoundVoided: f, At: e.At, By: e.By}
	r, voided.aside = r.setAside(f.Finding)
	r = r.toDoAgain(f.Finding)
	state := r.Findings[f.Finding]
	state.Voided = append(slices.Clip(state.Voided), voided)
	r.Findings = with(r.Findings, f.Finding, state)
	return r.expecting()
}

// toDoAgain is the run with the acts among a finding's measures not done: what is to be read again needs them again.
func (r Run) toDoAgain(finding string) Run {
	r.Marks = maps.Clone(r.Marks)
	among := false
	for _, s := range r.Procedure.Steps {
		switch s := s.(type) {
		case *procedure.Measure:
			among = among || s.Judge.ID == finding
		case *procedure.ActStep:
			if among {
				delete(r.Marks, s.ID)
			}
		case *procedure.Finding:
			if s.ID == finding {
				return r
			}
		}
	}
	return r
}

func (f AsFoundStands) apply(r Run, e Event) Run {
	r.SetAt = e.At
	state := r.Findings[f.Finding]
	last := len(state.Voided) - 1
	if last < 0 {
		return r
	}
	first := state.Voided[last].aside
	r, second := r.setAside(f.Finding)
	r = r.takeUp(f.Finding, first)
	state = r.Findings[f.Finding]
	state.Voided = slices.Clone(state.Voided)
	state.Voided[last].Stands, state.Voided[last].aside = true, second
	r.Findings = with(r.Findings, f.Finding, state)
	return r.expecting()
}

// setAside is the run without what was read and decided of a finding, and that.
func (r Run) setAside(finding string) (Run, reads) {
	of := func(key PointKey) bool {
		m := r.Procedure.Measure(key.Measure)
		return m != nil && m.Judge.ID == finding
	}
	state := r.Findings[finding]
	voided := state.Voided
	state.Voided = nil
	aside := reads{finding: state}
	r.verdicts, aside.verdicts = parted(r.verdicts, of)
	r.Omitted, aside.omitted = parted(r.Omitted, of)
	r.SetUp, aside.setUp = parted(r.SetUp, of)
	r.SetUpNote, aside.setUpNote = parted(r.SetUpNote, of)
	r.Readings = slices.Clone(r.Readings)
	for i, reading := range r.Readings {
		if !reading.Void && of(PointKey{Measure: reading.Measure}) {
			r.Readings[i].Void = true
			aside.readings = append(aside.readings, reading.Reading)
		}
	}
	r.Findings = with(r.Findings, finding, Finding{Voided: voided})
	return r, aside
}

// takeUp is the run with what was set aside of a finding counting again.
func (r Run) takeUp(finding string, aside reads) Run {
	r.verdicts, r.Omitted = joined(r.verdicts, aside.verdicts), joined(r.Omitted, aside.omitted)
	r.SetUp, r.SetUpNote = joined(r.SetUp, aside.setUp), joined(r.SetUpNote, aside.setUpNote)
	for i, reading := range r.Readings {
		if slices.Contains(aside.readings, reading.Reading) {
			r.Readings[i].Void = false
		}
	}
	state := aside.finding
	state.Voided = r.Findings[finding].Voided
	r.Findings = with(r.Findings, finding, state)
	return r
}

// parted are the entries of a map that are not of something, and those that are.
func parted[V any](all map[PointKey]V, of func(PointKey) bool) (rest, those map[PointKey]V) {
	rest, those = map[PointKey]V{}, map[PointKey]V{}
	for key, v := range all {
		if of(key) {
			those[key] = v
		} else {
			rest[key] = v
		}
	}
	return rest, those
}

func joined[V any](a, b map[PointKey]V) map[PointKey]V {
	all := maps.Clone(a)
	maps.Copy(all, b)
	return all
}
