package capture

import (
	"context"
	"fmt"
	"sync"
	"time"

	"northneedle/core/procedure"
	"northneedle/core/run"
	"northneedle/core/signal"
	"northneedle/internal/instrument"

	"github.com/oklog/ulid/v2"
)

// Trace is a stretch of one channel.
type Trace struct {
	Channel string          `json:"channel"`
	Samples []signal.Sample `json:"samples"`
}

// Frame is what a point's link shows at a moment. A reading is taken by naming the frame that was shown.
type Frame struct {
	ID         string            `json:"id,omitempty" doc:"names it in a capture; none: nothing can be taken from it"`
	At         time.Time         `json:"at"`
	Instrument string            `json:"instrument" doc:"its id"`
	Name       string            `json:"name" doc:"of the instrument"`
	Status     instrument.Status `json:"status"`
	Traces     []Trace           `json:"traces" doc:"new since the last frame, in the device's unit"`
	Age        float64           `json:"age" doc:"seconds since the last bytes of the channel came"`
	Stale      float64           `json:"stale" doc:"older than so many seconds it can not be taken"`
	Held       *Hold             `json:"held,omitempty" doc:"whom the instrument serves, where that is not you at this run"`
	Unset      bool              `json:"unset" doc:"the instrument is not set for this point yet: take hold of it"`
	ByHand     []string          `json:"by_hand" doc:"settings that the instrument cannot be told"`
	Key        bool              `json:"key" doc:"it was sent at the instrument's own key"`
	procedure.LiveReading

	settings map[string]string // as the instrument reported them
	wanted   map[string]string // that the point needs
	holder   string            // name of whom it served
}

// keptFor is how long a frame may be named, and keptMost how many of a point are kept for a person.
const (
	keptFor  = 30 * time.Second
	keptMost = 700 // a little more than 30 s of looks at 20 a second
)

// frames are what was shown of late.
type frames struct {
	mutex sync.Mutex
	kept  map[shownTo][]keptFrame
}

// shownTo is a point on someone's screen.
type shownTo struct {
	pointKey
	who string // id
}

type keptFrame struct {
	Frame
	shown time.Time // real time
	trace []signal.Sample
}

// keep remembers a frame, and lets go of old ones.
func (f *frames) keep(key shownTo, k keptFrame) {
	f.mutex.Lock()
	defer f.mutex.Unlock()
	if f.kept == nil {
		f.kept = map[shownTo][]keptFrame{}
	}
	f.kept[key] = append(f.kept[key], k)
	for of, all := range f.kept {
		old := max(len(all)-keptMost, 0)
		for old < len(all) && k.shown.Sub(all[old].shown) > keptFor {
			old++
		}
		switch {
		case old == len(all):
			delete(f.kept, of)
		case old > 0:
			f.kept[of] = append([]keptFrame(nil), all[old:]...)
		}
	}
}

// named is the frame with an id.
func (f *frames) named(key shownTo, id string) (keptFrame, bool) {
	f.mutex.Lock()
	defer f.mutex.Unlock()
	for _, k := range f.kept[key] {
		if k.ID == id && time.Since(k.shown) <= keptFor {
			return k, true
		}
	}
	return keptFrame{}, false
}

// Look reads what the link shows now, and remembers what can be taken of it. It never sets anything.
func (w *Point) Look() Frame {
	f := w.look()
	if len(f.Values) == 0 {
		return f
	}
	w.driver.frames.keep(shownTo{w.key, w.who}, keptFrame{f, time.Now(), w.thinTrace()})
	return f
}

func (w *Point) thinTrace() []signal.Sample {
	return thin(w.shown(w.capture.Channel, w.trace(w.capture.Channel)), 400)
}

func (w *Point) look() Frame {
	f := Frame{
		At:         w.driver.clock.Now(),
		Instrument: w.source.ID,
		Name:       w.source.Name,
		Status:     w.source.Status(),
		Traces:     []Trace{},
		ByHand:     []string{},
	}
	f.Facts = []procedure.Fact{}
	w.driver.mutex.Lock()
	f.ByHand = append(f.ByHand, w.driver.byHand[w.source.ID]...)
	w.driver.mutex.Unlock()
	holder, held, mine := w.holder()
	if held && !mine {
		f.Held = &holder
		f.Why = fmt.Sprintf("%s is held by %s for %s", w.source.Name, holder.Name, holder.Device)
		return f // what it sends is of another device
	}
	for _, channel := range w.input.Channels {
		fresh, total := w.source.Samples(channel, w.since[channel])
		w.since[channel] = total
		f.Traces = append(f.Traces, Trace{channel, w.shown(channel, fresh)})
	}
	age, period, moving := w.source.Freshness(w.capture.Channel)
	limit := max(2*time.Second, 3*period)
	f.Age, f.Stale = age.Seconds(), limit.Seconds()
	f.Unset = !mine || !w.source.Settled(w.settled()) || !w.source.Listening(w.input.Channels...)
	switch differs := w.source.Differs(w.settings); {
	case f.Status.State != instrument.Alive:
		f.Why = f.Status.Words
		return f
	case f.Unset:
		f.Why = w.source.Name + " is not set for this point yet"
		return f
	case differs != "":
		f.Why, f.Unset = differs, true // it was turned by hand, or by another program
		return f
	}
	if differs := w.source.Differs(w.recorded); differs != "" {
		f.Why = differs + ", as was recorded: set it right, or record what it is"
		return f
	}
	pressed, other := w.source.Keys(w.capture.Channel)
	switch {
	case !other:
		w.printed(&f, pressed)
	case age > limit:
		f.Why = fmt.Sprintf("nothing new for %.0f s", age.Seconds())
		return f
	default:
		f.LiveReading = w.read()
		if moving && f.Steady && w.capture.Method.AtRest {
			f.Steady, f.Why = false, "the instrument says that it still moves"
		}
	}
	if len(f.Values) == 0 {
		return f
	}
	f.holder, f.wanted, f.settings = holder.Name, w.settings, map[string]string{}
	for name, says := range w.source.Reported() {
		f.settings[name] = says.Value
	}
	if f.ID == "" {
		f.ID = ulid.Make().String()
	}
	return f
}

