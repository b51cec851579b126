package procedure

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"northneedle/core/signal"
)

// CaptureInput is what a way of capturing needs to turn traces into a reading: the traces by channel,
// in the device's own unit, and how alike readings must be.
type CaptureInput struct {
	Channels  []string // in the procedure's order; the first is the one that counts
	Traces    map[string][]signal.Sample
	Rate      float64  // samples a second
	Reference float64  // what the point should show
	Limit     float64  // how alike or steady, in the device's own unit
	Floor     float64  // the least swing that counts
	Tolerance float64  // half of what the point permits, in the device's own unit; 0: it has no limit
	Share     float64  // of the tolerance that a reading may still have to go
	Before    *float64 // what the instrument showed before it was set for this point; nil: that is not known
	Unmoved   float64  // s that a reading is waited for that has not moved since, and should have
	Delay     float64  // s that what is measured takes to the sensor: what comes before is of before
	Count     int      // breaths or strokes wanted
	Seconds   float64  // window
	With      map[string]float64
}

// Span is how much of the traces is looked at, in seconds.
func (l CaptureInput) Span() float64 {
	return l.Delay + max(60, min(10*l.Seconds, l.Seconds+120), l.With["settle"]+60*l.With["minutes"]+5, l.With["patience"]+5, l.With["seconds"]+5)
}

// Near is what a reading may still have to go when it is taken, in the device's own unit.
func (l CaptureInput) Near() float64 {
	if l.Tolerance > 0 {
		return l.Share * l.Tolerance
	}
	return l.Limit
}

// Unchanged reports whether a reading is still what the instrument showed before it was set for this point, though the
// point is further away than its tolerance: what was set may not have reached the sensor yet.
func (l CaptureInput) Unchanged(now float64) bool {
	trace := l.Trace()
	return l.Before != nil && l.Tolerance > 0 && len(trace) > 0 && math.Abs(now-*l.Before) <= l.Limit &&
		math.Abs(l.Reference-*l.Before) > l.Tolerance && trace[len(trace)-1].T-trace[0].T < l.Unmoved
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

// Curve is a drawing that goes with a reading, and onto the certificate: lines over what they have in common.
type Curve struct {
	Title string      `json:"title"`
	X     string      `json:"x"` // what is along the foot, with its unit
	Y     string      `json:"y"`
	At    []float64   `json:"at"` // rising
	Lines []CurveLine `json:"lines"`
}

// CurveLine is a line of a Curve: a value for each place along the foot.
type CurveLine struct {
	Name   string    `json:"name,omitempty"`
	Values []float64 `json:"values"`
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
	Settles *float64  `json:"settles,omitempty"` // in how many seconds it will be near enough
	Quantum float64   `json:"quantum,omitempty"` // what arrives at once, in the unit of the trace: a drop in g
	Left    float64   `json:"left,omitempty"`    // what it still has to go, by a fit of its trace
	Absent  bool      `json:"absent,omitempty"`  // what was waited for did not come
	Curves  []Curve   `json:"-"`                 // kept with the reading

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
// unit; the limits passed in and the reading returned are in the device's unit. A reading that stands and
// still has too far to go is not steady.
func (c CaptureMethod) Look(in CaptureInput, factor float64) LiveReading {
	live := c.inDeviceUnit(in, factor)
	if near := in.Near(); live.Steady && live.Left > near {
		live.Steady = false
		live.Why = fmt.Sprintf("still settling: about %.2g to go, %.2g is near enough", live.Left, near)
	}
	return live
}

// inDeviceUnit reads traces in the unit that the method looks at, and gives the reading in the device's.
func (c CaptureMethod) inDeviceUnit(in CaptureInput, factor float64) LiveReading {
	if c.RawUnits {
		in.Limit, in.Floor, in.Reference = in.Limit/factor, in.Floor/factor, in.Reference/factor
		in.Tolerance /= factor
		live := c.afterDelay(in)
		live.Left *= factor
		for _, v := range []*float64{live.Value, live.Final} {
			if v != nil {
				*v *= factor
			}
		}
		for i := range live.Values {
			live.Values[i] *= factor
		}
		return live
	}
	if factor != 1 {
		traces := map[string][]signal.Sample{}
		for channel, trace := range in.Traces {
			traces[channel] = Scaled(trace, factor)
		}
		in.Traces = traces
		if in.Before != nil {
			before := *in.Before * factor
			in.Before = &before
		}
	}
	return c.afterDelay(in)
}

// afterDelay reads the traces from when what is measured has come to the sensor.
func (c CaptureMethod) afterDelay(in CaptureInput) LiveReading {
	whole := in.Trace()
	if in.Delay <= 0 || len(whole) == 0 {
		return c.Read(in)
	}
	came := whole[0].T + in.Delay
	if wait := came - whole[len(whole)-1].T; wait > 0 {
		live := c.Read(in)
		live.Steady, live.Why = false, fmt.Sprintf("on its way to the sensor: %.0f s more", math.Ceil(wait))
		return live
	}
	traces := map[string][]signal.Sample{}
	for channel, trace := range in.Traces {
		from, _ := slices.BinarySearchFunc(trace, came, func(s signal.Sample, t float64) int { return cmp.Compare(s.T, t) })
		traces[channel] = trace[from:]
	}
	in.Traces = traces
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
