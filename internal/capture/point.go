package capture

import (
	"context"
	"fmt"
	"northneedle/core/procedure"
	"northneedle/core/quantity"
	"northneedle/core/run"
	"strings"
	"time"
)

// Point is one point of a run being read over a link.
type Point struct {
	driver   *Driver
	source   Instrument
	key      pointKey
	tag      string // of the device
	who      string // id of who looks
	capture  *procedure.Capture
	input    procedure.CaptureInput
	factor   float64            // the device's unit for one of the measure's
	scale    map[string]float64 // the measure's unit for one of the instrument's, by channel
	since    map[string]int     // samples seen, by channel
	settings map[string]string  // that the point needs
	recorded map[string]string  // settings that the run recorded as they were read off the instrument
	stretch  string             // of trace
	move     string             // what the hand must move first
}

// pointKey names a point of a run.
type pointKey struct{ run, measure, point string }

// Watch returns what reads a point for a person, without touching its instrument.
func (d *Driver) Watch(r run.Run, measure, point, who string) (*Point, error) {
	m, p, limit, err := r.CaptureOf(measure, point)
	if err != nil {
		return nil, err
	}
	source, err := d.For(r, m)
	if err != nil {
		return nil, err
	}
	e, err := r.Expect(m, p)
	if err != nil {
		return nil, err
	}
	w := &Point{
		driver:   d,
		source:   source,
		key:      pointKey{r.ID, m.ID, p.ID},
		tag:      r.Device.Tag,
		who:      who,
		capture:  m.Capture,
		factor:   1,
		scale:    map[string]float64{},
		since:    map[string]int{},
		settings: map[string]string{"device": r.Device.Tag},
		stretch:  r.TraceOf(m),
		move:     r.ToMove(p),
	}
	w.recorded = r.ReadBack()
	for name, value := range p.Drive {
		for role, bound := range r.Bound {
			value = strings.ReplaceAll(value, "{"+role+"}", bound.Standard.Tag)
		}
		for field, choice := range r.Choices {
			value = strings.ReplaceAll(value, "{"+field+"}", choice)
		}
		w.settings[name] = value
	}
	if one, err := quantity.Convert(1, m.Unit, e.Unit); err == nil {
		w.factor = one
	} else if m.Capture.Limit > 0 {
		w.factor = limit / m.Capture.Limit
	}
	channels := append([]string{m.Capture.Channel}, m.Capture.Also...)
	for _, channel := range channels {
		if w.scale[channel], err = scaleOf(source, channel, m); err != nil {
			return nil, err
		}
	}
	with := map[string]float64{}
	for _, all := range []map[string]float64{m.Capture.With, p.With} {
		for name, value := range all {
			with[name] = value
		}
	}
	w.input = procedure.CaptureInput{
		Channels:  channels,
		Rate:      source.Rate(m.Capture.Channel),
		Reference: e.Reference,
		Limit:     limit,
		Floor:     m.Capture.Floor * w.factor,
		Count:     m.Capture.Breaths,
		Seconds:   m.Capture.Seconds,
		Tolerance: e.Tolerance(),
		Share:     m.Capture.Share,
		Unmoved:   m.Capture.Unmoved,
		Delay:     source.Delay(m.Capture.Channel).Seconds(),
		With:      with,
	}
	return w, nil
}

// scaleOf turns a channel's unit into the one that the measure takes it in.
func scaleOf(source Instrument, channel string, m *procedure.Measure) (float64, error) {
	unit, ok := source.Unit(channel)
	if !ok {
		return 0, noInstrument("%s gives no %s: type what it shows.", source.Name, strings.ToLower(channel))
	}
	wanted := m.Capture.In[channel]
	if wanted == "" {
		wanted = m.Unit
	}
	if unit == "" || unit == wanted {
		return 1, nil
	}
	one, err := quantity.Convert(1, unit, wanted)
	zero, err2 := quantity.Convert(0, unit, wanted)
	if err != nil || err2 != nil || zero != 0 {
		return 0, noInstrument("%s gives %s in %s, and %s is read in %s: type what it shows.", source.Name,
			strings.ToLower(channel), quantity.ShowUnit(unit), m.Title, quantity.ShowUnit(wanted))
	}
	return one, nil
}

// drive sends the point's settings to the instrument.
func (w *Point) drive(ctx context.Context) error {
	// Also where it is set already: a point of another channel may be read at one setting.
	if err := w.source.Listen(ctx, w.input.Channels...); err != nil {
		return fmt.Errorf("the instrument does not send: %w", err)
	}
	settings := w.settled()
	if w.source.Settled(settings) && w.source.Differs(w.settings) == "" {
		return nil
	}
	byHand, err := w.source.Set(ctx, w.settings, func() { w.source.Settle(settings) })
	if err != nil {
		w.source.Settle("") // it is not known how it is set
		return fmt.Errorf("the instrument was not set: %w", err)
	}
	var left []string
	for _, name := range byHand {
		if name != "device" { // a real one has one device connected, and need not be told which
			left = append(left, name+" "+w.settings[name])
		}
	}
	w.driver.mutex.Lock()
	w.driver.byHand[w.source.ID] = left
	w.driver.mutex.Unlock()
	return nil
}

// settled names what the instrument is set to for the point, and the stretch of its trace.
func (w *Point) settled() string { return fmt.Sprint(w.settings) + "\n" + w.stretch }

// GoOn goes on with the traces where another look at the same link was; nil is none.
func (w *Point) GoOn(before *Point) {
	if before != nil && before.source.ID == w.source.ID {
		w.since = before.since
	}
}

// Span is how long the point watches its traces.
func (w *Point) Span() time.Duration {
	return time.Duration(w.input.Span() * float64(time.Second))
}
