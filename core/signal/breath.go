package signal

import (
	"math"
	"slices"

	"gonum.org/v1/gonum/stat"
)

// Breath is one rise and fall of a capnogram.
type Breath struct {
	Start   float64 `json:"start"`   // time of the rising half-way crossing, s
	End     float64 `json:"end"`     // time of the falling half-way crossing, s
	Plateau float64 `json:"plateau"` // end-tidal value: median of the last quarter of the plateau
	Rise    float64 `json:"rise"`    // 10–90 % rise time, s
}

// Capnogram is what a carbon dioxide trace shows.
type Capnogram struct {
	Breaths []Breath `json:"breaths"`
	Plateau float64  `json:"plateau"` // mean end-tidal value of the last n breaths
	Scatter float64  `json:"scatter"` // standard deviation of those
	Rate    float64  `json:"rate"`    // breaths per minute, from those
	Rise    float64  `json:"rise"`    // median rise time of those, s
	Base    float64  `json:"base"`    // level between breaths
	Steady  bool     `json:"steady"`
	Why     string   `json:"why"`
}

// Breaths finds the breaths in a capnogram and summarises the last n whole ones.
// It is steady when there are n and their plateaus differ by no more than limit
// (in the trace's unit) from first to last and about their mean. A trace whose
// swing is below floor has no breaths. A breath is a crossing of the half-way
// level between the trace's 5th and 95th percentiles, upwards and down again.
func Breaths(trace []Sample, n int, limit, floor float64) Capnogram {
	var c Capnogram
	if len(trace) < 10 {
		c.Why = "no trace yet"
		return c
	}
	low, high := percentile(trace, 0.05), percentile(trace, 0.95)
	c.Base = low
	if high-low < floor {
		c.Why = "no breath seen: the trace stays level"
		return c
	}
	c.Breaths = crossings(trace, low, high)
	if len(c.Breaths) == 0 {
		c.Why = "waiting for the first whole breath"
		return c
	}
	c.summarise(n, limit)
	return c
}

func (c *Capnogram) summarise(n int, limit float64) {
	last := c.Breaths[max(0, len(c.Breaths)-n):]
	rises, plateaus := make([]float64, len(last)), make([]float64, len(last))
	for i, b := range last {
		rises[i], plateaus[i] = b.Rise, b.Plateau
	}
	lowest, highest := slices.Min(plateaus), slices.Max(plateaus)
	c.Plateau = stat.Mean(plateaus, nil)
	slices.Sort(rises)
	c.Rise = rises[len(rises)/2]
	if len(last) > 1 {
		c.Scatter = stat.StdDev(plateaus, nil)
		if span := last[len(last)-1].Start - last[0].Start; span > 0 {
			c.Rate = 60 * float64(len(last)-1) / span
		}
	}
	switch {
	case len(last) < n:
		c.Why = "collecting breaths"
	case highest-lowest > limit:
		c.Why = "the last breaths are not alike yet"
	default:
		c.Steady, c.Why = true, "the last breaths are alike"
	}
}

// Plateaus are the end-tidal values of the last n breaths, oldest first.
func (c Capnogram) Plateaus(n int) []float64 {
	var values []float64
	for _, b := range c.Breaths[max(0, len(c.Breaths)-n):] {
		values = append(values, b.Plateau)
	}
	return values
}

// Rates are the breath-by-breath rates per minute over the last n intervals, oldest first.
func (c Capnogram) Rates(n int) []float64 {
	var values []float64
	for i := max(1, len(c.Breaths)-n); i < len(c.Breaths); i++ {
		if gap := c.Breaths[i].Start - c.Breaths[i-1].Start; gap > 0 {
			values = append(values, 60/gap)
		}
	}
	return values
}

// crossings finds whole breaths, with a tenth of the swing as hysteresis against noise.
func crossings(trace []Sample, low, high float64) []Breath {
	half, slack := (low+high)/2, (high-low)/10
	var breaths []Breath
	rising, inside := -1, trace[0].V > half
	for i := 1; i < len(trace); i++ {
		switch {
		case !inside && trace[i].V > half+slack:
			inside, rising = true, i
		case inside && trace[i].V < half-slack:
			inside = false
			if rising >= 0 {
				breaths = append(breaths, measure(trace, rising, i, low))
			}
		}
	}
	return breaths
}

func measure(trace []Sample, from, to int, low float64) Breath {
	// The plateau ends where the fall begins: step back from the crossing to the last value near the top.
	top := percentile(trace[from:to], 0.9)
	end := to - 1
	for end > from && trace[end].V < low+0.95*(top-low) {
		end--
	}
	part := trace[end-(end-from)/4 : end+1]
	plateau := percentile(part, 0.5)
	begin := from
	for begin > 0 && trace[begin].V > low+0.1*(plateau-low) {
		begin--
	}
	full := from
	for full < end && trace[full].V < low+0.9*(plateau-low) {
		full++
	}
	t10 := level(trace, begin, low+0.1*(plateau-low))
	t90 := level(trace, full-1, low+0.9*(plateau-low))
	half := low + 0.5*(plateau-low)
	return Breath{
		Start:   level(trace, crossing(trace, from, half), half),
		End:     trace[to].T,
		Plateau: plateau,
		Rise:    math.Max(0, t90-t10),
	}
}

// crossing steps back from sample i to the last one at or below a value.
func crossing(trace []Sample, i int, value float64) int {
	for i > 0 && trace[i].V > value {
		i--
	}
	return i
}

// level interpolates the time at which the trace crosses a value between samples i and i+1.
func level(trace []Sample, i int, value float64) float64 {
	i = max(0, min(i, len(trace)-2))
	a, b := trace[i], trace[i+1]
	if a.V == b.V {
		return a.T
	}
	return a.T + math.Max(0, math.Min(1, (value-a.V)/(b.V-a.V)))*(b.T-a.T)
}

func percentile(trace []Sample, p float64) float64 {
	values := make([]float64, len(trace))
	for i, s := range trace {
		values[i] = s.V
	}
	slices.Sort(values)
	return values[int(p*float64(len(values)-1)+0.5)]
}
