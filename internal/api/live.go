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

// beat is how often a live point is looked at.
const beat = 120 * time.Millisecond

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

func registerLive(api huma.API, s *Server) {
	shop := s.shop
	sse.Register(api, operation{"changes", http.MethodGet, "/api/changes", "Runs as they go on", person.Look, 0,
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
	serve(api, operation{"stand-in-controls", http.MethodGet, "/api/stand-ins/{kind}",
		"The controls and faults of a simulated device", person.Look, 0, nil},
		func(ctx context.Context, in *struct {
			Kind string `path:"kind" maxLength:"60"`
		}) (out instrument.Controls, err error) {
			return shop.SimulatedControls(ctx, in.Kind)
		})
	serve(api, operation{"stand-in", http.MethodPost, "/api/stand-ins/{kind}",
		"Work the controls of a simulated device, or switch a fault", person.DriveSimulated, 0, nil},
		func(ctx context.Context, in *struct {
			Kind string `path:"kind" maxLength:"60"`
			Body struct {
				Command string `json:"command" maxLength:"80" pattern:"^SIM[A-Za-z]*:[A-Za-z]+ [-+A-Za-z0-9,.]+$" doc:"a SIMulate command"`
			}
		}) (out SimulatedAnswer, err error) {
			out.Answer, err = shop.TellSimulated(ctx, in.Kind, in.Body.Command)
			return out, err
		})
}

func streamChanges(ctx context.Context, shop *workshop.Workshop, send sse.Sender) {
	ch := shop.Listen()
	defer shop.Leave(ch)
	if send.Data(shop.Alive()) != nil {
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
			err = send.Data(shop.Alive())
		}
		if err != nil {
			return
		}
	}
}

// streamPoint shows a point's link until the browser leaves.
func streamPoint(ctx context.Context, shop *workshop.Workshop, id, measure, point string, send sse.Sender) {
	watch, err := shop.WatchPoint(ctx, id, measure, point, who(ctx))
	if err != nil {
		send.Data(LiveTrouble{err.Error()})
		return
	}
	ticker := time.NewTicker(beat)
	defer ticker.Stop()
	for {
		if send.Data(LiveFrame{watch.Look(ctx)}) != nil {
			return
		}
		select {
		case <-ctx.Done():
			return
		case <-ticker.C:
		}
	}
}
