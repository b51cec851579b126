package capture

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"
	"time"

	"northneedle/core/person"
	"northneedle/core/run"
	"northneedle/internal/ledger"

	"github.com/oklog/ulid/v2"
)

// State is how far a sequence is.
type State struct {
	Run     string    `json:"run"`
	Now     string    `json:"now"`  // the point being read, or the last one
	Read    int       `json:"read"` // points so far
	Running bool      `json:"running"`
	Why     string    `json:"why"`            // what it waits for, or why it ended
	Move    string    `json:"move,omitempty"` // what the hand must move where, before it goes on
	Alarm   bool      `json:"alarm"`          // it stopped because something is wrong
	By      string    `json:"by"`
	Since   time.Time `json:"since"`
}

// Sequencer reads the linked points of runs one after another by itself, at most one sequence
// for each run, while their technician works elsewhere. A sequence stops by itself when
// something is really wrong.
type Sequencer struct {
	ledger  *ledger.Ledger
	driver  *Driver
	changed func(run string, seq int)

	mutex sync.Mutex
	jobs  map[string]*job
}

type job struct {
	State
	by   string // id of who started it
	stop context.CancelFunc
	done chan struct{}
}

// NewSequencer makes a sequencer; changed is told whenever a sequence goes on or ends.
func NewSequencer(l *ledger.Ledger, d *Driver, changed func(run string, seq int)) *Sequencer {
	return &Sequencer{ledger: l, driver: d, changed: changed, jobs: map[string]*job{}}
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

// Start begins to read a run's linked points for a person. Where they are being read already it
// changes nothing.
func (s *Sequencer) Start(id string, who person.Person) error {
	r, err := s.ledger.Run(id)
	if err != nil {
		return err
	}
	m, _ := r.NextPoint(s.driver.clock.Now())
	if m == nil || m.Capture == nil {
		return &run.Refusal{Kind: run.Conflict, Code: "nothing-linked",
			Message: "There is no point to be read over a link now."}
	}
	s.mutex.Lock()
	defer s.mutex.Unlock()
	if j := s.jobs[id]; j != nil && j.Running {
		return nil
	}
	ctx, stop := context.WithCancel(context.Background())
	state := State{Run: id, Running: true, Why: "beginning", By: who.Name, Since: s.driver.clock.Now()}
	j := &job{State: state, by: who.ID, stop: stop, done: make(chan struct{})}
	s.jobs[id] = j
	go s.work(ctx, j, who)
	return nil
}

// Starter is the id of whoever started a run's sequence; empty where there is none.
func (s *Sequencer) Starter(id string) string {
	s.mutex.Lock()
	defer s.mutex.Unlock()
	if j := s.jobs[id]; j != nil {
		return j.by
	}
	return ""
}

// Running reports whether a run's points are being read by themselves.
func (s *Sequencer) Running(id string) bool {
	s.mutex.Lock()
	defer s.mutex.Unlock()
	j := s.jobs[id]
	return j != nil && j.Running
}

// Stop ends a run's sequence, and waits until it has.
func (s *Sequencer) Stop(id string) {
	s.mutex.Lock()
	j := s.jobs[id]
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

func alarm(format string, args ...any) error { return end{fmt.Sprintf(format, args...), true} }

func (s *Sequencer) work(ctx context.Context, j *job, who person.Person) {
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
	s.driver.Release(j.Run, who.ID) // whoever has the point on the bench takes hold again by themselves
	s.changed(j.Run, 0)
}

func (s *Sequencer) note(j *job, change func(*State)) {
	s.mutex.Lock()
	defer s.mutex.Unlock()
	change(&j.State)
}

// errGoneOn says that a run has gone on while a point of it was being read.
var errGoneOn = errors.New("the run has gone on")

// goneOn reports whether somebody has done something in a run since.
func (s *Sequencer) goneOn(since run.Run) bool {
	now, err := s.ledger.Run(since.ID)
	return err == nil && now.Seq != since.Seq
}

// until waits until a run is as wanted.
func (s *Sequencer) until(ctx context.Context, id string, wanted func(run.Run) bool) error {
	for {
		r, err := s.ledger.Run(id)
		if err != nil || wanted(r) {
			return err
		}
		if err := s.driver.clock.Sleep(ctx, LivePace.Beat); err != nil {
			return err
		}
	}
}

// point reads the next point of the run.
func (s *Sequencer) point(ctx context.Context, j *job, who person.Person) error {
	r, err := s.ledger.Run(j.Run)
	if err != nil {
		return err
	}
	m, p := r.NextPoint(s.driver.clock.Now())
	switch {
	case m == nil:
		return end{why: "every point is read"}
	case m.Capture == nil:
		return end{why: m.Title + " is read from the display"}
	}
	name := m.Title + " " + p.Label
	if words := r.ToMove(p); words != "" {
		s.note(j, func(state *State) { state.Now, state.Why, state.Move = name, "waits for the hand: "+words, words })
		s.changed(j.Run, r.Seq)
		err := s.until(ctx, j.Run, func(r run.Run) bool {
			m, next := r.NextPoint(s.driver.clock.Now())
			return next == nil || m.Capture == nil || r.ToMove(next) == ""
		})
		s.note(j, func(state *State) { state.Move = "" })
		return err
	}
	s.note(j, func(state *State) { state.Now, state.Why = name, "setting the instrument" })
	watch, err := s.set(ctx, r, m.ID, p.ID, who)
	switch {
	case errors.Is(err, errGoneOn):
		return nil // look again
	case err != nil:
		return alarm("%s: %s", name, err)
	}
	reading, leave := context.WithCancelCause(ctx) // what is left out is not waited for
	defer leave(nil)
	c, err := s.driver.Steady(reading, watch, LivePace, func(f Frame) {
		s.note(j, func(state *State) { state.Why = f.Why })
		if s.goneOn(r) {
			leave(errGoneOn)
		}
	})
	if errors.Is(context.Cause(reading), errGoneOn) {
		return nil // somebody did something in the run: look again
	}
	var unsteady *Unsteady
	var away *Away
	var over *TakenOver
	var refused *run.Refusal
	switch {
	case errors.As(err, &over), errors.As(err, &refused):
		return alarm("%s: %s", name, err)
	case errors.As(err, &unsteady):
		return alarm("%s %s", name, unsteady)
	case errors.As(err, &away):
		return alarm("%s: %s", name, away)
	case err != nil:
		return err
	}
	c.Reading = ulid.Make().String()
	order := run.Order{At: s.driver.clock.Now(), By: who}
	r, err = s.ledger.Carry(j.Run, ledger.Command{ID: c.Reading, Expect: r.Seq, Do: c, Order: order})
	var stale *ledger.Stale
	switch {
	case errors.As(err, &stale): // somebody did something in the run: look again
		return nil
	case err != nil:
		return alarm("%s: %s", name, err)
	}
	s.note(j, func(state *State) { state.Read++ })
	if r.Gross(m, p) {
		return alarm("%s is far out. Look at the set-up before going on", name)
	}
	return nil
}

// set sets the instrument for a point, and tries again while it may only be busy.
func (s *Sequencer) set(ctx context.Context, r run.Run, measure, point string, who person.Person) (*Point, error) {
	for began := s.driver.clock.Now(); ; {
		watch, err := s.driver.Set(ctx, r, measure, point, Hand{Person: who})
		var held *Held
		if err == nil || watch == nil || errors.As(err, &held) || s.driver.clock.Now().Sub(began) > LivePace.Away {
			return watch, err
		}
		if s.driver.clock.Sleep(ctx, time.Second) != nil {
			return watch, err
		}
		if s.goneOn(r) {
			return watch, errGoneOn
		}
	}
}
