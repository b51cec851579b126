// Package bench runs live work: it keeps the links to the instruments, sets them
// for a point, and hands their samples to the core, which finds the reading.
package bench

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"northneedle/core/method"
	"northneedle/core/procedure"
	"northneedle/core/quantity"
	"northneedle/core/signal"
	"northneedle/internal/ledger"
	"northneedle/internal/link"
)

// Bench holds the links of a workshop.
type Bench struct {
	clients map[string]*link.Client // by kind of instrument
	names   map[string]string
	wait    time.Duration // the longest an instrument may take over one setting
}

// Connect starts a link to every instrument. The links run until the context ends.
func Connect(ctx context.Context, instruments []ledger.Instrument, timing link.Timing) *Bench {
	b := &Bench{clients: map[string]*link.Client{}, names: map[string]string{}, wait: timing.Answer}
	for _, i := range instruments {
		b.clients[i.Kind] = link.Dial(ctx, i.Name, i.Address, i.Channels, timing)
		b.names[i.Kind] = i.Name
	}
	return b
}

// Wait returns when every link has stopped.
func (b *Bench) Wait() {
	for _, c := range b.clients {
		<-c.Done()
	}
}

// Link is the state of one link.
type Link struct {
	Kind string `json:"kind"`
	Name string `json:"name"`
	link.Status
	StandIn bool `json:"stand_in"`
}

// Links are the states of all links, by kind.
func (b *Bench) Links() []Link {
	links := []Link{}
	for kind, c := range b.clients {
		s := c.Status()
		links = append(links, Link{kind, b.names[kind], s, isStandIn(s)})
	}
	slices.SortFunc(links, func(x, y Link) int { return strings.Compare(x.Kind, y.Kind) })
	return links
}

func isStandIn(s link.Status) bool { return strings.Contains(s.IDN, "stand-in") }

// Point is one point of a run being read over a link.
type Point struct {
	client  *link.Client
	capture procedure.Capture
	looking method.Looking
	reader  method.Reader
	factor  float64        // the device's unit for one of the instrument's
	since   map[string]int // samples seen, by channel
}

// Trace is a stretch of one channel.
type Trace struct {
	Channel string          `json:"channel"`
	Samples []signal.Sample `json:"samples"`
}

// Frame is what a point's link shows at a moment.
type Frame struct {
	Status link.Status `json:"status"`
	Traces []Trace     `json:"traces"` // new since the last frame, in the device's unit
	method.Live
}

// Watch sets the instrument for a point, and returns what reads it. With set, the
// point's trace starts afresh, unless the instrument is set so already; without, an
// instrument is left alone.
func (b *Bench) Watch(ctx context.Context, run procedure.Run, measure, point string, set bool) (*Point, error) {
	m, p, limit, err := run.CaptureOf(measure, point)
	if err != nil {
		return nil, err
	}
	client := b.clients[m.Capture.Instrument]
	if client == nil {
		return nil, &procedure.Refusal{Kind: procedure.Conflict, Code: "no-instrument", Message: fmt.Sprintf("No instrument of the kind %s is connected: type what the device shows.", m.Capture.Instrument)}
	}
	e, err := run.Expect(m, p)
	if err != nil {
		return nil, err
	}
	reader, known := method.ReaderOf(m.Capture.Kind)
	if !known {
		return nil, fmt.Errorf("this version cannot capture a %s", m.Capture.Kind)
	}
	w := &Point{client: client, capture: *m.Capture, reader: reader, factor: 1, since: map[string]int{}}
	if one, err := quantity.Convert(1, m.Unit, e.Unit); err == nil {
		w.factor = one
	} else if m.Capture.Limit > 0 {
		w.factor = limit / m.Capture.Limit
	}
	with := maps.Clone(m.Capture.With)
	if with == nil {
		with = map[string]float64{}
	}
	maps.Copy(with, p.With)
	w.looking = method.Looking{Channels: append([]string{m.Capture.Channel}, m.Capture.Also...), Rate: client.Rate(), Reference: e.Reference, Limit: limit,
		Floor: m.Capture.Floor * w.factor, Count: m.Capture.Breaths, Seconds: m.Capture.Seconds, With: with}
	if set {
		return w, w.drive(ctx, run, p, run.TraceOf(m), b.wait)
	}
	return w, nil
}

