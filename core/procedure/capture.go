package procedure

import (
	"fmt"

	"northneedle/core/signal"
)

// CaptureInput is what a way of capturing needs to turn traces into a reading: the traces by channel,
// in the device's own unit, and how alike readings must be.
type CaptureInput struct {
	Channels  []string // in the procedure's order; the first is the one that counts
	Traces    map[string][]signal.Sample
	Rate      float64 // samples a second
	Reference float64 // what the point should show
	Limit     float64 // how alike or steady, in the device's own unit
	Floor     float64 // the least swing that counts
	Count     int     // breaths or strokes wanted
	Seconds   float64 // window
	With      map[string]float64
}

// Span is how much of the traces is looked at, in seconds.
func (l CaptureInput) Span() float64 {
	return max(60, l.Seconds+5, l.With["settle"]+60*l.With["minutes"]+5, l.With["patience"]+5)
}

// Trace is the trace that counts.
func (l CaptureInput) Trace() []signal.Sample {
	if len(l.Channels) == 0 {
		return nil
	}
	return l.Traces[l.Channels[0]]
}

// Fact is one thing a trace shows, in words for the screen.
type Fact struct {
	Label string `json:"label"`
	Text  string `json:"text"`
}

// LiveReading is what the traces show at a moment.
type LiveReading struct {
	Value   *float64  `json:"value,omitempty"`
	Values  []float64 `json:"-"` // the readings that would be taken now
	Steady  bool      `json:"steady"`
	Why     string    `json:"why"`
	Detail  string    `json:"-"` // kept with the reading
	Facts   []Fact    `json:"facts"`
	Final   *float64  `json:"final,omitempty"`   // where a reading that is still settling is going
	Settles *float64  `json:"settles,omitempty"` // in how many seconds it will be there

	Figures map[string]any `json:"figures,omitempty"` // what else a family shows, each by its name; its widget knows the form
}

// CaptureMethod turns traces into a reading. Params are the names that a procedure may give
// under "with". With RawUnits it looks at traces in the instrument's own unit (a flow to
// make a volume of); otherwise in the unit of the device. With AtRest a reading is taken while nothing
// moves: an instrument that says of itself that it still moves is waited for.
type CaptureMethod struct {
	Params   []string
	RawUnits bool
	AtRest   bool
	Read     func(CaptureInput) LiveReading
}

// Look reads traces that are in the instrument's own unit. factor converts one of them to the device's
// unit; the limits passed in and the reading returned are in the device's unit.
func (c CaptureMethod) Look(in CaptureInput, factor float64) LiveReading {
	if c.RawUnits {
		in.Limit, in.Floor, in.Reference = in.Limit/factor, in.Floor/factor, in.Reference/factor
		live := c.Read(in)
		if live.Value != nil && factor != 1 {
			scaled := *live.Value * factor
			live.Value = &scaled
			for i := range live.Values {
				live.Values[i] *= factor
			}
		}
		return live
	}
	if factor != 1 {
		traces := map[string][]signal.Sample{}
		for channel, trace := range in.Traces {
			traces[channel] = Scaled(trace, factor)
		}
		in.Traces = traces
	}
	return c.Read(in)
}

// Scaled is a trace with every value multiplied.
func Scaled(trace []signal.Sample, factor float64) []signal.Sample {
	if factor == 1 {
		return trace
	}
	out := make([]signal.Sample, len(trace))
	for i, s := range trace {
		out[i] = signal.Sample{T: s.T, V: s.V * factor}
	}
	return out
}

// Say adds a fact.
func (l *LiveReading) Say(label, format string, args ...any) {
	l.Facts = append(l.Facts, Fact{label, fmt.Sprintf(format, args...)})
}
