// Package signal finds readings in traces: what has settled, breaths and their plateaus.
package signal

import (
	"fmt"
	"math"
	"slices"

	"gonum.org/v1/gonum/optimize"
	"gonum.org/v1/gonum/stat"
	"gonum.org/v1/gonum/stat/distuv"
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

// Approach is a first-order approach to a final value: y(t) = Final + Amplitude·exp(−(t − From)/Tau), times in s and values
// in the trace's unit.
type Approach struct {
	Final     float64
	Tau       float64
	Amplitude float64 // at From: what was to go then, with its sign
	From      float64 // time of the first sample
}

// Left is how far the reading still has to go at a time: |y(t) − Final|.
func (a Approach) Left(t float64) float64 {
	return math.Abs(a.Amplitude) * math.Exp(-(t-a.From)/a.Tau)
}

// Within is the time from which on the reading stays within ±band of its final value; From where it is from the start.
// The band is above zero.
func (a Approach) Within(band float64) float64 {
	if math.Abs(a.Amplitude) <= band {
		return a.From
	}
	return a.From + a.Tau*math.Log(math.Abs(a.Amplitude)/band)
}

// FitApproach fits a first-order approach to a trace by least squares. It needs five samples that run forward in time.
func FitApproach(trace []Sample) (Approach, error) {
	a, _, err := approach(trace, 3)
	return a, err
}

// approach fits with time constants up to exp(longest) times the span of the trace. rss is the sum of the squares that
// are left.
func approach(trace []Sample, longest float64) (a Approach, rss float64, err error) {
	if len(trace) < 5 {
		return a, 0, fmt.Errorf("five samples at least are needed to tell where a reading is going, there are %d", len(trace))
	}
	span := trace[len(trace)-1].T - trace[0].T
	if !(span > 0) {
		return a, 0, fmt.Errorf("the trace must run forward in time")
	}
	// For a given tau the model is linear in final and amplitude: search over ln tau alone.
	decay := make([]float64, len(trace))
	longest += math.Log(span)
	cost := func(x []float64) float64 {
		_, _, rss := exponential(trace, math.Exp(math.Min(x[0], longest)), decay)
		return rss
	}
	best, at := math.Inf(1), 0.0
	for k := math.Log(span) - 6; k <= longest; k += 0.25 {
		if c := cost([]float64{k}); c < best {
			best, at = c, k
		}
	}
	result, err := optimize.Minimize(optimize.Problem{Func: cost}, []float64{at},
		&optimize.Settings{Converger: &optimize.FunctionConverge{Absolute: 0, Relative: 1e-14, Iterations: 60}},
		&optimize.NelderMead{SimplexSize: 0.1})
	if err == nil || result != nil {
		at = math.Min(result.X[0], longest)
	}
	a.Tau, a.From = math.Exp(at), trace[0].T
	a.Final, a.Amplitude, rss = exponential(trace, a.Tau, decay)
	if math.IsNaN(a.Final) || math.IsInf(a.Final, 0) {
		return a, rss, fmt.Errorf("the trace does not settle towards any value")
	}
	return a, rss, nil
}

const (
	bins       = 60    // to which a trace is averaged before it is fitted: more make the fit no better
	chance     = 0.001 // that scatter alone looks like an approach, by an F test
	longestFit = 1.1   // ln 3: a time constant beyond three spans cannot be told from a drift
)

// Approaching finds the approach that the end of a trace follows, if it follows any: a trace that only scatters about a
// level goes nowhere, though a fit would extrapolate its noise. The fit begins where the trace moves fastest, which leaves
// out what the instrument showed before the change arrived, and spans at least the last window seconds.
func Approaching(trace []Sample, window float64) (Approach, bool) {
	part := averaged(trace)
	if len(part) < 8 {
		return Approach{}, false
	}
	part = part[fastest(part, window):]
	values := make([]float64, len(part))
	for i, s := range part {
		values[i] = s.V
	}
	a, rss, err := approach(part, longestFit)
	n := float64(len(part))
	if err != nil || n < 6 {
		return Approach{}, false
	}
	level := stat.Variance(values, nil) * (n - 1)
	f := (level - rss) / 2 / (rss / (n - 3))
	return a, level > 0 && distuv.F{D1: 2, D2: n - 3}.Survival(f) < chance
}

// averaged is a trace in bins of the same number of samples; the first may have fewer.
func averaged(trace []Sample) []Sample {
	size := (len(trace) + bins - 1) / bins
	var out []Sample
	for end := len(trace); end > 0; end -= size {
		part := trace[max(0, end-size):end]
		times, values := columns(part)
		out = append(out, Sample{T: stat.Mean(times, nil), V: stat.Mean(values, nil)})
	}
	slices.Reverse(out)
	return out
}

// fastest is where a trace moves most within a twelfth of its length; the last window seconds are behind it.
func fastest(trace []Sample, window float64) (at int) {
	over := max(1, len(trace)/12)
	most, end := 0.0, trace[len(trace)-1].T
	for i := 0; i+over < len(trace) && trace[i].T <= end-window; i++ {
		if moved := math.Abs(trace[i+over].V - trace[i].V); moved > most {
			most, at = moved, i
		}
	}
	return at
}

// exponential is the linear least-squares fit of final + A·exp(−t/tau), t from the first
// sample. It keeps exp(−t/tau) of each sample in decay, which is as long as the trace.
func exponential(trace []Sample, tau float64, decay []float64) (final, amplitude, rss float64) {
	n := float64(len(trace))
	var me, my float64
	for i, p := range trace {
		decay[i] = math.Exp((trace[0].T - p.T) / tau)
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
