package shared

import (
	"northneedle/core/procedure"
	"northneedle/core/signal"
)

// Steady waits until a reading stands, and says where it is going and how far it still has to go.
func Steady(in procedure.CaptureInput) procedure.LiveReading {
	seconds := in.Seconds
	if seconds == 0 {
		seconds = 5
	}
	trace := in.Trace()
	s := signal.Steady(trace, seconds, in.Limit)
	live := procedure.LiveReading{Steady: s.Steady, Why: s.Why, Detail: s.Why}
	if len(trace) == 0 {
		return live
	}
	live.Value, live.Values = &s.Mean, []float64{s.Mean}
	if in.Unchanged(s.Mean) && live.Steady {
		live.Steady, live.Why = false, "it still shows what it did before: has what was set reached it?"
	}
	if a, goes := signal.Approaching(trace, seconds); goes {
		arrive(&live, a, trace[len(trace)-1].T, in)
	}
	return live
}

// foreseen is how many seconds ahead an arrival is foretold at most.
const foreseen = 600

// arrive says of a reading that follows an approach what it still has to go at a time, where it is going, and when it will
// be near enough.
func arrive(live *procedure.LiveReading, a signal.Approach, now float64, in procedure.CaptureInput) {
	live.Left = a.Left(now)
	if wait := a.Within(in.Near()) - now; wait > 0 && wait < foreseen {
		live.Final, live.Settles = &a.Final, &wait
	}
}
