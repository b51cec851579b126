package run

import (
	"fmt"
	"maps"
	"math"
	"strconv"
	"strings"
	"time"

	"northneedle/core/person"
	"northneedle/core/procedure"
	"northneedle/core/quantity"
)

type (
	// StageStarted begins a stage that is read by hand: what the instrument showed, and that the time runs.
	StageStarted struct {
		Measure string     `json:"measure"`
		Point   string     `json:"point"`
		Round   int        `json:"round"`
		Before  float64    `json:"before"`
		Typed   string     `json:"typed"`           // as it was typed
		Again   string     `json:"again,omitempty"` // why the stage that was under way is started again
		Given   *time.Time `json:"given_at,omitempty"`
	}
	// StageStopped stops the time of the stage of a point.
	StageStopped struct {
		Measure string     `json:"measure"`
		Point   string     `json:"point"`
		Round   int        `json:"round"`
		Given   *time.Time `json:"given_at,omitempty"`
	}
)

// StageUnderWay is a stage that was started and whose reading is not taken yet. Stopped is zero while its time runs.
type StageUnderWay struct {
	StageStarted
	At, Stopped time.Time
}

// Restart is a stage that was started again, because it had been disturbed.
type Restart struct {
	StageStarted
	At time.Time
	By person.Person
}

func (f StageStarted) apply(r Run, e Event) Run {
	at := e.At
	if f.Given != nil {
		at = *f.Given
	}
	if f.Again != "" {
		r.Restarts = append(r.Restarts[:len(r.Restarts):len(r.Restarts)], Restart{f, e.At, e.By})
	}
	r.Stages = with(r.Stages, PointKey{f.Measure, f.Point, f.Round}, StageUnderWay{StageStarted: f, At: at})
	return r
}

func (f StageStopped) apply(r Run, e Event) Run {
	key := PointKey{f.Measure, f.Point, f.Round}
	stage := r.Stages[key]
	if stage.Stopped = e.At; f.Given != nil {
		stage.Stopped = *f.Given
	}
	r.Stages = with(r.Stages, key, stage)
	return r
}

// withoutStage returns the run without the open stage of a point, which was read, left out, or invalidated.
func (r Run) withoutStage(key PointKey) Run {
	if _, open := r.Stages[key]; open {
		r.Stages = maps.Clone(r.Stages)
		delete(r.Stages, key)
	}
	return r
}

// StageBefore is what the instrument showed after the stage that was read last in the round. It is offered as what it shows
// before the next one; false where no stage was read by hand.
func (r Run) StageBefore(m *procedure.Measure, round int) (float64, bool) {
	for i := len(r.Readings) - 1; i >= 0; i-- {
		if reading := r.Readings[i]; reading.Stage != nil && reading.Round == round {
			other := r.Procedure.Measure(reading.Measure)
			return reading.Stage.After, other != nil && other.Method.Stage != nil && *other.Method.Stage == *m.Method.Stage
		}
	}
	return 0, false
}

// StartStage begins the stage of a point by hand.
type StartStage struct {
	Measure, Point string
	Typed          string // what the instrument shows before
	Again          string // why a stage that is under way is started again
}

func (c StartStage) decide(r Run, o Order) ([]Fact, error) {
	m, p, round, err := r.openPoint(c.Measure, c.Point)
	if err == nil {
		err = r.readable(m, p, round, o.At)
	}
	if err != nil {
		return nil, err
	}
	if m.Method.Stage == nil {
		return nil, refuse(Conflict, "no-stage", "measure", "%s is no stage: type what is shown.", m.Title)
	}
	if _, err := r.Expect(m, p); err != nil {
		return nil, refuse(Conflict, "not-ready", "point", "%s, %s: %s.", m.Title, p.Label, err)
	}
	key := PointKey{m.ID, p.ID, round}
	for other := range r.Stages {
		if other != key {
			return nil, refuse(Conflict, "other-stage", "point",
				"Another stage is under way: read it first, or leave its point out.")
		}
	}
	again := strings.TrimSpace(c.Again)
	if _, open := r.Stages[key]; open && again == "" {
		return nil, refuse(Invalid, "reason-needed", "reason",
			"This stage is under way. Say why it is started again: the cup was touched, a bubble, a pause.")
	} else if !open {
		again = ""
	}
	v, err := shownNumber(c.Typed)
	if err != nil {
		return nil, err
	}
	return []Fact{StageStarted{m.ID, p.ID, round, v, strings.TrimSpace(c.Typed), again, o.given(r)}}, nil
}