// printed fills a frame with what the instrument sent last at its own key for this point: it is offered until it is
// taken or dismissed.
func (w *Point) printed(f *Frame, pressed []instrument.KeyPress) {
	f.Key, f.Why = true, "press the key of "+w.source.Name
	if len(pressed) == 0 {
		return
	}
	last := pressed[len(pressed)-1]
	id := fmt.Sprintf("key-%s-%d", w.source.ID, last.At.UnixNano())
	w.driver.mutex.Lock()
	aside := w.driver.dismissed[id]
	w.driver.mutex.Unlock()
	if aside {
		return
	}
	value := last.Value * w.scale[w.capture.Channel] * w.factor
	f.ID, f.Steady, f.Value, f.Values = id, true, &value, []float64{value}
	f.Age = time.Since(last.At).Seconds()
	f.Why = fmt.Sprintf("sent at its own key %.0f s ago", f.Age)
}

func (w *Point) read() procedure.LiveReading {
	w.input.Rate = w.source.Rate(w.capture.Channel) // as it is by now: at first there may have been too little to tell
	w.input.Before = nil
	if before, known := w.source.Before(w.capture.Channel); known {
		before *= w.scale[w.capture.Channel]
		w.input.Before = &before
	}
	w.input.Traces = map[string][]signal.Sample{}
	for _, channel := range w.input.Channels {
		w.input.Traces[channel] = procedure.Scaled(w.trace(channel), w.scale[channel])
	}
	live := w.capture.Method.Look(w.input, w.factor)
	if live.Facts == nil {
		live.Facts = []procedure.Fact{}
	}
	return live
}

// trace is the last stretch of a channel, in the instrument's unit.
func (w *Point) trace(channel string) []signal.Sample {
	all, _ := w.source.Samples(channel, 0)
	from := 0
	if n := len(all); n > 0 {
		for from < n && all[from].T < all[n-1].T-w.input.Span() {
			from++
		}
	}
	return all[from:]
}

// shown is a trace as the page shows it: in the device's unit, unless the way of capturing looks
// at the instrument's own.
func (w *Point) shown(channel string, samples []signal.Sample) []signal.Sample {
	factor := w.scale[channel]
	if !w.capture.Method.RawUnits {
		factor *= w.factor
	}
	return append([]signal.Sample{}, procedure.Scaled(samples, factor)...)
}

// Take fills a command with the reading of the frame that was shown to a person, its trace, and where it is from. It
// refuses a frame that is not known any more, and one whose instrument is set otherwise by now.
func (d *Driver) Take(ctx context.Context, id, frame, who string, c *run.CaptureReading) error {
	k, ok := d.frames.named(shownTo{pointKey{id, c.Measure, c.Point}, who}, frame)
	if !ok {
		return &run.Refusal{Kind: run.Conflict, Code: "frame-gone", Field: "frame",
			Message: "What was on the screen is more than 30 s old, or not of this point: look again and take the reading anew."}
	}
	return d.record(ctx, id, who, k, c)
}

// record fills a command with a frame. Where the instrument still serves the run and the person, it is asked once more
// what it is set to.
func (d *Driver) record(ctx context.Context, id, who string, k keptFrame, c *run.CaptureReading) error {
	i, connected := d.Instrument(k.Instrument)
	h, held := d.Holder(k.Instrument)
	if connected && held && h.Run == id && h.Person == who && i.Status().State == instrument.Alive &&
		i.ReadBack(ctx) == nil {
		if differs := i.Differs(k.wanted); differs != "" {
			return &run.Refusal{Kind: run.Conflict, Code: "settings", Field: "frame",
				Message: differs + ". Nothing was recorded; it is set again, then read."}
		}
	}
	c.Steady, c.Values, c.Detail, c.Trace = k.Steady, k.Values, k.Detail, k.trace
	c.Left, c.Quantum, c.Curves, c.Absent = k.Left, k.Quantum, k.Curves, k.Absent
	c.Origin = &run.Origin{
		Frame:      k.ID,
		At:         k.At,
		Instrument: k.Instrument,
		Name:       k.Name,
		Tag:        i.Belongs,
		Kind:       i.Kind,
		Profile:    i.Profile,
		Link:       i.Link,
		Simulated:  k.Status.Simulated(),
		Settings:   k.settings,
		Holder:     k.holder,
	}
	return nil
}

// thin keeps about n samples of a trace.
func thin(trace []signal.Sample, n int) []signal.Sample {
	every := len(trace)/n + 1
	var out []signal.Sample
	for i := 0; i < len(trace); i += every {
		s := trace[i]
		out = append(out, signal.Sample{T: float64(int(s.T*1000)) / 1000, V: float64(int(s.V*1e4)) / 1e4})
	}
	return out
}
