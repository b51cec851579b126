// Package capture takes readings over links. One driver sets an instrument for a point, watches
// its traces and says when the reading stands; it serves the live bench and rehearsals alike,
// by the clock and the instruments that it is given. A sequencer reads the points of a run one
// after another by itself.
package capture

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"sync"
	"time"

	"northneedle/core/procedure"
	"northneedle/core/run"
	"northneedle/core/signal"
	"northneedle/internal/instrument"
)

// Source is an instrument's link as the driver sees it: what it is set to, and what it sends.
type Source interface {
	// Status is the state of its link.
	Status() instrument.Status
	// Unit is the UCUM unit of a channel's samples; false: it has no such channel. An empty unit is
	// the one that the procedure goes by.
	Unit(channel string) (unit string, ok bool)
	// Delay is how long what a channel measures takes to its sensor.
	Delay(channel string) time.Duration
	// Listen has the instrument send channels.
	Listen(ctx context.Context, channels ...string) error
	// Listening reports whether it is asked for channels.
	Listening(channels ...string) bool
	// Before is what a channel showed last before it was settled; false: that is not known.
	Before(channel string) (float64, bool)
	// Rate is how many samples a second a channel sends; 0 while that is not known.
	Rate(channel string) float64
	// Samples are the samples of a channel that are kept, without those that had come when the
	// count was "after"; total is the count by now.
	Samples(channel string, after int) (fresh []signal.Sample, total int)
	// Freshness is the age of a channel's last bytes, how often they come, and whether the instrument
	// itself says that the reading moves.
	Freshness(channel string) (age, period time.Duration, moving bool)
	// Keys are what it sent over a channel at its own key; other is true for a channel that sends otherwise.
	Keys(channel string) (pressed []instrument.KeyPress, other bool)
	// Settled reports whether the driver set it so already.
	Settled(settings string) bool
	// Settle notes what it is set to, and drops the samples from before.
	Settle(settings string)
	// Set sets it and reads back what it says then. begin is called when everything is set but what starts
	// the measured thing itself. What it cannot be told is returned: it is for the hand.
	Set(ctx context.Context, settings map[string]string, begin func()) (byHand []string, err error)
	// ReadBack asks it what it is set to.
	ReadBack(ctx context.Context) error
	// Differs says which setting it reports otherwise than wanted; empty where none.
	Differs(settings map[string]string) string
	// Reported is what it says it is set to.
	Reported() map[string]instrument.Reported
	// Ask sends one command and waits for its answer of one line; Tell sends one that has no answer.
	Ask(ctx context.Context, command string) (string, error)
	Tell(ctx context.Context, command string) error
}

// Instrument is one instrument of a workshop, with its link.
type Instrument struct {
	ID      string
	Name    string
	Kind    string // as the procedures name it
	Belongs string // tag of the reference or device that it is; empty: it stands by itself
	Profile string // hash of the text that says how it is spoken to
	Link    string // where it is
	Source
}

// Driver sets instruments and reads them. Each serves one run and one person at a time.
type Driver struct {
	clock Clock
	// Allowed refuses an instrument to a run for a reason of the workshop's; nil refuses none.
	Allowed func(i Instrument, r run.Run) error

	mutex       sync.Mutex
	instruments map[string]Instrument // by id
	holds       map[string]Hold       // by instrument
	byHand      map[string][]string   // by instrument: settings of the point that it cannot be told
	dismissed   map[string]bool       // frames that were sent at a key, and taken or set aside
	frames      frames
}

// NewDriver makes a driver without instruments.
func NewDriver(clock Clock) *Driver {
	return &Driver{clock: clock, instruments: map[string]Instrument{}, holds: map[string]Hold{},
		byHand: map[string][]string{}, dismissed: map[string]bool{}}
}

// Add connects the driver with an instrument; it takes the place of an earlier one with its id.
func (d *Driver) Add(i Instrument) {
	d.mutex.Lock()
	defer d.mutex.Unlock()
	d.instruments[i.ID] = i
}

// Remove lets go of an instrument.
func (d *Driver) Remove(id string) {
	d.mutex.Lock()
	defer d.mutex.Unlock()
	delete(d.instruments, id)
	delete(d.holds, id)
}

// Instruments are all that are connected, by their names.
func (d *Driver) Instruments() []Instrument {
	d.mutex.Lock()
	defer d.mutex.Unlock()
	all := []Instrument{}
	for _, i := range d.instruments {
		all = append(all, i)
	}
	slices.SortFunc(all, func(x, y Instrument) int { return strings.Compare(x.Name+x.ID, y.Name+y.ID) })
	return all
}

// Instrument is the one with an id.
func (d *Driver) Instrument(id string) (Instrument, bool) {
	d.mutex.Lock()
	defer d.mutex.Unlock()
	i, ok := d.instruments[id]
	return i, ok
}

