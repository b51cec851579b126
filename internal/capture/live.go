package capture

import (
	"context"

	"northneedle/internal/instrument"
)

// linked is an instrument's link as a source.
type linked struct{ *instrument.Link }

// Unit is the unit of a channel, as the profile says.
func (l linked) Unit(channel string) (string, bool) {
	if c := l.Profile().Channel(channel); c != nil {
		return c.Unit, true
	}
	return "", false
}

// Keys are what came over a channel at the instrument's own key.
func (l linked) Keys(channel string) ([]instrument.KeyPress, bool) {
	if c := l.Profile().Channel(channel); c == nil || !c.Key {
		return nil, true
	}
	return l.Link.Keys(channel), false
}

// Connection is an instrument to connect: whose it is, where, and how it is spoken to.
type Connection struct {
	ID      string
	Name    string
	Belongs string
	Address instrument.Address
	Profile *instrument.Profile
}

// Connect links an instrument and adds it to the driver. The link runs until it is closed or the context ends.
func (d *Driver) Connect(ctx context.Context, c Connection, timing instrument.Timing) *instrument.Link {
	l := instrument.Dial(ctx, c.Name, c.Address, c.Profile, timing, d.clock.Now)
	d.Add(Instrument{
		ID:      c.ID,
		Name:    c.Name,
		Kind:    c.Profile.Kind,
		Belongs: c.Belongs,
		Profile: c.Profile.Hash,
		Link:    string(c.Address.Transport) + ":" + c.Address.Where,
		Source:  linked{l},
	})
	return l
}
