package signal

import (
	"math"

	"gonum.org/v1/gonum/stat"
)

// Trigger is how breaths are found in a ventilator's flow. All flows are in L/min, the
// delay in seconds.
type Trigger struct {
	Start float64 // inspiration begins above it …
	Delay float64 // … once it has lasted so long
	End   float64 // and ends, a pause included, when gas flows back: below it, which is negative
	Bias  float64 // continuous flow through the circuit, taken off first
}

// Ventilated is one whole breath of a ventilator, from the start of one inspiration to
// the next.
type Ventilated struct {
	Start      float64 `json:"start"`      // s
	Ti         float64 `json:"ti"`         // inspiration with its pause, s
	Pause      float64 `json:"pause"`      // time without flow at the end of inspiration, s
	Te         float64 `json:"te"`         // expiration, s
	VTi        float64 `json:"vti"`        // inspired, mL
	VTe        float64 `json:"vte"`        // expired, mL
	Peak       float64 `json:"peak"`       // highest pressure, cmH2O
	Plateau    float64 `json:"plateau"`    // pressure in the last half of the pause, cmH2O; 0 where there is none
	PEEP       float64 `json:"peep"`       // pressure at the end of expiration, cmH2O
	Mean       float64 `json:"mean"`       // pressure over the breath, cmH2O
	PeakFlow   float64 `json:"peakflow"`   // L/min
	Rate       float64 `json:"rate"`       // per minute
	Ratio      float64 `json:"ratio"`      // expiration for one of inspiration
	Compliance float64 `json:"compliance"` // static; 0 without a pause
	Leak       float64 `json:"leak"`       // share of the inspired volume that did not come back, percent
}

// endStretch is how much of an expiration's end its pressure is taken from, in s.
const endStretch = 0.1

// still is the flow below which gas stands, in L/min, and shortest how long it stands at least in what is a pause, in s.
const still, shortest = 0.5, 0.025

// Ventilation finds the whole breaths in traces of flow (L/min, into the patient
// positive) and pressure (cmH2O) against time. Volumes are integrals of the flow by the
// trapezoidal rule, less the bias; a pause belongs to the inspiration; compliance is inspired volume per pressure from the
// end of expiration to the plateau in the pause (mL/cmH2O). Definitions as in ISO 19223 and ISO 80601-2-12.
func Ventilation(flow, pressure []Sample, trigger Trigger) []Ventilated {
	starts, ends := trigger.find(flow)
	var breaths []Ventilated
	for i := 0; i+1 < len(starts) && i < len(ends); i++ {
		breaths = append(breaths, trigger.measure(flow, pressure, starts[i], ends[i], starts[i+1]))
	}
	return breaths
}

// find gives the samples at which inspirations start and end, by turns. One that was
// under way when the trace began is left out.
func (t Trigger) find(flow []Sample) (starts, ends []int) {
	inside, since := len(flow) > 0 && flow[0].V-t.Bias > t.Start, -1
	blind := inside // the first inspiration was not seen from its start
	for i, s := range flow {
		v := s.V - t.Bias
		switch {
		case !inside && v > t.Start:
			if since < 0 {
				since = i
			}
			if s.T-flow[since].T >= t.Delay {
				inside = true
				starts = append(starts, since)
				since = -1
			}
		case !inside:
			since = -1
		case v < t.End:
			inside = false
			if !blind {
				ends = append(ends, i)
			}
			blind = false
		}
	}
	return starts, ends
}

// onsetSeconds is the longest that a flow takes to rise to the threshold.
const onsetSeconds = 0.1

// onset steps back from the sample that passed the threshold to where the flow began.
func (t Trigger) onset(flow []Sample, from int) int {
	i := from
	for i > 0 && flow[i-1].V-t.Bias > 0 && flow[i-1].V < flow[i].V && flow[from].T-flow[i-1].T < onsetSeconds {
		i--
	}
	return i
}

func (t Trigger) measure(flow, pressure []Sample, start, end, next int) Ventilated {
	b := Ventilated{Start: flow[start].T, Ti: flow[end].T - flow[start].T, Te: flow[next].T - flow[end].T}
	b.VTi, b.VTe = t.volume(flow[max(0, t.onset(flow, start)-1):end+1], 1), t.volume(flow[max(0, end-1):next+1], -1)
	for _, s := range flow[start:end] {
		b.PeakFlow = math.Max(b.PeakFlow, s.V)
	}
	whole := between(pressure, flow[start].T, flow[next].T)
	b.Peak = math.Inf(-1)
	for _, s := range whole {
		b.Peak = math.Max(b.Peak, s.V)
	}
	b.Mean = average(whole)
	if len(whole) == 0 {
		b.Peak = 0
	}
	b.PEEP = average(between(pressure, flow[next].T-endStretch, flow[next].T-0.01))
	if from, to := t.pause(flow[start:end]); to-from >= shortest {
		b.Pause, b.Plateau = to-from, average(between(pressure, (from+to)/2, to))
	}
	if whole := b.Ti + b.Te; whole > 0 {
		b.Rate = 60 / whole
	}
	if b.Ti > 0 {
		b.Ratio = b.Te / b.Ti
	}
	if rise := b.Plateau - b.PEEP; b.Pause > 0 && rise > 0 {
		b.Compliance = b.VTi / rise
	}
	if b.VTi > 0 {
		b.Leak = 100 * (b.VTi - b.VTe) / b.VTi
	}
	return b
}

// pause is when gas last stood still within an inspiration, from and to in s.
func (t Trigger) pause(inspiration []Sample) (from, to float64) {
	last := len(inspiration) - 1
	for last > 0 && math.Abs(inspiration[last].V-t.Bias) >= still { // it ends on its way to expiration
		last--
	}
	first := last
	for first > 0 && math.Abs(inspiration[first-1].V-t.Bias) < still {
		first--
	}
	if first == 0 || last <= first {
		return 0, 0
	}
	return inspiration[first].T, inspiration[last].T
}

// volume is the integral in mL of the flow of one sign, up to where it crosses zero.
func (t Trigger) volume(flow []Sample, sign float64) float64 {
	sum := 0.0
	for i := 1; i < len(flow); i++ {
		a, b, dt := sign*(flow[i-1].V-t.Bias), sign*(flow[i].V-t.Bias), flow[i].T-flow[i-1].T
		switch {
		case a >= 0 && b >= 0:
			sum += (a + b) / 2 * dt
		case a > 0:
			sum += a * a / (a - b) / 2 * dt
		case b > 0:
			sum += b * b / (b - a) / 2 * dt
		}
	}
	return sum / 60 * 1000
}

func between(trace []Sample, from, to float64) []Sample {
	low := 0
	for low < len(trace) && trace[low].T < from-1e-9 {
		low++
	}
	high := low
	for high < len(trace) && trace[high].T <= to+1e-9 {
		high++
	}
	return trace[low:high]
}

// average is the mean value of a trace; 0 of an empty one.
func average(trace []Sample) float64 {
	if len(trace) == 0 {
		return 0
	}
	_, values := columns(trace)
	return stat.Mean(values, nil)
}

// columns are the times and the values of a trace.
func columns(trace []Sample) (times, values []float64) {
	times, values = make([]float64, len(trace)), make([]float64, len(trace))
	for i, s := range trace {
		times[i], values[i] = s.T, s.V
	}
	return times, values
}
