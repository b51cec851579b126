// Package rehearsal plays a procedure through against simulated instruments in
// simulated time: what takes a technician an hour takes a moment here.
package rehearsal

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"northneedle/core/method"
	"northneedle/core/procedure"
	"northneedle/core/signal"
	"northneedle/internal/standin"
)

// Bench is the instruments of a rehearsal, by the kind that a procedure names.
type Bench struct {
	Models map[string]standin.Model

	traces map[string]map[string][]signal.Sample // by instrument and channel
	clock  map[string]float64
	set    map[string]string
}

// New puts one of every simulated instrument on the bench.
func New(w standin.World) *Bench {
	b := &Bench{Models: map[string]standin.Model{}, traces: map[string]map[string][]signal.Sample{}, clock: map[string]float64{}, set: map[string]string{}}
	for _, kind := range standin.Kinds() {
		b.Models[kind.ID] = kind.New(w)
		b.traces[kind.ID] = map[string][]signal.Sample{}
	}
	return b
}

// patience is how long a reading may take to become steady, in simulated seconds.
const patience = 3000

// look is how often the traces are looked at, in simulated seconds.
const look = 0.5

// Unsteady says that a reading never became one, with the reader's last words.
type Unsteady struct{ Measure, Point, Why string }

func (u *Unsteady) Error() string { return fmt.Sprintf("%s, %s: %s", u.Measure, u.Point, u.Why) }

// Tell sends a command to an instrument.
func (b *Bench) Tell(kind, line string) error {
	c, err := standin.ParseCommand(line)
	if err != nil {
		return err
	}
	model, ok := b.Models[kind]
	if !ok {
		return fmt.Errorf("there is no instrument of the kind %s", kind)
	}
	if _, known, err := model.Command(c); err != nil || !known {
		return fmt.Errorf("%s refused %q: %v", kind, line, err)
	}
	return nil
}

// Capture sets the instrument of a point, waits in simulated time until its reading is
// steady, and gives the command that takes it; an [*Unsteady] error where it never is.
func (b *Bench) Capture(run procedure.Run, m procedure.Step, p procedure.Point) (procedure.CaptureReading, error) {
	_, _, limit, err := run.CaptureOf(m.ID, p.ID)
	if err != nil {
		return procedure.CaptureReading{}, err
	}
	e, err := run.Expect(m, p)
	if err != nil {
		return procedure.CaptureReading{}, err
	}
	kind := m.Capture.Instrument
	if err := b.drive(run, kind, p, run.TraceOf(m)); err != nil {
		return procedure.CaptureReading{}, err
	}
	reader, ok := method.ReaderOf(m.Capture.Kind)
	if !ok {
		return procedure.CaptureReading{}, fmt.Errorf("no reader %s", m.Capture.Kind)
	}
	with := maps.Clone(m.Capture.With)
	if with == nil {
		with = map[string]float64{}
	}
	maps.Copy(with, p.With)
	factor := limit / m.Capture.Limit
	in := method.Looking{Channels: append([]string{m.Capture.Channel}, m.Capture.Also...), Traces: map[string][]signal.Sample{}, Rate: float64(b.Models[kind].Rate()), Reference: e.Reference,
		Limit: limit, Floor: m.Capture.Floor * factor, Count: m.Capture.Breaths, Seconds: m.Capture.Seconds, With: with}
	var live method.Live
	wait := look
	if in.Span() > 120 { // nothing happens quickly
		wait = 5
	}
	for waited := 0.0; waited < max(180, min(patience, 1.5*in.Span())); waited += wait {
		b.play(kind, wait, in.Span())
		for _, channel := range in.Channels {
			in.Traces[channel] = b.traces[kind][channel]
		}
		if live = reader.Look(in, factor); live.Steady {
			return procedure.CaptureReading{Measure: m.ID, Point: p.ID, Link: kind, Values: live.Values, Steady: true, Detail: live.Detail}, nil
		}
	}
	why := live.Why
	for _, s := range live.Strokes {
		if !s.Counted {
			why += ": " + strings.Join(s.Why, ", ")
			break
		}
	}
	return procedure.CaptureReading{}, &Unsteady{m.Title, p.Label, why}
}

func (b *Bench) drive(run procedure.Run, kind string, p procedure.Point, stretch string) error {
	commands := []string{"SIMulate:DEVice " + run.Device.Tag}
	for _, name := range slices.Sorted(maps.Keys(p.Drive)) {
		value := p.Drive[name]
		for role, bound := range run.Bound {
			value = strings.ReplaceAll(value, "{"+role+"}", bound.Standard.Tag)
		}
		commands = append(commands, "SOURce:"+strings.ToUpper(name)+" "+value)
	}
	settings := strings.Join(append(commands, stretch), "\n")
	if b.set[kind] == settings {
		return nil
	}
	for _, command := range commands {
		if err := b.Tell(kind, command); err != nil {
			return err
		}
	}
	b.set[kind] = settings
	clear(b.traces[kind])
	return nil
}

// play lets an instrument run for some seconds, and keeps so much of its traces.
func (b *Bench) play(kind string, seconds, keep float64) {
	model := b.Models[kind]
	rate := model.Rate()
	for range int(seconds * float64(rate)) {
		dt := 1 / float64(rate)
		model.Step(dt)
		b.clock[kind] += dt
		for _, channel := range model.Channels() {
			b.traces[kind][channel] = append(b.traces[kind][channel], signal.Sample{T: b.clock[kind], V: model.Value(channel)})
		}
	}
	for channel, trace := range b.traces[kind] {
		if n := int(keep) * rate; len(trace) > 2*n {
			b.traces[kind][channel] = slices.Clone(trace[len(trace)-n:])
		}
	}
}
