package workshop

import (
	"context"
	"encoding/json"
	"errors"
	"sync"
	"time"

	"northneedle/core/person"
	"northneedle/core/run"
	"northneedle/internal/capture"
	"northneedle/internal/instrument"
)

// Change says that a run has gone on.
type Change struct {
	Run string `json:"run"`
	Seq int    `json:"seq"`
}

// Alive is sent now and then, so that a lost connection is noticed.
type Alive struct {
	Now   time.Time `json:"now"`
	Speed float64   `json:"speed"` // how many of the server's seconds pass in a real one
}

// changes tells every listening browser of every commit.
type changes struct {
	mutex     sync.Mutex
	listeners map[chan Change]bool
}

func newChanges() *changes { return &changes{listeners: map[chan Change]bool{}} }

func (c *changes) listen() chan Change {
	c.mutex.Lock()
	defer c.mutex.Unlock()
	ch := make(chan Change, 64)
	c.listeners[ch] = true
	return ch
}

func (c *changes) leave(ch chan Change) {
	c.mutex.Lock()
	defer c.mutex.Unlock()
	delete(c.listeners, ch)
}

// tell never waits: a browser that does not keep up asks again by itself.
func (c *changes) tell(run string, seq int) {
	c.mutex.Lock()
	defer c.mutex.Unlock()
	for ch := range c.listeners {
		select {
		case ch <- Change{run, seq}:
		default:
		}
	}
}

// Listen returns a channel that receives every commit until [Workshop.Leave].
func (ws *Workshop) Listen() chan Change { return ws.changes.listen() }

// Leave ends listening.
func (ws *Workshop) Leave(ch chan Change) { ws.changes.leave(ch) }

// TellSimulated works the controls of a simulated device.
func (ws *Workshop) TellSimulated(ctx context.Context, id, command string) error {
	if err := ws.Bench.Simulate(ctx, id, command); err != nil {
		return refuse("simulated", Sentence(err))
	}
	return nil
}

// SimulatedControls asks a simulated instrument for its controls.
func (ws *Workshop) SimulatedControls(ctx context.Context, id string) (c instrument.Controls, err error) {
	text, err := ws.Bench.Simulated(ctx, id, "SIMulate:CATalog?")
	if err == nil {
		err = json.Unmarshal([]byte(text), &c)
	}
	if err != nil {
		return c, refuse("simulated", "The simulated device does not say what it can do: "+err.Error()+".")
	}
	return c, nil
}

// Alive is the time here, and how fast it goes.
func (ws *Workshop) Alive() Alive { return Alive{ws.Clock(), max(ws.Speed, 1)} }

// drives reports whether a person may set an instrument for a run: they work runs, and a
// trainee has a hand in this one.
func drives(who person.Person, r run.Run) bool {
	if !person.Can(who.Role, person.WorkRuns) {
		return false
	}
	return person.Can(who.Role, person.DriveSimulated) || r.WorkedBy(who.ID)
}

// HoldOrder says for which point an instrument is wanted.
type HoldOrder struct {
	Measure  string `json:"measure" maxLength:"100"`
	Point    string `json:"point" maxLength:"200"`
	TakeOver bool   `json:"take_over,omitempty" doc:"take it from whoever holds it; they are told"`
}

// Hold takes hold of the instrument that reads a point, for a run and a person, and sets it for the point.
func (ws *Workshop) Hold(ctx context.Context, id string, o HoldOrder, who person.Person) error {
	r, err := ws.Ledger.Run(id)
	if err != nil {
		return err
	}
	switch {
	case r.Status != run.Open:
		return refuse("not-open", "This run is not open: its instruments serve others.")
	case !drives(who, r):
		return &run.Refusal{Kind: run.Forbidden, Code: "not-yours",
			Message: "A trainee drives an instrument only by a step of a run in which they work: answer or do its first step."}
	}
	before := ws.holders()
	_, err = ws.Bench.Set(ctx, r, o.Measure, o.Point, capture.Hand{Person: who, TakeOver: o.TakeOver})
	for instrument, h := range before { // whoever lost it is told by their own screen
		if now, held := ws.Bench.Holder(instrument); held && now.Run != h.Run {
			ws.changes.tell(h.Run, 0)
		}
	}
	var refused *run.Refusal
	if err != nil && !errors.As(err, &refused) {
		err = refuse("not-set", Sentence(err)+" It is tried again; what the device shows can be typed.")
	}
	return err
}

func (ws *Workshop) holders() map[string]capture.Hold {
	all := map[string]capture.Hold{}
	for _, l := range ws.Bench.Links() {
		if l.Holder != nil {
			all[l.ID] = *l.Holder
		}
	}
	return all
}

// Release lets go of what a person holds for a run, unless its points are being read by themselves.
func (ws *Workshop) Release(id string, who person.Person) {
	if !ws.sequences.Running(id) {
		ws.Bench.Release(id, who.ID)
	}
}

// Dismiss sets aside what an instrument sent at its own key.
func (ws *Workshop) Dismiss(frame string) { ws.Bench.Dismiss(frame) }

// PointWatch is someone's look at a point's link.
type PointWatch struct {
	shop           *Workshop
	run            string
	measure, point string
	who            person.Person

	seq int // of the run that at goes by
	at  *capture.Point
}

// WatchPoint begins to watch the link of a point. It sets nothing. The error says why nothing can be shown.
func (ws *Workshop) WatchPoint(id, measure, point string, who person.Person) (*PointWatch, error) {
	w := &PointWatch{shop: ws, run: id, measure: measure, point: point, who: who}
	return w, w.follow()
}

// follow reads the run again when it has changed, because an adjustment or a withdrawal starts a new trace.
func (w *PointWatch) follow() error {
	r, err := w.shop.Ledger.Run(w.run)
	switch {
	case err != nil:
		return &run.Refusal{Kind: run.Invalid, Code: "no-such-run", Message: "There is no such run."}
	case r.Seq == w.seq:
		return nil
	}
	at, err := w.shop.Bench.Watch(r, w.measure, w.point, w.who.ID)
	if err != nil {
		return err
	}
	at.GoOn(w.at)
	w.at, w.seq = at, r.Seq
	return nil
}

// Look is what the link shows now. The error says why nothing can be shown any more.
func (w *PointWatch) Look() (capture.Frame, error) {
	if err := w.follow(); err != nil {
		return capture.Frame{}, err
	}
	return w.at.Look(), nil
}
