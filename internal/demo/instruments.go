package demo

import (
	"cmp"
	"context"
	"fmt"

	"northneedle/internal/capture"
	"northneedle/internal/ledger"
	"northneedle/internal/sim"
)

// standIns are the simulated instruments of the scenario: the kind of each, and the reference that it is. One that
// belongs to nobody serves whatever device needs its kind. Its profile is that of its kind, where none is named.
var standIns = []struct{ kind, belongs, profile string }{
	{"acoustic-bench", "AN-1", ""},
	{"bag-rack", "", ""},
	{"balance", "BL-1", ""},
	{"blood-gas", "", ""},
	{"cart-gas", "", ""},
	{"chamber-probe", "TP-1", ""},
	{"chemistry-analyser", "", ""},
	{"co-bench", "", ""},
	{"finger-simulator", "FS-1", ""},
	{"flow-analyser", "FA-1", ""},
	{"gas-bench", "GB-1", ""},
	{"photometer", "", ""},
	{"safety-tester", "ES-1", ""},
	{"syringe-bench", "", ""},
	{"chamber-probe", "TP-2", ""},
	{"flow-analyser", "FA-2", "flow-analyser-menu"},
	{"flow-analyser", "", ""}, // a ventilator's own display
	{"finger-simulator", "FS-2", ""},
}

// StandIn is a simulated instrument that runs, with its row in the register.
type StandIn struct {
	ledger.Instrument
	Server *sim.Server
}

// StartInstruments starts the scenario's simulated instruments on this machine, from a port on; 0 takes free ones.
// They run until the context ends.
func StartInstruments(ctx context.Context, first int, clock capture.WallClock) ([]StandIn, error) {
	kinds := map[string]sim.Kind{}
	for _, k := range sim.Kinds() {
		kinds[k.ID] = k
	}
	var all []StandIn
	for n, s := range standIns {
		port := 0
		if first > 0 {
			port = first + n
		}
		server, err := kinds[s.kind].Serve(ctx, fmt.Sprintf("127.0.0.1:%d", port), World(), clock)
		if err != nil {
			return nil, err
		}
		id := s.kind
		if s.belongs != "" {
			id += "-" + s.belongs
		}
		all = append(all, StandIn{ledger.Instrument{
			ID:        id,
			Name:      kinds[s.kind].Name,
			Kind:      s.kind,
			Belongs:   s.belongs,
			Profile:   cmp.Or(s.profile, s.kind),
			Transport: "tcp",
			Address:   server.Address(),
		}, server})
	}
	return all, nil
}
