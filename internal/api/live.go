package api

import (
	"context"
	"encoding/json"
	"net/http"
	"sync"
	"time"

	"northneedle/core/run"
	"northneedle/internal/capture"
	"northneedle/internal/sim"

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
	Now time.Time `json:"now"`
}

// LiveFrame is what a point's link shows.
type LiveFrame struct{ capture.Frame }

// LiveTrouble says why there is nothing live.
type LiveTrouble struct {
	Detail string `json:"detail"`
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
	sse.Register(api, huma.Operation{OperationID: "changes", Method: http.MethodGet, Path: "/api/changes", Summary: "Runs as they go on"},
		map[string]any{"change": Change{}, "alive": Alive{}},
		func(ctx context.Context, _ *struct{}, send sse.Sender) { h.streamChanges(ctx, send) })
	sse.Register(api, huma.Operation{OperationID: "live", Method: http.MethodGet, Path: "/api/runs/{id}/live", Summary: "A point's link as it is now"},
		map[string]any{"frame": LiveFrame{}, "trouble": LiveTrouble{}},
		func(ctx context.Context, in *struct {
			RunPath
			Measure string `query:"measure" maxLength:"100"`
			Point   string `query:"point" maxLength:"100"`
		}, send sse.Sender) {
			h.streamPoint(ctx, in.ID, in.Measure, in.Point, send)
		})
	huma.Register(api, huma.Operation{OperationID: "stand-in-controls", Method: http.MethodGet, Path: "/api/stand-ins/{kind}", Summary: "The controls and faults of a simulated device"},
		func(ctx context.Context, in *struct {
			Kind string `path:"kind" maxLength:"60"`
		}) (*struct{ Body sim.Controls }, error) {
			controls, err := h.catalog(ctx, in.Kind)
			return &struct{ Body sim.Controls }{controls}, err
		})
	huma.Register(api, huma.Operation{OperationID: "stand-in", Method: http.MethodPost, Path: "/api/stand-ins/{kind}", Summary: "Work the controls of a simulated device, or switch a fault"},
		func(ctx context.Context, in *struct {
			Kind string `path:"kind" maxLength:"60"`
			Body struct {
				Command string `json:"command" maxLength:"80" pattern:"^SIM[A-Za-z]*:[A-Za-z]+ [-+A-Za-z0-9,.]+$" doc:"a SIMulate command"`
			}
		}) (*struct {
			Body struct {
				Answer string `json:"answer"`
			}
		}, error) {
			answer, err := h.Bench.Tell(ctx, in.Kind, in.Body.Command)
			if err != nil {
				return nil, &Problem{Status: http.StatusConflict, Title: "Not now", Detail: err.Error() + ".", Code: "stand-in"}
			}
			out := &struct {
				Body struct {
					Answer string `json:"answer"`
				}
			}{}
			out.Body.Answer = answer
			return out, nil
		})
}

// catalog asks a simulated instrument for its controls.
func (h *House) catalog(ctx context.Context, kind string) (c sim.Controls, err error) {
	text, err := h.Bench.Tell(ctx, kind, "SIMulate:CATalog?")
	if err == nil {
		err = json.Unmarshal([]byte(text), &c)
	}
	if err != nil {
		return c, &Problem{Status: http.StatusConflict, Title: "Not now", Detail: "The simulated device does not say what it can do: " + err.Error() + ".", Code: "stand-in"}
	}
	return c, nil
}

func (h *House) streamChanges(ctx context.Context, send sse.Sender) {
	ch := h.changes.listen()
	defer h.changes.leave(ch)
	if send.Data(Alive{h.Clock()}) != nil {
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
			err = send.Data(Alive{h.Clock()})
		}
		if err != nil {
			return
		}
	}
}

// watch sets the instrument for a point of an open run; of an ended one the point is only watched.
func (h *House) watch(ctx context.Context, r run.Run, measure, point string) (*capture.Point, error) {
	if r.Status == run.Open {
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
	set := err == nil
	ticker := time.NewTicker(beat)
	defer ticker.Stop()
	for {
		frame := watch.Look()
		if !set && frame.Status.State == "alive" { // it was away when the point began
			if again, err := h.Bench.Set(ctx, r, measure, point); err == nil {
				watch, set = again, true
			}
		}
		if frame.Status.State == "lost" {
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
