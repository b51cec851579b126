package api

import (
	"context"
	"net/http"
	"time"

	"northneedle/core/person"
	"northneedle/internal/capture"
	"northneedle/internal/instrument"
	"northneedle/internal/workshop"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/sse"
)

// pulse is how often every page hears that the server is there: one that hangs is noticed within 3 s.
const pulse = time.Second

// beat is how often a live point is looked at.
const beat = 100 * time.Millisecond

// LiveFrame is what a point's link shows.
type LiveFrame struct{ capture.Frame }

// LiveTrouble says why there is nothing live.
type LiveTrouble struct {
	Detail string `json:"detail"`
}

func registerLive(api huma.API, s *Server) {
	shop := s.shop
	sse.Register(api, operation{"changes", http.MethodGet, "/api/changes", "Runs as they go on", person.LookHouse, 0,
		nil}.described(),
		map[string]any{"change": workshop.Change{}, "alive": workshop.Alive{}},
		func(ctx context.Context, _ *struct{}, send sse.Sender) {
			ctx, done := s.streaming(ctx)
			defer done()
			streamChanges(ctx, shop, send)
		})
	sse.Register(api, operation{"live", http.MethodGet, "/api/runs/{id}/live", "A point's link as it is now",
		person.Look, 0, nil}.described(),
		map[string]any{"frame": LiveFrame{}, "trouble": LiveTrouble{}},
		func(ctx context.Context, in *struct {
			RunPath
			Measure string `query:"measure" maxLength:"100"`
			Point   string `query:"point" maxLength:"100"`
		}, send sse.Sender) {
			ctx, done := s.streaming(ctx)
			defer done()
			streamPoint(ctx, shop, in.ID, in.Measure, in.Point, send)
		})
	serveNothing(api, operation{"hold", http.MethodPost, "/api/runs/{id}/hold",
		"Take hold of the instrument that reads a point, and set it", person.WorkRuns, 0, nil},
		func(ctx context.Context, in *struct {
			RunPath
			Body workshop.HoldOrder
		}) error {
			return shop.Hold(ctx, in.ID, in.Body, who(ctx))
		})
	serveNothing(api, operation{"release", http.MethodDelete, "/api/runs/{id}/hold",
		"Let go of the instruments that you hold for a run", person.WorkRuns, 0, nil},
		func(ctx context.Context, in *RunPath) error {
			shop.Release(in.ID, who(ctx))
			return nil
		})
	serveNothing(api, operation{"dismiss", http.MethodPost, "/api/runs/{id}/dismiss",
		"Set aside what an instrument sent at its own key", person.WorkRuns, 0, nil},
		func(ctx context.Context, in *struct {
			RunPath
			Body struct {
				Frame string `json:"frame" maxLength:"80"`
			}
		}) error {
			shop.Dismiss(in.Body.Frame)
			return nil
		})
	serve(api, operation{"stand-in-controls", http.MethodGet, "/api/stand-ins/{id}",
		"The controls and faults of a simulated device", person.Look, 0, nil},
		func(ctx context.Context, in *InstrumentPath) (out instrument.Controls, err error) {
			return shop.SimulatedControls(ctx, in.ID)
		})
	serveNothing(api, operation{"stand-in", http.MethodPost, "/api/stand-ins/{id}",
		"Work the controls of a simulated device, or switch a fault", person.DriveSimulated, 0, nil},
		func(ctx context.Context, in *struct {
			InstrumentPath
			Body struct {
				Command string `json:"command" maxLength:"80" pattern:"^SIM[A-Za-z]*:[A-Za-z]+ [-+A-Za-z0-9,.]+$" doc:"a SIMulate command"`
			}
		}) error {
			return shop.TellSimulated(ctx, in.ID, in.Body.Command)
		})
}

func streamChanges(ctx context.Context, shop *workshop.Workshop, send sse.Sender) {
	ch := shop.Listen()
	defer shop.Leave(ch)
	if send.Data(shop.Alive()) != nil {
		return
	}
	ticker := time.NewTicker(pulse)
	defer ticker.Stop()
	for {
		var err error
		select {
		case <-ctx.Done():
			return
		case change := <-ch:
			err = send.Data(change)
		case <-ticker.C:
			err = send.Data(shop.Alive())
		}
		if err != nil {
			return
		}
	}
}

// streamPoint shows a point's link until the browser leaves.
func streamPoint(ctx context.Context, shop *workshop.Workshop, id, measure, point string, send sse.Sender) {
	watch, err := shop.WatchPoint(id, measure, point, who(ctx))
	if err != nil {
		send.Data(LiveTrouble{err.Error()})
		return
	}
	ticker := time.NewTicker(beat)
	defer ticker.Stop()
	for {
		frame, err := watch.Look()
		if err != nil {
			send.Data(LiveTrouble{err.Error()})
			return
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
