package capture

import (
	"context"

	"northneedle/internal/instrument"
	"northneedle/internal/ledger"
)

// Connect makes a driver with a link to every instrument of a workshop. The links run until the
// context ends; wait returns when all have stopped.
func Connect(ctx context.Context, clock Clock, instruments []ledger.Instrument,
	timing instrument.Timing) (d *Driver, wait func()) {
	d = NewDriver(clock)
	var clients []*instrument.Client
	for _, i := range instruments {
		client := instrument.Dial(ctx, i.Name, i.Address, i.Channels, timing)
		clients = append(clients, client)
		d.Add(i.Kind, i.Name, client)
	}
	return d, func() {
		for _, c := range clients {
			<-c.Done()
		}
	}
}
