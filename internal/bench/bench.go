// Package bench runs live work: it keeps the links to the instruments, sets them
// for a point, and turns their samples into a reading.
package bench

import (
	"context"
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"northneedle/core/procedure"
	"northneedle/core/quantity"
	"northneedle/core/signal"
	"northneedle/internal/ledger"
	"northneedle/internal/link"
)

// window is how much of a trace is looked at, in seconds.
const window = 60

// Bench holds the links of a workshop.
type Bench struct {
	clients map[string]*link.Client // by kind of instrument
	names   map[string]string
	wait    time.Duration // the longest an instrument may take over one setting
}

// channels of each kind of instrument that are subscribed to.
var channels = map[string][]string{
	"gas-bench":        {"CO2"},
	"finger-simulator": {"SPO2", "PULSE"},
}

// Connect starts a link to every instrument. The links run until the context ends.
func Connect(ctx context.Context, instruments []ledger.Instrument, timing link.Timing) *Bench {
	b := &Bench{clients: map[string]*link.Client{}, names: map[string]string{}, wait: timing.Answer}
	for _, i := range instruments {
		b.clients[i.Kind] = link.Dial(ctx, i.Name, i.Address, channels[i.Kind], timing)
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
		links = append(links, Link{kind, b.names[kind], s, strings.Contains(s.IDN, "stand-in")})
	}
	slices.SortFunc(links, func(x, y Link) int { return strings.Compare(x.Kind, y.Kind) })
	return links
}

// Point is one point of a run being read over a link.
type Point struct {
	client  *link.Client
	capture procedure.Capture
	limit   float64 // how alike, in the unit the instrument reports
	factor  float64 // the device's unit for one of the instrument's
	level   bool    // the point has no breaths: room air
	since   int
}

// Frame is what a point's link shows at a moment.
type Frame struct {
	Status  link.Status     `json:"status"`
	Samples []signal.Sample `json:"samples"` // new since the last frame, in the device's unit
	Value   *float64        `json:"value,omitempty"`
	Steady  bool            `json:"steady"`
	Why     string          `json:"why"`
	Rate    *float64        `json:"rate,omitempty"` // breaths per minute
	Rise    *float64        `json:"rise,omitempty"` // 10–90 % rise time, s
	Breaths int             `json:"breaths"`
	Final   *float64        `json:"final,omitempty"`   // where a reading that is still settling is going
	Settles *float64        `json:"settles,omitempty"` // in how many seconds it will be there
}

// Watch sets the instrument for a point, and returns what reads it. With set, the
// point's trace starts afresh; without, an instrument already set is left alone.
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
	w := &Point{client: client, capture: *m.Capture, factor: 1, limit: limit}
	if one, err := quantity.Convert(1, m.Unit, e.Unit); err == nil {
		w.factor = one
	} else if m.Capture.Limit > 0 {
		w.factor = limit / m.Capture.Limit
	}
	w.level = w.capture.Kind == "capnogram" && e.Reference < w.capture.Floor*w.factor
	if set {
		return w, w.drive(ctx, run, p, b.wait)
	}
	return w, nil
}

