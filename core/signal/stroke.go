package signal

import (
	"fmt"
	"math"
	"slices"
)

// Stroke is one push or pull of a calibration syringe.
type Stroke struct {
	Positive bool     `json:"positive"` // the direction counted as positive
	Volume   float64  `json:"volume"`   // L, always positive
	Peak     float64  `json:"peak"`     // L/s, always positive
	Mean     float64  `json:"mean"`     // L/s over the stroke
	Start    float64  `json:"start"`    // s from the trace's first sample
	Seconds  float64  `json:"seconds"`
	Pause    *float64 `json:"pause"`  // s until the next stroke; none after the last
	Impact   float64  `json:"impact"` // the steepest fall of the flow at its end, as a share of the peak in 20 ms
	Counted  bool     `json:"counted"`
	Why      []string `json:"why"` // why it does not count
}

// Strokes is what a flow trace shows.
type Strokes struct {
	ZeroOffset float64  `json:"zero_offset"` // L/s, mean of the first second, taken off the trace
	Strokes    []Stroke `json:"strokes"`
}

// Technique is what a stroke must keep to, so that it counts. Zero values ask nothing.
type Technique struct {
	Low         float64 `json:"low"`  // mean flow, L/s
	High        float64 `json:"high"` // mean flow, L/s
	Pause       float64 `json:"pause"`
	Impact      float64 `json:"impact"`       // the most the flow may fall in 20 ms at the end, as a share of the peak
	LeastVolume float64 `json:"least_volume"` // L: less is no whole stroke
}

// rest is the flow, in L/s, below which the piston stands.
const rest = 0.02

// moves is the flow, in L/s, that a stroke reaches at least: what stays below it is the sensor's noise, and no stroke.
const moves = 5 * rest

// FindStrokes finds the strokes of a syringe in a flow trace in L/s, sampled at rate
// per second (10 to 1000), at rest for its first second: the mean of that second is
// taken off. A stroke is a stretch of one sign with |flow| ≥ 0.02 L/s that reaches 0.1 L/s; its volume is
// the integral by the trapezoidal rule. ISO 26782.
func FindStrokes(flow []float64, rate float64, want Technique) (Strokes, error) {
	if !(rate >= 10 && rate <= 1000) {
		return Strokes{}, fmt.Errorf("the sample rate must be 10 to 1000 a second, it is %g", rate)
	}
	first := int(rate)
	if len(flow) <= first {
		return Strokes{}, fmt.Errorf("the trace must begin with a second at rest and go on: it has %d samples at %g a second", len(flow), rate)
	}
	zero := 0.0
	for i, v := range flow {
		if math.IsNaN(v) || math.IsInf(v, 0) {
			return Strokes{}, fmt.Errorf("sample %d is not a number", i+1)
		}
		if i < first {
			zero += v / float64(first)
		}
	}
	return Strokes{ZeroOffset: zero, Strokes: find(flow, rate, zero, want)}, nil
}

// StrokesAbout is [FindStrokes] for a stretch cut from a longer trace, about a level of
// rest that is known: a stroke that was under way at its beginning, or still is at its
// end, is left out.
func StrokesAbout(flow []float64, rate, zero float64, want Technique) []Stroke {
	all := find(flow, rate, zero, want)
	if len(flow) == 0 {
		return all
	}
	if len(all) > 0 && math.Abs(flow[0]-zero) >= rest {
		all = all[1:]
	}
	if len(all) > 0 && math.Abs(flow[len(flow)-1]-zero) >= rest {
		all = all[:len(all)-1]
	}
	return all
}

// RestLevel is the zero offset of a flow trace while nothing flows: the median of the samples near
// zero; 0 where there are none.
func RestLevel(flow []float64) float64 {
	var near []float64
	for _, v := range flow {
		if math.Abs(v) < 5*rest {
			near = append(near, v)
		}
	}
	if len(near) == 0 {
		return 0
	}
	slices.Sort(near)
	return near[len(near)/2]
}

func find(flow []float64, rate, zero float64, want Technique) []Stroke {
	var strokes []Stroke
	at := func(i int) float64 { return flow[i] - zero }
	lastEnd := -1
	for i := 0; i < len(flow); {
		if math.Abs(at(i)) < rest {
			i++
			continue
		}
		end, peak := i, math.Abs(at(i))
		for end+1 < len(flow) && math.Abs(at(end+1)) >= rest && at(end+1) > 0 == (at(i) > 0) {
			end++
			peak = math.Max(peak, math.Abs(at(end)))
		}
		if peak < moves {
			i = end + 1
			continue
		}
		if n := len(strokes); n > 0 {
			pause := float64(i-lastEnd-1) / rate
			strokes[n-1].Pause = &pause
		}
		strokes = append(strokes, stroke(at, i, end, len(flow), rate))
		lastEnd, i = end, end+1
	}
	for i := range strokes {
		strokes[i].judge(want, i == len(strokes)-1)
	}
	return strokes
}

// stroke measures the stretch from one sample to another, with the flanks down to rest.
func stroke(at func(int) float64, from, to, n int, rate float64) Stroke {
	s := Stroke{Positive: at(from) > 0, Start: float64(from) / rate, Seconds: float64(to-from+1) / rate}
	sum := 0.0
	for i := max(0, from-1); i < min(n-1, to+1); i++ {
		a, b := at(i), at(i+1)
		if i < from && a > 0 != s.Positive {
			a = 0 // the other direction is the other stroke's
		}
		if i+1 > to && b > 0 != s.Positive {
			b = 0
		}
		sum += (a + b) / 2 / rate
	}
	s.Volume = math.Abs(sum)
	for i := from; i <= to; i++ {
		s.Peak = math.Max(s.Peak, math.Abs(at(i)))
	}
	s.Mean = s.Volume / s.Seconds
	window := max(1, int(rate*0.02))
	for i := max(from, to-int(rate*0.2)); i <= to; i++ {
		after := 0.0
		if j := i + window; j < n && at(j) > 0 == s.Positive {
			after = math.Abs(at(j))
		}
		s.Impact = math.Max(s.Impact, (math.Abs(at(i))-after)/s.Peak)
	}
	return s
}

// judge says whether the stroke counts, and why not. The last stroke has had no pause yet.
func (s *Stroke) judge(want Technique, last bool) {
	say := func(format string, args ...any) { s.Why = append(s.Why, fmt.Sprintf(format, args...)) }
	switch {
	case want.LeastVolume > 0 && s.Volume < want.LeastVolume:
		say("only %.2f L: not a whole stroke", s.Volume)
	case want.Low > 0 && s.Mean < want.Low:
		say("too slow: %.2f L/s, the band is %.2f to %.2f", s.Mean, want.Low, want.High)
	case want.High > 0 && s.Mean > want.High:
		say("too fast: %.2f L/s, the band is %.2f to %.2f", s.Mean, want.Low, want.High)
	}
	if want.Pause > 0 && !last && s.Pause != nil && *s.Pause < want.Pause {
		say("no pause: %.1f s before the next stroke, %.1f s are needed", *s.Pause, want.Pause)
	}
	if want.Impact > 0 && s.Impact > want.Impact {
		say("a bang at the end stop: the flow fell by %.0f %% at once", 100*s.Impact)
	}
	s.Counted = len(s.Why) == 0
	if s.Why == nil {
		s.Why = []string{}
	}
}
