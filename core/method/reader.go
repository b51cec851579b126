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
}

// Reader turns traces into a reading. Params are the names that a procedure may give
// under "with".
type Reader struct {
	Params []string
	Read   func(Looking) Live
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

// predict says where a settling trace is going, where a first-order approach fits it.
func (l *Live) predict(trace []signal.Sample, limit float64) {
	shifted := make([]signal.Sample, len(trace))
	for i, s := range trace {
		shifted[i] = signal.Sample{T: s.T - trace[0].T, V: s.V}
	}
	s, err := signal.Settle(shifted, limit)
	left := s.TimeToBand - shifted[len(shifted)-1].T
	if err == nil && left > 0 && left < 600 {
		l.Final, l.Settles = &s.Final, &left
	}
}
