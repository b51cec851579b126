package api

import (
	"context"
	"encoding/json"
	"net/http"
	"sync"
	"time"

	"northneedle/core/person"
	"northneedle/core/run"
	"northneedle/internal/capture"
	"northneedle/internal/instrument"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/sse"
)

// beat is how often a live point is looked at.
const beat = 120 * time.Millisecond

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

// LiveFrame is what a point's link shows.
type LiveFrame struct{ capture.Frame }

// LiveTrouble says why there is nothing live.
type LiveTrouble struct {
	Detail string `json:"detail"`
}

// SimulatedAnswer is what a simulated instrument answered.
type SimulatedAnswer struct {
	Answer string `json:"answer"`
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

func registerLive(api huma.API, h *House) {
	sse.Register(api, operation{"changes", http.MethodGet, "/api/changes", "Runs as they go on", person.Look, 0,
		nil}.described(),
		map[string]any{"change": Change{}, "alive": Alive{}},
		func(ctx context.Context, _ *struct{}, send sse.Sender) {
			ctx, done := h.streaming(ctx)
			defer done()
			h.streamChanges(ctx, send)
		})
	sse.Register(api, operation{"live", http.MethodGet, "/api/runs/{id}/live", "A point's link as it is now",
		person.Look, 0, nil}.described(),
		map[string]any{"frame": LiveFrame{}, "trouble": LiveTrouble{}},
		func(ctx context.Context, in *struct {
			RunPath
			Measure string `query:"measure" maxLength:"100"`
			Point   string `query:"point" maxLength:"100"`
		}, send sse.Sender) {
			ctx, done := h.streaming(ctx)
			defer done()
			h.streamPoint(ctx, in.ID, in.Measure, in.Point, send)
		})
	serve(api, operation{"stand-in-controls", http.MethodGet, "/api/stand-ins/{kind}",
		"The controls and faults of a simulated device", person.Look, 0, nil},
		func(ctx context.Context, in *struct {
			Kind string `path:"kind" maxLength:"60"`
		}) (out instrument.Controls, err error) {
			return h.catalog(ctx, in.Kind)
		})
	serve(api, operation{"stand-in", http.MethodPost, "/api/stand-ins/{kind}",
		"Work the controls of a simulated device, or switch a fault", person.DriveSimulated, 0, nil},
		func(ctx context.Context, in *struct {
			Kind string `path:"kind" maxLength:"60"`
			Body struct {
				Command string `json:"command" maxLength:"80" pattern:"^SIM[A-Za-z]*:[A-Za-z]+ [-+A-Za-z0-9,.]+$" doc:"a SIMulate command"`
			}
		}) (out SimulatedAnswer, err error) {
			if out.Answer, err = h.Bench.Tell(ctx, in.Kind, in.Body.Command); err != nil {
				return out, &run.Refusal{Kind: run.Conflict, Code: "simulated", Message: err.Error() + "."}
			}
			return out, nil
		})
}

// catalog asks a simulated instrument for its controls.
func (h *House) catalog(ctx context.Context, kind string) (c instrument.Controls, err error) {
	text, err := h.Bench.Tell(ctx, kind, "SIMulate:CATalog?")
	if err == nil {
		err = json.Unmarshal([]byte(text), &c)
	}
	if err != nil {
		return c, &run.Refusal{Kind: run.Conflict, Code: "simulated",
			Message: "The simulated device does not say what it can do: " + err.Error() + "."}
	}
	return c, nil
}

func (h *House) alive() Alive { return Alive{h.Clock(), max(h.Speed, 1)} }

func (h *House) streamChanges(ctx context.Context, send sse.Sender) {
	ch := h.changes.listen()
	defer h.changes.leave(ch)
	if send.Data(h.alive()) != nil {
		return
	}
	ticker := time.NewTicker(10 * time.Second)
	defer ticker.Stop()
	for {
		var err error
		select {
		case <-ctx.Done():
			return
		case change := <-ch:
			err = send.Data(change)
		case <-ticker.C:
			err = send.Data(h.alive())
		}
		if err != nil {
			return
		}
	}
}

// drives reports whether a person's looking at a run sets its instrument: they work runs, and a
// trainee has a hand in this one.
func drives(who person.Person, r run.Run) bool {
	if !person.Can(who.Role, person.WorkRuns) {
		return false
	}
	return person.Can(who.Role, person.DriveSimulated) || r.WorkedBy(who.ID)
}

// watch sets the instrument for a point of an open run where whoever looks drives it; otherwise
// the point is only watched.
func (h *House) watch(ctx context.Context, r run.Run, measure, point string) (*capture.Point, error) {
	if r.Status == run.Open && drives(who(ctx), r) {
		return h.Bench.Set(ctx, r, measure, point)
	}
	return h.Bench.Watch(r, measure, point)
}

// streamPoint sets the instrument for the point, then shows its link until the browser leaves.
func (h *House) streamPoint(ctx context.Context, id, measure, point string, send sse.Sender) {
	r, err := h.Ledger.Run(id)
	if err != nil {
		send.Data(LiveTrouble{"There is no such run."})
		return
	}
	watch, err := h.watch(ctx, r, measure, point)
	if watch == nil {
		send.Data(LiveTrouble{err.Error()})
		return
	}
	set := err == nil || !drives(who(ctx), r)
	ticker := time.NewTicker(beat)
	defer ticker.Stop()
	for {
		frame := watch.Look()
		if !set && frame.Status.State == "alive" { // it was away when the point began
			if again, err := h.Bench.Set(ctx, r, measure, point); err == nil {
				watch, set = again, true
			}
		}
		if frame.Status.State == "lost" && drives(who(ctx), r) {
			set = false
		}
		if send.Data(LiveFrame{frame}) != nil {
			return
		}
		select {
		case <-ctx.Done():
			return
		case <-ticker.C:
		}
	}
}
