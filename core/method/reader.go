package method

import (
	"fmt"
	"math"
	"slices"

	"northneedle/core/signal"
)

// Looking is what a reader needs to turn traces into a reading: the traces by channel,
// in the device's own unit, and how alike readings must be.
type Looking struct {
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
func (l Looking) Span() float64 {
	return max(60, l.Seconds+5, l.With["settle"]+60*l.With["minutes"]+5, l.With["patience"]+5)
}

// trace is the trace that counts.
func (l Looking) trace() []signal.Sample {
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

// Live is what the traces show at a moment.
type Live struct {
	Value   *float64        `json:"value,omitempty"`
	Values  []float64       `json:"-"` // the readings that would be taken now
	Steady  bool            `json:"steady"`
	Why     string          `json:"why"`
	Detail  string          `json:"-"` // kept with the reading
	Facts   []Fact          `json:"facts"`
	Final   *float64        `json:"final,omitempty"`   // where a reading that is still settling is going
	Settles *float64        `json:"settles,omitempty"` // in how many seconds it will be there
	Strokes []signal.Stroke `json:"strokes,omitempty"`
	Trumpet *Trumpet        `json:"trumpet,omitempty"` // of a flow that is weighed
}

// Reader turns traces into a reading. Params are the names that a procedure may give
// under "with". One that is Own looks at traces in the instruments' own units (a flow to
// make a volume of); the others at traces in the unit of the device.
type Reader struct {
	Params []string
	Own    bool
	Read   func(Looking) Live
}

// Look reads traces that are in the instrument's own units, of which factor make one of
// the device's; limits in are the device's, and so is what comes out.
func (r Reader) Look(in Looking, factor float64) Live {
	if r.Own {
		in.Limit, in.Floor, in.Reference = in.Limit/factor, in.Floor/factor, in.Reference/factor
		live := r.Read(in)
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
	return r.Read(in)
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

var readers = map[string]Reader{}

func registerReader(name string, r Reader) { readers[name] = r }

// Readers lists the ways of capturing that a procedure can name.
func Readers() []string {
	names := make([]string, 0, len(readers))
	for name := range readers {
		names = append(names, name)
	}
	slices.Sort(names)
	return names
}

// ReaderOf finds a reader by its name.
func ReaderOf(name string) (Reader, bool) {
	r, ok := readers[name]
	return r, ok
}

func (l *Live) say(label, format string, args ...any) {
	l.Facts = append(l.Facts, Fact{label, fmt.Sprintf(format, args...)})
}

func init() { registerReader("steady", Reader{Read: steady}) }

// steady waits until a reading stands, and says where it is going meanwhile.
func steady(in Looking) Live {
	seconds := in.Seconds
	if seconds == 0 {
		seconds = 5
	}
	trace := in.trace()
	s := signal.Steady(trace, seconds, in.Limit)
	live := Live{Steady: s.Steady, Why: s.Why, Detail: s.Why}
	if len(trace) == 0 {
		return live
	}
	live.Value, live.Values = &s.Mean, []float64{s.Mean}
	if !s.Steady && math.Abs(s.Slope)*seconds > in.Limit {
		live.predict(trace, in.Limit)
	}
	return live
}

// predictFrom is about how many samples a prediction is made from: more make it no
// better, and it is made several times a second.
const predictFrom = 60

// predict says where a settling trace is going, where a first-order approach fits it.
func (l *Live) predict(trace []signal.Sample, limit float64) {
	every := len(trace)/predictFrom + 1
	var shifted []signal.Sample
	for i := (len(trace) - 1) % every; i < len(trace); i += every { // the last one always
		shifted = append(shifted, signal.Sample{T: trace[i].T - trace[0].T, V: trace[i].V})
	}
	s, err := signal.Settle(shifted, limit)
	left := s.TimeToBand - shifted[len(shifted)-1].T
	if err == nil && left > 0 && left < 600 {
		l.Final, l.Settles = &s.Final, &left
	}
}
