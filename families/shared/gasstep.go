package shared

import (
	"fmt"
	"math"
	"slices"

	"northneedle/core/procedure"
	"northneedle/core/signal"
)

// GasStep waits until a gas fraction stands, and times how it got there.
func GasStep(in procedure.CaptureInput) procedure.LiveReading {
	live := Steady(in)
	if lost(in, live.Value) {
		live.Steady, live.Why = false, "it was at the gas, and has left it: cylinder empty?"
	}
	if seconds, ok := response(in.Trace()); ok && live.Steady {
		live.Say("response 10 to 90 %", "%.1f s", seconds)
		live.Detail = fmt.Sprintf("response from 10 to 90 %% in %.1f s", seconds)
	}
	return live
}

// lost reports whether a reading is far from what the point should show, and was there before.
func lost(in procedure.CaptureInput, now *float64) bool {
	if now == nil || in.Tolerance <= 0 || math.Abs(*now-in.Reference) < 3*in.Tolerance {
		return false
	}
	return slices.ContainsFunc(in.Trace(), func(s signal.Sample) bool {
		return math.Abs(s.V-in.Reference) < in.Tolerance && s.T < in.Trace()[len(in.Trace())-1].T-2
	})
}

// response is the time from 10 to 90 % of the change that a trace shows from its
// beginning to its end, in s; false where it hardly changes.
func response(trace []signal.Sample) (float64, bool) {
	if len(trace) < 10 {
		return 0, false
	}
	from, to := trace[0].V, trace[len(trace)-1].V
	if math.Abs(to-from) < 0.5 {
		return 0, false
	}
	passed := func(share float64) float64 {
		for _, s := range trace {
			if (s.V-from)/(to-from) >= share {
				return s.T
			}
		}
		return trace[len(trace)-1].T
	}
	return passed(0.9) - passed(0.1), true
}
