package interval

import (
	"fmt"
	"math"
)

// Record is one verification of a device of a model: how long after the one before,
// and whether it was found in tolerance.
type Record struct {
	Days        float64 `json:"interval_days"`
	InTolerance bool    `json:"in_tolerance"`
}

// Reliability is the exponential survival fitted to a model's records.
type Reliability struct {
	Theta float64 // mean time to out of tolerance, days
	Days  float64 // the interval that keeps the target share in tolerance at its end
}

// Reliable fits P(in tolerance after t) = exp(−t/θ) by maximum likelihood and gives
// the interval for a target share (above 0, below 1). It needs a record found in and
// one found out of tolerance: without either, no θ is the likeliest.
// NCSLI RP-1; ILAC-G24 / OIML D 10.
func Reliable(records []Record, target float64) (Reliability, error) {
	if !(target > 0 && target < 1) {
		return Reliability{}, fmt.Errorf("the target share must lie between 0 and 1, it is %g", target)
	}
	in, out := 0, 0
	for i, r := range records {
		if !(r.Days > 0) || math.IsInf(r.Days, 0) {
			return Reliability{}, fmt.Errorf("record %d: the interval must be above zero, it is %g days", i+1, r.Days)
		}
		if r.InTolerance {
			in++
		} else {
			out++
		}
	}
	if in == 0 || out == 0 {
		return Reliability{}, fmt.Errorf("%d records in tolerance and %d out: both kinds are needed to fit a reliability", in, out)
	}
	// The slope of the log-likelihood in the rate 1/θ falls from +∞ to −Σt: bisect.
	slope := func(rate float64) (s float64) {
		for _, r := range records {
			if r.InTolerance {
				s -= r.Days
			} else {
				s += r.Days / math.Expm1(r.Days*rate)
			}
		}
		return s
	}
	low, high := 1e-12, 1.0
	for slope(high) > 0 && high < 1e12 {
		high *= 2
	}
	for range 200 {
		if mid := math.Sqrt(low * high); slope(mid) > 0 {
			low = mid
		} else {
			high = mid
		}
	}
	theta := 1 / math.Sqrt(low*high)
	return Reliability{Theta: theta, Days: -theta * math.Log(target)}, nil
}