// Link is the state of one link.
type Link struct {
	ID        string `json:"id"`
	Kind      string `json:"kind"`
	Name      string `json:"name"`
	Belongs   string `json:"belongs,omitempty" doc:"tag of the reference or device that it is"`
	Simulated bool   `json:"simulated"`
	Holder    *Hold  `json:"holder,omitempty"`
	instrument.Status
}

// Links are the states of all links, by name.
func (d *Driver) Links() []Link {
	links := []Link{}
	for _, i := range d.Instruments() {
		links = append(links, d.link(i))
	}
	return links
}

// Linked is the state of one link; false where nothing is connected by that id.
func (d *Driver) Linked(id string) (Link, bool) {
	i, ok := d.Instrument(id)
	if !ok {
		return Link{}, false
	}
	return d.link(i), true
}

func (d *Driver) link(i Instrument) Link {
	status := i.Status()
	l := Link{ID: i.ID, Kind: i.Kind, Name: i.Name, Belongs: i.Belongs, Simulated: status.Simulated(), Status: status}
	if h, held := d.Holder(i.ID); held {
		l.Holder = &h
	}
	return l
}

func noInstrument(format string, args ...any) error {
	return &run.Refusal{Kind: run.Conflict, Code: "no-instrument", Message: fmt.Sprintf(format, args...)}
}

// For is the instrument that reads a measure of a run: the link of the reference that fills the role which the
// procedure names, or of the device under test. Where neither has a link, it is the one instrument of the kind that
// belongs to nobody.
func (d *Driver) For(r run.Run, m *procedure.Measure) (Instrument, error) {
	kind := m.Capture.Instrument
	tag := r.Device.Tag
	if m.Capture.Role != "" {
		tag = r.Bound[m.Capture.Role].Standard.Tag
	}
	var own, common []Instrument
	for _, i := range d.Instruments() {
		switch {
		case i.Kind != kind:
		case i.Belongs == "":
			common = append(common, i)
		case i.Belongs == tag:
			own = append(own, i)
		}
	}
	switch {
	case len(own) == 1:
		return own[0], nil
	case len(own) > 1:
		return Instrument{}, noInstrument("%s has two links: retire one of them.", tag)
	case len(common) == 1:
		return common[0], nil
	case len(common) > 1:
		return Instrument{}, noInstrument(
			"Several instruments of the kind %s belong to nobody: say of one that it belongs to %s, or type what it shows.",
			kind, tag)
	case tag == "":
		return Instrument{}, noInstrument("No reference fills the role that reads this yet.")
	}
	return Instrument{}, noInstrument("%s is not connected as a %s: type what it shows.", tag, kind)
}

// Set takes hold of the instrument for a point, sets it, and returns what reads the point. The point's trace starts
// afresh, unless the instrument is set so already. A point is returned with an error where it
// could be watched and the instrument was not set. An instrument that someone else holds, or another run, is refused
// with a [*Held], unless it is taken over.
func (d *Driver) Set(ctx context.Context, r run.Run, measure, point string, by Hand) (*Point, error) {
	w, err := d.Watch(r, measure, point, by.Person.ID)
	if err != nil {
		return nil, err
	}
	if w.move != "" {
		return w, &run.Refusal{Kind: run.Conflict, Code: "move", Field: "point",
			Message: w.move + " first, and say so: nothing is set or read before."}
	}
	if d.Allowed != nil {
		if err := d.Allowed(w.source, r); err != nil {
			return w, err
		}
	}
	if err := d.take(w, by); err != nil {
		return w, err
	}
	return w, w.drive(ctx)
}

// Dismiss sets aside a reading that an instrument sent at its own key.
func (d *Driver) Dismiss(frame string) {
	d.mutex.Lock()
	defer d.mutex.Unlock()
	if len(d.dismissed) > 1000 {
		clear(d.dismissed) // they are older than any point on a bench
	}
	d.dismissed[frame] = true
}

// Simulate sends a SIMulate command to a stand-in: its faults and its device's controls. It
// refuses any other instrument, and any other command.
func (d *Driver) Simulate(ctx context.Context, id, command string) error {
	i, err := d.standIn(id, command)
	if err != nil {
		return err
	}
	// In one line: the command may be one that makes it say no more.
	says, err := i.Ask(ctx, command+";:SYSTem:ERRor?")
	if err == nil && !strings.HasPrefix(says, "0,") {
		err = &instrument.RefusedByInstrument{Reason: says}
	}
	return err
}

// Simulated asks a stand-in something about what it simulates.
func (d *Driver) Simulated(ctx context.Context, id, question string) (string, error) {
	i, err := d.standIn(id, question)
	if err != nil {
		return "", err
	}
	return i.Ask(ctx, question)
}

func (d *Driver) standIn(id, command string) (Instrument, error) {
	i, ok := d.Instrument(id)
	if !ok || !i.Status().Simulated() || !strings.HasPrefix(strings.ToUpper(command), "SIM") {
		return i, fmt.Errorf("there is no simulated instrument %s", id)
	}
	return i, nil
}
