// Package capture takes readings over links. One driver sets an instrument for a point, watches
// its traces and says when the reading stands; it serves the live bench and rehearsals alike,
// by the clock and the instruments that it is given. A sequencer reads the points of a run one
// after another by itself.
package capture

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"
	"sync"
	"time"

	"northneedle/core/procedure"
	"northneedle/core/quantity"
	"northneedle/core/run"
	"northneedle/core/signal"
	"northneedle/internal/instrument"
)

// Source is an instrument as the driver sees it: what it is set to, and what it sends.
type Source interface {
	// Status is the state of its link.
	Status() instrument.Status
	// Rate is how many samples a second it sends; 0 while that is not known.
	Rate() float64
	// Samples are the samples of a channel that are kept, without those that had come when the
	// count was "after"; total is the count by now.
	Samples(channel string, after int) (fresh []signal.Sample, total int)
	// Settled reports whether it is set so already.
	Settled(settings string) bool
	// Settle notes what it is set to, and drops the samples from before.
	Settle(settings string)
	// Ask sends one command and waits for its answer of one line.
	Ask(ctx context.Context, command string) (string, error)
}

// Clock gives the time and waits.
type Clock interface {
	Now() time.Time
	// Sleep waits; it returns early with the context's error when that ends.
	Sleep(ctx context.Context, d time.Duration) error
}

// WallClock is the time of the workshop: Time says what time it is, and Speed how many seconds
// of it pass in a real one (0 means 1).
type WallClock struct {
	Time  func() time.Time
	Speed float64
}

// shortest keeps a fast clock from looking without a pause.
const shortest = 40 * time.Millisecond

// leap is how much real time a fast clock takes at once at most.
const leap = 25 * time.Millisecond

// Faster is a clock that begins now and goes at a speed. It never leaps: when a busy machine has not
// looked at it for longer than 25 ms, the rest of that time has not passed for anyone. So it must be
// looked at often; the simulated instruments that go by it do.
func Faster(speed float64) WallClock {
	var mutex sync.Mutex
	looked := time.Now()
	shown := looked
	now := func() time.Time {
		mutex.Lock()
		defer mutex.Unlock()
		real := time.Now()
		shown = shown.Add(time.Duration(speed * float64(min(real.Sub(looked), leap))))
		looked = real
		return shown
	}
	return WallClock{Time: now, Speed: speed}
}

// Now is the time of the workshop.
func (c WallClock) Now() time.Time { return c.Time() }

// Sleep waits for so much of the workshop's time.
func (c WallClock) Sleep(ctx context.Context, d time.Duration) error {
	if c.Speed > 1 {
		d = max(time.Duration(float64(d)/c.Speed), min(d, shortest))
	}
	timer := time.NewTimer(d)
	defer timer.Stop()
	select {
	case <-ctx.Done():
		return ctx.Err()
	case <-timer.C:
		return nil
	}
}

// Driver sets instruments and reads them.
type Driver struct {
	clock   Clock
	sources map[string]Source // by kind of instrument
	names   map[string]string // as they are shown, by kind
}

// NewDriver makes a driver for the instruments of a workshop, each by its kind.
func NewDriver(clock Clock) *Driver {
	return &Driver{clock: clock, sources: map[string]Source{}, names: map[string]string{}}
}

// Add connects the driver with an instrument; a later one of a kind takes the place of an earlier.
func (d *Driver) Add(kind, name string, s Source) { d.sources[kind], d.names[kind] = s, name }

// Link is the state of one link.
type Link struct {
	Kind string `json:"kind"`
	Name string `json:"name"`
	instrument.Status
	Simulated bool `json:"simulated"`
}

// Links are the states of all links, by kind.
func (d *Driver) Links() []Link {
	links := []Link{}
	for kind, s := range d.sources {
		status := s.Status()
		links = append(links, Link{kind, d.names[kind], status, simulated(status)})
	}
	slices.SortFunc(links, func(x, y Link) int { return strings.Compare(x.Kind, y.Kind) })
	return links
}

func simulated(s instrument.Status) bool { return strings.Contains(s.IDN, "simulated") }

// Point is one point of a run being read over a link.
type Point struct {
	source     Source
	instrument string
	capture    *procedure.Capture
	input      procedure.CaptureInput
	factor     float64        // the device's unit for one of the instrument's
	since      map[string]int // samples seen, by channel
}

