// Package signal finds readings in traces: what has settled, breaths and their plateaus.
package signal

import (
	"fmt"
	"math"

	"gonum.org/v1/gonum/optimize"
	"gonum.org/v1/gonum/stat"
)

// Sample is one value of a trace at a time in seconds from any fixed origin.
type Sample struct {
	T float64 `json:"t"`
	V float64 `json:"v"`
}

// Steadiness says whether a stretch of trace has settled.
type Steadiness struct {
	Steady  bool    `json:"steady"`
	Mean    float64 `json:"mean"`
	Slope   float64 `json:"slope"`   // per second, least squares over the window
	Scatter float64 `json:"scatter"` // standard deviation about that line
	Why     string  `json:"why"`
}

// Steady judges the last window seconds of a trace: the change over the window by
// its slope, and the scatter about it, must both be at most limit, in the trace's
// unit. The window must be covered by at least five samples.
func Steady(trace []Sample, window, limit float64) Steadiness {
	if len(trace) == 0 {
		return Steadiness{Why: "no reading yet"}
	}
	end := trace[len(trace)-1].T
	from := len(trace)
	for from > 0 && trace[from-1].T >= end-window {
		from--
	}
	part := trace[from:]
	s := line(part)
	if len(part) < 5 || end-trace[0].T < 0.95*window {
		s.Why = "still watching: too little of the trace so far"
		return s
	}
	switch {
	case math.Abs(s.Slope)*window > limit:
		s.Why = "still settling"
	case s.Scatter > limit:
		s.Why = "not steady: the reading scatters"
	default:
		s.Steady, s.Why = true, "the reading stands"
	}
	return s
}

func line(part []Sample) (s Steadiness) {
	if len(part) == 0 {
		return s
	}
	times, values := columns(part)
	s.Mean = stat.Mean(values, nil)
	at, slope := s.Mean, 0.0
	if times[0] < times[len(times)-1] {
		at, slope = stat.LinearRegression(times, values, nil, false)
	}
	s.Slope = slope
	if n := float64(len(part)); n > 2 {
		rss := 0.0
		for i, t := range times {
			rss += math.Pow(values[i]-at-slope*t, 2)
		}
		s.Scatter = math.Sqrt(rss / (n - 2))
	}
	return s
}

// Settling is a first-order approach to a final value: y(t) = Final + A·exp(−t/Tau).
type Settling struct {
	Final      float64 `json:"final"`
	Tau        float64 `json:"tau_s"`
	TimeToBand float64 `json:"time_to_band_s"` // from t = 0; 0 where it is within from the start
}

// Settle fits a first-order approach to a trace by least squares and predicts when
// it stays within ±band of its final value. It needs five samples that move.
func Settle(trace []Sample, band float64) (Settling, error) {
	if len(trace) < 5 {
		return Settling{}, fmt.Errorf("five samples at least are needed to predict where a reading settles, there are %d", len(trace))
	}
	if !(band > 0) {
		return Settling{}, fmt.Errorf("the band must be above zero, it is %g", band)
	}
	span := trace[len(trace)-1].T - trace[0].T
	if !(span > 0) {
		return Settling{}, fmt.Errorf("the trace must run forward in time")
	}
	// For a given tau the model is linear in final and A: search over ln tau alone.
	decay := make([]float64, len(trace))
	cost := func(x []float64) float64 { _, _, rss := exponential(trace, math.Exp(x[0]), decay); return rss }
	best, at := math.Inf(1), 0.0
	for k := -6.0; k <= 3; k += 0.25 {
		if c := cost([]float64{math.Log(span) + k}); c < best {
			best, at = c, math.Log(span)+k
		}
	}
	result, err := optimize.Minimize(optimize.Problem{Func: cost}, []float64{at},
		&optimize.Settings{Converger: &optimize.FunctionConverge{Absolute: 0, Relative: 1e-14, Iterations: 60}},
		&optimize.NelderMead{SimplexSize: 0.1})
	if err == nil || result != nil {
		at = result.X[0]
	}
	tau := math.Exp(at)
	final, amplitude, _ := exponential(trace, tau, decay)
	if math.IsNaN(final) || math.IsInf(final, 0) {
		return Settling{}, fmt.Errorf("the trace does not settle towards any value")
	}
	s := Settling{Final: final, Tau: tau}
	if math.Abs(amplitude) > band {
		s.TimeToBand = tau * math.Log(math.Abs(amplitude)/band)
	}
	return s, nil
}

// exponential is the linear least-squares fit of final + A·exp(−t/tau). It keeps exp(−t/tau) of each
// sample in decay, which is as long as the trace.
func exponential(trace []Sample, tau float64, decay []float64) (final, amplitude, rss float64) {
	n := float64(len(trace))
	var me, my float64
	for i, p := range trace {
		decay[i] = math.Exp(-p.T / tau)
		me += decay[i] / n
		my += p.V / n
	}
	var see, sey float64
	for i, p := range trace {
		e := decay[i] - me
		see += e * e
		sey += e * (p.V - my)
	}
	if see > 0 {
		amplitude = sey / see
	}
	final = my - amplitude*me
	for i, p := range trace {
		r := p.V - final - amplitude*decay[i]
		rss += r * r
	}
	return final, amplitude, rss
}