// drive sends the point's settings to the instrument.
func (w *Point) drive(ctx context.Context, run procedure.Run, p procedure.Point, wait time.Duration) error {
	ctx, cancel := context.WithTimeout(ctx, wait)
	defer cancel()
	commands := []string{}
	if strings.Contains(w.client.Status().IDN, "stand-in") {
		commands = append(commands, "SIMulate:DEVice "+run.Device.Tag)
	}
	for _, name := range []string{"gas", "breath", "spo2", "pulse"} {
		value, ok := p.Drive[name]
		if !ok {
			continue
		}
		for role, bound := range run.Bound {
			value = strings.ReplaceAll(value, "{"+role+"}", bound.Standard.Tag)
		}
		commands = append(commands, map[string]string{"gas": "SOURce:GAS ", "breath": "SOURce:BREath ", "spo2": "SOURce:SPO2 ", "pulse": "SOURce:PULSe "}[name]+value)
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
	w.client.Forget(w.capture.Channel)
	return nil
}

// Look reads what the link shows now.
func (w *Point) Look() Frame {
	fresh, total := w.client.Samples(w.capture.Channel, w.since)
	w.since = total
	f := Frame{Status: w.client.Status(), Samples: w.scaled(fresh)}
	trace := w.trace()
	switch {
	case f.Status.State != link.Alive:
		f.Why = f.Status.Words
	case w.capture.Kind == "steady" || w.level:
		seconds := w.capture.Seconds
		if seconds == 0 {
			seconds = 5
		}
		s := signal.Steady(trace, seconds, w.limit)
		f.Steady, f.Why = s.Steady, s.Why
		if len(trace) > 0 {
			f.Value = &s.Mean
		}
		if !s.Steady && math.Abs(s.Slope)*seconds > w.limit {
			w.predict(trace, &f)
		}
	default:
		w.breaths(trace, &f)
	}
	return f
}

// predict says where a settling trace is going, where a first-order approach fits it.
func (w *Point) predict(trace []signal.Sample, f *Frame) {
	from := trace[0].T
	shifted := make([]signal.Sample, len(trace))
	for i, s := range trace {
		shifted[i] = signal.Sample{T: s.T - from, V: s.V}
	}
	s, err := signal.Settle(shifted, w.limit)
	left := s.TimeToBand - shifted[len(shifted)-1].T
	if err != nil || left <= 0 || left > 600 {
		return
	}
	f.Final, f.Settles = &s.Final, &left
}

func (w *Point) breaths(trace []signal.Sample, f *Frame) {
	limit := w.limit
	if w.capture.Kind == "rate" {
		limit = 1e9 // the plateaus do not matter here
	}
	c := signal.Breaths(trace, w.capture.Breaths, limit, w.capture.Floor*w.factor)
	f.Steady, f.Why, f.Breaths = c.Steady, c.Why, min(len(c.Breaths), w.capture.Breaths)
	if len(c.Breaths) == 0 {
		return
	}
	f.Rise = &c.Rise
	if c.Rate > 0 {
		f.Rate = &c.Rate
	}
	if w.capture.Kind == "rate" {
		f.Value = f.Rate
		rates := c.Rates(w.capture.Breaths - 1)
		if f.Steady && slices.Max(rates)-slices.Min(rates) > w.limit {
			f.Steady, f.Why = false, "the rhythm is still settling"
		}
		return
	}
	f.Value = &c.Plateau
}

// trace is the last stretch of the channel, in the device's unit.
func (w *Point) trace() []signal.Sample {
	all, _ := w.client.Samples(w.capture.Channel, 0)
	from := 0
	if n := len(all); n > 0 {
		for from < n && all[from].T < all[n-1].T-window {
			from++
		}
	}
	return w.scaled(all[from:])
}

func (w *Point) scaled(samples []signal.Sample) []signal.Sample {
	out := make([]signal.Sample, len(samples))
	for i, s := range samples {
		out[i] = signal.Sample{T: s.T, V: s.V * w.factor}
	}
	return out
}

// Take fills a command with the reading the link shows now: the plateaus, the
// rates, or the steady mean, with the trace they came from.
func (w *Point) Take(link string, c *procedure.CaptureReading) {
	f := w.Look()
	c.Link, c.Steady = link, f.Steady
	if f.Status.State != "alive" || f.Value == nil {
		return
	}
	trace := w.trace()
	c.Trace = thin(trace, 400)
	switch {
	case w.capture.Kind == "steady" || w.level:
		c.Values = []float64{*f.Value}
		c.Detail = f.Why
	case w.capture.Kind == "rate":
		c.Values = []float64{*f.Rate}
		c.Detail = fmt.Sprintf("%d breaths", f.Breaths)
	default:
		cap := signal.Breaths(trace, w.capture.Breaths, w.limit, w.capture.Floor*w.factor)
		c.Values = cap.Plateaus(w.capture.Breaths)
		c.Detail = fmt.Sprintf("mean end-tidal plateau of %d breaths, rise time %.2f s", len(c.Values), cap.Rise)
	}
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
	if client == nil || !strings.Contains(client.Status().IDN, "stand-in") && !strings.HasPrefix(command, "SIM") {
		return "", fmt.Errorf("there is no simulated instrument of the kind %s", kind)
	}
	ctx, cancel := context.WithTimeout(ctx, b.wait)
	defer cancel()
	return client.Ask(ctx, command)
}
