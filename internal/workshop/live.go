package workshop

import (
	"context"
	"encoding/json"
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

// TellSimulated works the controls of a simulated device, and gives its answer.
func (ws *Workshop) TellSimulated(ctx context.Context, kind, command string) (string, error) {
	answer, err := ws.Bench.Tell(ctx, kind, command)
	if err != nil {
		return "", &run.Refusal{Kind: run.Conflict, Code: "simulated", Message: err.Error() + "."}
	}
	return answer, nil
}

// SimulatedControls asks a simulated instrument for its controls.
func (ws *Workshop) SimulatedControls(ctx context.Context, kind string) (c instrument.Controls, err error) {
	text, err := ws.Bench.Tell(ctx, kind, "SIMulate:CATalog?")
	if err == nil {
		err = json.Unmarshal([]byte(text), &c)
	}
	if err != nil {
		return c, &run.Refusal{Kind: run.Conflict, Code: "simulated",
			Message: "The simulated device does not say what it can do: " + err.Error() + "."}
	}
	return c, nil
}

// Alive is the time here, and how fast it goes.
func (ws *Workshop) Alive() Alive { return Alive{ws.Clock(), max(ws.Speed, 1)} }

// drives reports whether a person's looking at a run sets its instrument: they work runs, and a
// trainee has a hand in this one.
func drives(who person.Person, r run.Run) bool {
	if !person.Can(who.Role, person.WorkRuns) {
		return false
	}
	return person.Can(who.Role, person.DriveSimulated) || r.WorkedBy(who.ID)
}

// PointWatch is someone's look at a point's link.
type PointWatch struct {
	shop           *Workshop
	run            run.Run
	measure, point string
	drives         bool // looking sets the instrument

	at  *capture.Point
	set bool
}

// WatchPoint begins to watch the link of a point. It also sets the instrument for the point where the
// run is open and the person is allowed to drive it. The error says why nothing can be shown.
func (ws *Workshop) WatchPoint(ctx context.Context, id, measure, point string, who person.Person) (*PointWatch, error) {
	r, err := ws.Ledger.Run(id)
	if err != nil {
		return nil, &run.Refusal{Kind: run.Invalid, Code: "no-such-run", Message: "There is no such run."}
	}
	w := &PointWatch{shop: ws, run: r, measure: measure, point: point, drives: drives(who, r)}
	if r.Status == run.Open && w.drives {
		w.at, err = ws.Bench.Set(ctx, r, measure, point)
	} else {
		w.at, err = ws.Bench.Watch(r, measure, point)
	}
	if w.at == nil {
		return nil, err
	}
	w.set = err == nil || !w.drives
	return w, nil
}

// Look is what the link shows now. An instrument that was away when the point began is set as soon as
// it is there.
func (w *PointWatch) Look(ctx context.Context) capture.Frame {
	frame := w.at.Look()
	if !w.set && frame.Status.State == "alive" {
		if again, err := w.shop.Bench.Set(ctx, w.run, w.measure, w.point); err == nil {
			w.at, w.set = again, true
		}
	}
	if frame.Status.State == "lost" && w.drives {
		w.set = false
	}
	return frame
}