// Trace is a stretch of one channel.
type Trace struct {
	Channel string          `json:"channel"`
	Samples []signal.Sample `json:"samples"`
}

// Frame is what a point's link shows at a moment.
type Frame struct {
	Status instrument.Status `json:"status"`
	Traces []Trace           `json:"traces"` // new since the last frame, in the device's unit
	procedure.LiveReading
}

// Watch returns what reads a point, without touching its instrument.
func (d *Driver) Watch(r run.Run, measure, point string) (*Point, error) {
	m, p, limit, err := r.CaptureOf(measure, point)
	if err != nil {
		return nil, err
	}
	kind := m.Capture.Instrument
	source := d.sources[kind]
	if source == nil {
		return nil, &run.Refusal{Kind: run.Conflict, Code: "no-instrument",
			Message: fmt.Sprintf("No instrument of the kind %s is connected: type what the device shows.", kind)}
	}
	e, err := r.Expect(m, p)
	if err != nil {
		return nil, err
	}
	w := &Point{source: source, instrument: kind, capture: m.Capture, factor: 1, since: map[string]int{}}
	if one, err := quantity.Convert(1, m.Unit, e.Unit); err == nil {
		w.factor = one
	} else if m.Capture.Limit > 0 {
		w.factor = limit / m.Capture.Limit
	}
	with := map[string]float64{}
	maps.Copy(with, m.Capture.With)
	maps.Copy(with, p.With)
	w.input = procedure.CaptureInput{
		Channels:  append([]string{m.Capture.Channel}, m.Capture.Also...),
		Rate:      source.Rate(),
		Reference: e.Reference,
		Limit:     limit,
		Floor:     m.Capture.Floor * w.factor,
		Count:     m.Capture.Breaths,
		Seconds:   m.Capture.Seconds,
		With:      with,
	}
	return w, nil
}

// Set sets the instrument for a point, and returns what reads it. The point's trace starts
// afresh, unless the instrument is set so already. A point is returned with an error where it
// could be watched and the instrument was not set.
func (d *Driver) Set(ctx context.Context, r run.Run, measure, point string) (*Point, error) {
	w, err := d.Watch(r, measure, point)
	if err != nil {
		return nil, err
	}
	m, p, _, err := r.CaptureOf(measure, point)
	if err != nil {
		return nil, err
	}
	return w, w.drive(ctx, r, p, r.TraceOf(m))
}

// drive sends the point's settings to the instrument: "gas: HG-22" is SOURce:GAS HG-22.
func (w *Point) drive(ctx context.Context, r run.Run, p *procedure.Point, stretch string) error {
	commands := []string{}
	if simulated(w.source.Status()) {
		commands = append(commands, "SIMulate:DEVice "+r.Device.Tag)
	}
	for _, name := range slices.Sorted(maps.Keys(p.Drive)) {
		value := p.Drive[name]
		for role, bound := range r.Bound {
			value = strings.ReplaceAll(value, "{"+role+"}", bound.Standard.Tag)
		}
		commands = append(commands, "SOURce:"+strings.ToUpper(name)+" "+value)
	}
	settings := strings.Join(append(commands, stretch), "\n")
	if w.source.Settled(settings) {
		return nil
	}
	for _, command := range commands {
		answer, err := w.source.Ask(ctx, command)
		if err != nil {
			return fmt.Errorf("the instrument was not set: %w", err)
		}
		if reason, failed := strings.CutPrefix(answer, "ERROR "); failed {
			return fmt.Errorf("the instrument refused %q: %s", command, reason)
		}
	}
	w.source.Settle(settings)
	return nil
}

// Span is how long the point watches its traces.
func (w *Point) Span() time.Duration {
	return time.Duration(w.input.Span() * float64(time.Second))
}

// Look reads what the link shows now.
func (w *Point) Look() Frame {
	f := Frame{Status: w.source.Status(), Traces: []Trace{}}
	for _, channel := range w.input.Channels {
		fresh, total := w.source.Samples(channel, w.since[channel])
		w.since[channel] = total
		f.Traces = append(f.Traces, Trace{channel, w.shown(fresh)})
	}
	if f.Status.State != instrument.Alive {
		f.Why = f.Status.Words
		f.Facts = []procedure.Fact{}
		return f
	}
	f.LiveReading = w.read()
	return f
}

