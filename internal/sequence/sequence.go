// Package sequence reads the linked points of a run one after another by itself, while
// its technician works elsewhere. It stops by itself when something is really wrong.
package sequence

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"
	"time"

	"northneedle/core/procedure"
	"northneedle/internal/bench"
	"northneedle/internal/ledger"
	"northneedle/internal/link"

	"github.com/oklog/ulid/v2"
)

// State is how far a sequence is.
type State struct {
	Run     string    `json:"run"`
	Now     string    `json:"now"`  // the point being read, or the last one
	Read    int       `json:"read"` // points so far
	Running bool      `json:"running"`
	Why     string    `json:"why"`   // what it waits for, or why it ended
	Alarm   bool      `json:"alarm"` // it stopped because something is wrong
	By      string    `json:"by"`
	Since   time.Time `json:"since"`
}

// Sequencer runs at most one sequence for each run.
type Sequencer struct {
	ledger  *ledger.Ledger
	bench   *bench.Bench
	clock   func() time.Time
	changed func(run string, seq int)

	mutex sync.Mutex
	jobs  map[string]*job
}

type job struct {
	State
	stop context.CancelFunc
	done chan struct{}
}

// How often a point is looked at, how long it must stand before it is taken, how long an
// instrument may be away, and how long a point may take beyond what it watches.
const (
	beat     = 120 * time.Millisecond
	stand    = 500 * time.Millisecond
	away     = 15 * time.Second
	patience = 3 * time.Minute
)

// New makes a sequencer; changed is told whenever one goes on or ends.
func New(l *ledger.Ledger, b *bench.Bench, clock func() time.Time, changed func(run string, seq int)) *Sequencer {
	return &Sequencer{ledger: l, bench: b, clock: clock, changed: changed, jobs: map[string]*job{}}
}

// States are the sequences that run, and how those that ended came to an end, by run.
func (s *Sequencer) States() []State {
	s.mutex.Lock()
	defer s.mutex.Unlock()
	states := []State{}
	for _, j := range s.jobs {
		states = append(states, j.State)
	}
	slices.SortFunc(states, func(a, b State) int { return strings.Compare(a.Run, b.Run) })
	return states
}

// Start begins to read a run's linked points for a person.
func (s *Sequencer) Start(run string, who procedure.Person) error {
	r, err := s.ledger.Run(run)
	if err != nil {
		return err
	}
	if who.Role == procedure.Manager {
		return &procedure.Refusal{Kind: procedure.Forbidden, Code: "technician-only", Message: "Runs are made by technicians, trainees and leads."}
	}
	m, _, ok := r.Reading(s.clock())
	if !ok || m.Capture == nil {
		return &procedure.Refusal{Kind: procedure.Conflict, Code: "nothing-linked", Message: "There is no point to be read over a link now."}
	}
	s.mutex.Lock()
	defer s.mutex.Unlock()
	if j := s.jobs[run]; j != nil && j.Running {
		return nil
	}
	ctx, stop := context.WithCancel(context.Background())
	j := &job{State: State{Run: run, Running: true, Why: "beginning", By: who.Name, Since: s.clock()}, stop: stop, done: make(chan struct{})}
	s.jobs[run] = j
	go s.work(ctx, j, who)
	return nil
}

// Stop ends a run's sequence, and waits until it has.
func (s *Sequencer) Stop(run string) {
	s.mutex.Lock()
	j := s.jobs[run]
	s.mutex.Unlock()
	if j == nil {
		return
	}
	j.stop()
	<-j.done
}

// Close ends every sequence.
func (s *Sequencer) Close() {
	for _, state := range s.States() {
		s.Stop(state.Run)
	}
}

// end is why a sequence came to its end.
type end struct {
	why   string
	alarm bool
}

func (e end) Error() string { return e.why }

func wrong(format string, args ...any) error { return end{fmt.Sprintf(format, args...), true} }

func (s *Sequencer) work(ctx context.Context, j *job, who procedure.Person) {
	defer close(j.done)
	var err error
	for err == nil {
		err = s.point(ctx, j, who)
	}
	var e end
	switch {
	case ctx.Err() != nil:
		e = end{why: "stopped by hand"}
	case !errors.As(err, &e):
		e = end{err.Error(), true}
	}
	s.note(j, func(state *State) { state.Running, state.Why, state.Alarm = false, e.why, e.alarm })
	s.changed(j.Run, 0)
}

func (s *Sequencer) note(j *job, change func(*State)) {
	s.mutex.Lock()
	defer s.mutex.Unlock()
	change(&j.State)
}

// point reads the next point of the run.
func (s *Sequencer) point(ctx context.Context, j *job, who procedure.Person) error {
	run, err := s.ledger.Run(j.Run)
	if err != nil {
		return err
	}
	m, p, ok := run.Reading(s.clock())
	switch {
	case !ok:
		return end{why: "every point is read"}
	case m.Capture == nil:
		return end{why: m.Title + " is read from the display"}
	}
	name := m.Title + " " + p.Label
	s.note(j, func(state *State) { state.Now, state.Why = name, "setting the instrument" })
	watch, err := s.set(ctx, run, m.ID, p.ID)
	if err != nil {
		return wrong("%s: %s", name, err)
	}
	c, err := s.steady(ctx, j, watch, m.Capture.Instrument, name)
	if err != nil {
		return err
	}
	c.Reading, c.Measure, c.Point = ulid.Make().String(), m.ID, p.ID
	run, err = s.ledger.Carry(j.Run, ledger.Command{ID: c.Reading, Expect: run.Seq, Do: c, Order: procedure.Order{At: s.clock(), By: who}})
	var stale *ledger.Stale
	switch {
	case errors.As(err, &stale): // somebody did something in the run: look again
		return nil
	case err != nil:
		return wrong("%s: %s", name, err)
	}
	s.note(j, func(state *State) { state.Read++ })
	if run.Gross(m, p) {
		return wrong("%s is far out. Look at the set-up before going on", name)
	}
	return nil
}

// set sets the instrument for a point, and tries again while it may only be busy.
func (s *Sequencer) set(ctx context.Context, run procedure.Run, measure, point string) (*bench.Point, error) {
	for began := time.Now(); ; {
		watch, err := s.bench.Watch(ctx, run, measure, point, true)
		if err == nil || watch == nil || time.Since(began) > away || ctx.Err() != nil {
			return watch, err
		}
		select {
		case <-ctx.Done():
		case <-time.After(time.Second):
		}
	}
}

// steady waits until a point's reading has stood for a moment.
func (s *Sequencer) steady(ctx context.Context, j *job, watch *bench.Point, instrument, name string) (procedure.CaptureReading, error) {
	var c procedure.CaptureReading
	ticker := time.NewTicker(beat)
	defer ticker.Stop()
	began, alive, since := time.Now(), time.Now(), time.Time{}
	for {
		select {
		case <-ctx.Done():
			return c, ctx.Err()
		case <-ticker.C:
		}
		f := watch.Look()
		s.note(j, func(state *State) { state.Why = f.Why })
		switch {
		case f.Status.State == link.Alive:
			alive = time.Now()
		case time.Since(alive) > away:
			return c, wrong("%s: %s", name, f.Status.Words)
		}
		switch {
		case !f.Steady:
			since = time.Time{}
		case since.IsZero():
			since = time.Now()
		case time.Since(since) >= stand:
			watch.Take(instrument, &c)
			if c.Steady {
				return c, nil
			}
		}
		if time.Since(began) > patience+watch.Span() {
			return c, wrong("%s does not become steady: %s", name, f.Why)
		}
	}
}