// StopStage stops the time of a stage.
type StopStage struct{ Measure, Point string }

func (c StopStage) decide(r Run, o Order) ([]Fact, error) {
	m, p, round, err := r.openPoint(c.Measure, c.Point)
	if err != nil {
		return nil, err
	}
	stage, open := r.Stages[PointKey{m.ID, p.ID, round}]
	switch {
	case !open:
		return nil, refuse(Conflict, "no-stage", "point", "%s, %s: no stage is under way.", m.Title, p.Label)
	case !stage.Stopped.IsZero():
		return nil, refuse(Conflict, "stopped", "point", "%s, %s: the time stands already.", m.Title, p.Label)
	}
	return []Fact{StageStopped{m.ID, p.ID, round, o.given(r)}}, nil
}

// short is the share of the time asked for below which a stage counts as cut short; apart is the share, and the seconds,
// by which two stopwatches may differ.
const (
	short        = 0.95
	apart        = 0.02
	apartSeconds = 5
)

// staged is the reading of the stage of a point: what was typed as shown after it, and how long it lasted by the run's
// stopwatch or the technician's own.
func (c CaptureReading) staged(r Run, m *procedure.Measure, p *procedure.Point, stage StageUnderWay) (procedure.StageReading, error) {
	s := procedure.StageReading{Before: stage.Before}
	after, err := shownNumber(c.Typed)
	if err != nil {
		return s, err
	}
	s.After = after
	ran := 0.0
	if !stage.Stopped.IsZero() {
		ran = stage.Stopped.Sub(stage.At).Seconds()
	}
	s.Seconds = ran
	if own := strings.TrimSpace(c.Lasted); own != "" {
		if s.Seconds, err = lasted(own); err != nil {
			return s, refuse(Invalid, "time", "lasted", "%s. Nothing was recorded.", err)
		}
		if ran > 0 && math.Abs(s.Seconds-ran) > apart*ran+apartSeconds && !c.Confirmed {
			return s, refuse(Question, "magnitude", "lasted",
				"Your stopwatch says %s, the one on the page %s: is yours right?", clock(s.Seconds), clock(ran))
		}
	}
	switch {
	case !(s.Seconds > 0):
		return s, refuse(Invalid, "time", "lasted",
			"Stop the time first, or type what your own stopwatch shows, as 10:02. Nothing was recorded.")
	case s.After <= s.Before:
		return s, refuse(Invalid, "number", "typed",
			"%s %s before, and %s after: nothing was delivered. If the cup was emptied or tared, start the stage again.",
			quantity.Format(s.Before, 0.001), quantity.ShowUnit(m.Method.Stage.Unit), quantity.Format(s.After, 0.001))
	}
	if asked := p.With["minutes"] * 60; s.Seconds < short*asked && strings.TrimSpace(c.Early) == "" {
		return s, refuse(Question, "short", "early",
			"The stage lasted %s of %s. Start it again, or say why it is shorter; it will be marked.", clock(s.Seconds), clock(asked))
	}
	return s, nil
}

// detail is a stage in words.
func detail(s procedure.StageReading, unit string) string {
	return fmt.Sprintf("%s to %s %s in %s", quantity.Format(s.Before, 0.001), quantity.Format(s.After, 0.001),
		quantity.ShowUnit(unit), clock(s.Seconds))
}

// shownNumber reads what an instrument showed.
func shownNumber(typed string) (float64, error) {
	v, err := quantity.ParseNumber(typed)
	if err != nil || math.IsNaN(v) || math.IsInf(v, 0) {
		return 0, refuse(Invalid, "number", "typed", "Type what the instrument shows, as 12.34. Nothing was recorded.")
	}
	return v, nil
}

// lasted reads a time from a stopwatch in s: 10:02, 1:02:30, or seconds.
func lasted(text string) (float64, error) {
	parts := strings.Split(strings.ReplaceAll(text, ",", "."), ":")
	seconds := 0.0
	for i, part := range parts {
		v, err := strconv.ParseFloat(strings.TrimSpace(part), 64)
		if err != nil || !(v >= 0) || v > 1e5 || len(parts) > 3 || i > 0 && v >= 60 {
			return 0, fmt.Errorf("%q is no time: type minutes and seconds, as 10:02, or seconds", text)
		}
		seconds = 60*seconds + v
	}
	return seconds, nil
}

// clock is a time in s as a stopwatch shows it.
func clock(seconds float64) string {
	whole := int(math.Round(seconds))
	return fmt.Sprintf("%d:%02d", whole/60, whole%60)
}
