package sim

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"northneedle/core/procedure"
	"northneedle/core/run"
	"northneedle/core/signal"
	"northneedle/internal/capture"
	"northneedle/internal/instrument"
)

// Bench is every simulated instrument, without a network and in simulated time: waiting costs
// nothing. It drives whole procedures in rehearsals and try-outs. Not for concurrent use.
type Bench struct {
	driver  *capture.Driver
	sources map[string]*source
	now     time.Time
	active  *source // the one that was asked last: only its time goes on
}

// NewBench sets up the instruments in a world, at a time.
func NewBench(w World, at time.Time) *Bench {
	b := &Bench{sources: map[string]*source{}, now: at}
	b.driver = capture.NewDriver(b)
	for _, kind := range Kinds() {
		s := &source{
			bench:  b,
			kind:   kind.ID,
			model:  kind.New(w),
			traces: map[string][]signal.Sample{},
			total:  map[string]int{},
			before: map[string]float64{},
		}
		b.sources[kind.ID] = s
		b.driver.Add(capture.Instrument{ID: kind.ID, Name: kind.Name, Kind: kind.ID, Source: s})
	}
	return b
}

// Now is the bench's time.
func (b *Bench) Now() time.Time { return b.now }

// Sleep lets the instrument in use go on.
func (b *Bench) Sleep(_ context.Context, d time.Duration) error {
	b.now = b.now.Add(d)
	if b.active != nil {
		b.active.play(d.Seconds())
	}
	return nil
}

// Has reports whether there is an instrument of a kind.
func (b *Bench) Has(kind string) bool { return b.sources[kind] != nil }

// Tell gives an instrument a command.
func (b *Bench) Tell(kind, line string) error {
	s := b.sources[kind]
	if s == nil {
		return fmt.Errorf("there is no instrument of the kind %s", kind)
	}
	return s.Tell(context.Background(), line)
}

// pace looks less often than at the bench: every look costs as much, and time is free.
var pace = capture.Pace{Beat: 500 * time.Millisecond, Patience: 2 * time.Minute}

// slowPace is for what takes minutes by its nature.
var slowPace = capture.Pace{Beat: 5 * time.Second, Patience: 2 * time.Minute}

// Capture takes the reading of a point, once it stands.
func (b *Bench) Capture(r run.Run, m *procedure.Measure, p *procedure.Point) (run.CaptureReading, error) {
	w, err := b.driver.Set(context.Background(), r, m.ID, p.ID, capture.Hand{TakeOver: true})
	if err != nil {
		return run.CaptureReading{}, err
	}
	how := pace
	if w.Span() > 2*time.Minute {
		how = slowPace
	}
	c, err := b.driver.Steady(context.Background(), w, how, nil)
	if err != nil {
		return run.CaptureReading{}, fmt.Errorf("%s, %s: %w", m.Title, p.Label, err)
	}
	c.Trace = nil
	return c, nil
}

// source is one simulated instrument as the driver sees it.
type source struct {
	bench   *Bench
	kind    string
	model   Model
	traces  map[string][]signal.Sample
	total   map[string]int
	before  map[string]float64
	clock   float64 // s
	settled string
}

func (s *source) Status() instrument.Status {
	return instrument.Status{State: instrument.Alive, IDN: s.model.IDN()}
}

// Unit is the procedure's own: a rehearsal has no profile.
func (s *source) Unit(channel string) (string, bool) {
	return "", slices.Contains(s.model.Channels(), channel)
}

func (s *source) Rate(string) float64 { return float64(s.model.Rate()) }

// Delay is what the model has between its inlet and its sensor.
func (s *source) Delay(string) time.Duration {
	if m, has := s.model.(interface{ Delay() time.Duration }); has {
		return m.Delay()
	}
	return 0
}

// Before is the last sample that was dropped.
func (s *source) Before(channel string) (float64, bool) {
	before, known := s.before[channel]
	return before, known
}

func (s *source) Listen(context.Context, ...string) error { return nil }
func (s *source) Listening(...string) bool                { return true }

func (s *source) Freshness(string) (age, period time.Duration, moving bool) { return 0, 0, false }

func (s *source) Keys(string) (pressed []instrument.KeyPress, other bool) { return nil, true }

func (s *source) ReadBack(context.Context) error { return nil }

func (s *source) Differs(map[string]string) string { return "" }

func (s *source) Reported() map[string]instrument.Reported { return nil }

// Set sets the model, as a link would.
func (s *source) Set(ctx context.Context, settings map[string]string, begin func()) ([]string, error) {
	if err := s.Tell(ctx, "SIMulate:DEVice "+settings["device"]); err != nil {
		return nil, err
	}
	for _, name := range slices.Sorted(maps.Keys(settings)) {
		if name == "device" {
			continue
		}
		if err := s.Tell(ctx, "SOURce:"+strings.ToUpper(name)+" "+settings[name]); err != nil {
			return nil, err
		}
	}
	begin() // its time stands still meanwhile
	return nil, nil
}

func (s *source) Tell(ctx context.Context, line string) error {
	_, err := s.Ask(ctx, line)
	return err
}

func (s *source) Samples(channel string, after int) ([]signal.Sample, int) {
	all, total := s.traces[channel], s.total[channel]
	fresh := min(total-after, len(all))
	if fresh <= 0 {
		return nil, total
	}
	return all[len(all)-fresh:], total
}

func (s *source) Settled(settings string) bool {
	s.bench.active = s
	return s.settled == settings
}

func (s *source) Settle(settings string) {
	s.settled = settings
	for channel, trace := range s.traces {
		if len(trace) > 0 {
			s.before[channel] = trace[len(trace)-1].V
		}
	}
	clear(s.traces)
}

func (s *source) Ask(_ context.Context, line string) (string, error) {
	c, err := ParseCommand(line)
	if err != nil {
		return "", err
	}
	answer, known, err := s.model.Command(c)
	if err == nil && !known {
		err = fmt.Errorf("it does not know the command")
	}
	if err != nil {
		return "", fmt.Errorf("%s refused %q: %w", s.kind, line, err)
	}
	return answer, nil
}

// keep is how much of a trace is kept, in s: somewhat more than any way of capturing looks at.
const keep = 4000

// play lets the model go on.
func (s *source) play(seconds float64) {
	rate := s.model.Rate()
	dt := 1 / float64(rate)
	for range int(seconds * float64(rate)) {
		s.model.Step(dt)
		s.clock += dt
		for _, channel := range s.model.Channels() {
			s.traces[channel] = append(s.traces[channel], signal.Sample{T: s.clock, V: s.model.Value(channel)})
			s.total[channel]++
		}
	}
	for channel, trace := range s.traces {
		if n := keep * rate; len(trace) > 2*n {
			s.traces[channel] = slices.Clone(trace[len(trace)-n:])
		}
	}
}