func (w *Point) read() procedure.LiveReading {
	w.input.Rate = w.source.Rate() // as it is by now: at first there may have been too little to tell
	w.input.Traces = map[string][]signal.Sample{}
	for _, channel := range w.input.Channels {
		w.input.Traces[channel] = w.trace(channel)
	}
	live := w.capture.Method.Look(w.input, w.factor)
	if live.Facts == nil {
		live.Facts = []procedure.Fact{}
	}
	return live
}

// trace is the last stretch of a channel, in the instrument's unit.
func (w *Point) trace(channel string) []signal.Sample {
	all, _ := w.source.Samples(channel, 0)
	from := 0
	if n := len(all); n > 0 {
		for from < n && all[from].T < all[n-1].T-w.input.Span() {
			from++
		}
	}
	return all[from:]
}

// shown is a trace as the page shows it: in the device's unit, unless the way of capturing looks
// at the instrument's own.
func (w *Point) shown(samples []signal.Sample) []signal.Sample {
	if w.capture.Method.RawUnits {
		return append([]signal.Sample{}, samples...)
	}
	return append([]signal.Sample{}, procedure.Scaled(samples, w.factor)...)
}

// Take fills a command with the reading the link shows now, and the trace it came from.
func (w *Point) Take(c *run.CaptureReading) {
	c.Link = w.instrument
	if w.source.Status().State != instrument.Alive {
		return
	}
	live := w.read()
	c.Steady, c.Values, c.Detail = live.Steady, live.Values, live.Detail
	c.Trace = thin(w.shown(w.trace(w.capture.Channel)), 400)
}

// thin keeps about n samples of a trace.
func thin(trace []signal.Sample, n int) []signal.Sample {
	every := len(trace)/n + 1
	var out []signal.Sample
	for i := 0; i < len(trace); i += every {
		s := trace[i]
		out = append(out, signal.Sample{T: float64(int(s.T*1000)) / 1000, V: float64(int(s.V*1e4)) / 1e4})
	}
	return out
}

// Tell sends a command to a simulated instrument: its faults and its device's controls. It
// refuses any other instrument.
func (d *Driver) Tell(ctx context.Context, kind, command string) (string, error) {
	source := d.sources[kind]
	if source == nil || !simulated(source.Status()) && !strings.HasPrefix(command, "SIM") {
		return "", fmt.Errorf("there is no simulated instrument of the kind %s", kind)
	}
	return source.Ask(ctx, command)
}

// Pace is how patiently a point is read.
type Pace struct {
	Beat     time.Duration // between two looks
	Stand    time.Duration // how long the reading must stand before it is taken
	Away     time.Duration // how long the instrument may be away
	Patience time.Duration // for the reading to stand, beyond what the point watches
}

// LivePace suits the bench.
var LivePace = Pace{
	Beat:     120 * time.Millisecond,
	Stand:    500 * time.Millisecond,
	Away:     15 * time.Second,
	Patience: 3 * time.Minute,
}

// Unsteady says that a reading did not come to stand.
type Unsteady struct{ Why string }

func (u *Unsteady) Error() string { return "does not become steady: " + u.Why }

// Away says that an instrument was away for too long.
type Away struct{ Words string }

func (a *Away) Error() string { return a.Words }

// Steady waits until a point's reading has stood for a moment, and takes it. Each look is
// handed to "seen", which may be nil. It returns an [*Unsteady], an [*Away] or the context's error.
func (d *Driver) Steady(ctx context.Context, w *Point, pace Pace, seen func(Frame)) (run.CaptureReading, error) {
	var c run.CaptureReading
	began := d.clock.Now()
	alive, since := began, time.Time{}
	for {
		if err := d.clock.Sleep(ctx, pace.Beat); err != nil {
			return c, err
		}
		f, now := w.Look(), d.clock.Now()
		if seen != nil {
			seen(f)
		}
		if f.Status.State == instrument.Alive {
			alive = now
		} else if now.Sub(alive) > pace.Away {
			return c, &Away{f.Status.Words}
		}
		if !f.Steady {
			since = time.Time{}
		} else if since.IsZero() {
			since = now
		}
		if !since.IsZero() && now.Sub(since) >= pace.Stand {
			if w.Take(&c); c.Steady {
				return c, nil
			}
		}
		if now.Sub(began) > pace.Patience+w.Span() {
			return c, &Unsteady{f.Why}
		}
	}
}