// drive sends the point's settings to the instrument: "gas: HG-22" is SOURce:GAS HG-22.
func (w *Point) drive(ctx context.Context, run procedure.Run, p procedure.Point, stretch string, wait time.Duration) error {
	ctx, cancel := context.WithTimeout(ctx, wait)
	defer cancel()
	commands := []string{}
	if isStandIn(w.client.Status()) {
		commands = append(commands, "SIMulate:DEVice "+run.Device.Tag)
	}
	for _, name := range slices.Sorted(maps.Keys(p.Drive)) {
		value := p.Drive[name]
		for role, bound := range run.Bound {
			value = strings.ReplaceAll(value, "{"+role+"}", bound.Standard.Tag)
		}
		commands = append(commands, "SOURce:"+strings.ToUpper(name)+" "+value)
	}
	settings := strings.Join(append(commands, stretch), "\n")
	if w.client.Settled(settings) {
		return nil
	}
	for _, command := range commands {
		answer, err := w.client.Ask(ctx, command)
		if err != nil {
			return fmt.Errorf("the instrument was not set: %w", err)
		}
		if reason, failed := strings.CutPrefix(answer, "ERROR "); failed {
			return fmt.Errorf("the instrument refused %q: %s", command, reason)
		}
	}
	w.client.Settle(settings)
	return nil
}

// Span is how long the point watches its traces.
func (w *Point) Span() time.Duration {
	return time.Duration(w.looking.Span() * float64(time.Second))
}

// Look reads what the link shows now.
func (w *Point) Look() Frame {
	f := Frame{Status: w.client.Status(), Traces: []Trace{}}
	for _, channel := range w.looking.Channels {
		fresh, total := w.client.Samples(channel, w.since[channel])
		w.since[channel] = total
		f.Traces = append(f.Traces, Trace{channel, w.scaled(fresh)})
	}
	if f.Status.State != link.Alive {
		f.Why = f.Status.Words
		f.Facts = []method.Fact{}
		return f
	}
	f.Live = w.read()
	return f
}

func (w *Point) read() method.Live {
	w.looking.Rate = w.client.Rate() // as it is by now: at first there may have been too little to tell
	w.looking.Traces = map[string][]signal.Sample{}
	for _, channel := range w.looking.Channels {
		w.looking.Traces[channel] = w.trace(channel)
	}
	live := w.reader.Look(w.looking, w.factor)
	if live.Facts == nil {
		live.Facts = []method.Fact{}
	}
	return live
}

// trace is the last stretch of a channel, in the instrument's unit.
func (w *Point) trace(channel string) []signal.Sample {
	all, _ := w.client.Samples(channel, 0)
	from := 0
	if n := len(all); n > 0 {
		for from < n && all[from].T < all[n-1].T-w.looking.Span() {
			from++
		}
	}
	return all[from:]
}

// scaled is a trace as the page shows it: in the device's unit, unless the reader looks
// at the instrument's own.
func (w *Point) scaled(samples []signal.Sample) []signal.Sample {
	if w.reader.Own {
		return append([]signal.Sample{}, samples...)
	}
	return append([]signal.Sample{}, method.Scaled(samples, w.factor)...)
}

// Take fills a command with the reading the link shows now, and the trace it came from.
func (w *Point) Take(instrument string, c *procedure.CaptureReading) {
	c.Link = instrument
	if w.client.Status().State != link.Alive {
		return
	}
	live := w.read()
	c.Steady, c.Values, c.Detail = live.Steady, live.Values, live.Detail
	c.Trace = thin(w.scaled(w.trace(w.capture.Channel)), 400)
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

// Tell sends a command to an instrument that is a stand-in: its faults and its device's controls.
func (b *Bench) Tell(ctx context.Context, kind, command string) (string, error) {
	client := b.clients[kind]
	if client == nil || !isStandIn(client.Status()) && !strings.HasPrefix(command, "SIM") {
		return "", fmt.Errorf("there is no simulated instrument of the kind %s", kind)
	}
	ctx, cancel := context.WithTimeout(ctx, b.wait)
	defer cancel()
	return client.Ask(ctx, command)
}
