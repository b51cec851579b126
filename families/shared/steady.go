package shared

import (
	"math"

	"northneedle/core/procedure"
	"northneedle/core/signal"
)

// Steady waits until a reading stands, and says where it is going meanwhile.
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
	if !s.Steady && math.Abs(s.Slope)*seconds > in.Limit {
		predict(&live, trace, in.Limit)
	}
	return live
}

// predictFrom is about how many samples a prediction is made from: more make it no
// better, and it is made several times a second.
const predictFrom = 60

// predict says where a settling trace is going, where a first-order approach fits it.
func predict(l *procedure.LiveReading, trace []signal.Sample, limit float64) {
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
