package interval

import (
	"fmt"
	"math"

	"northneedle/core/fit"

	"gonum.org/v1/gonum/stat/distuv"
)

// lastDay is how far ahead a drift is followed: a hundred years.
const lastDay = 36500

// Drift is the line through a course's errors, with the one-sided 95 % prediction bound on either side of it.
type Drift struct {
	line      fit.Line
	t         float64 // Student's quantile
	low, high float64 // limits; infinite on a side without one
	last      float64 // day of the last error
}

// Drift fits it: three errors on different days are needed. ISO 11095; ILAC-G24 / OIML D 10.
func (c Course) Drift() (Drift, error) {
	line, err := fit.LinearRegression(c.Days, c.Errors)
	switch {
	case err != nil:
		return Drift{}, err
	case line.N < 3:
		return Drift{}, fmt.Errorf("three errors as found are needed to see a drift, there are %d", line.N)
	case !(c.High > 0) || !(c.Low < 0):
		return Drift{}, fmt.Errorf("the limits must lie on either side of zero, they are %g and %g", c.Low, c.High)
	}
	return Drift{line: line, t: distuv.StudentsT{Mu: 0, Sigma: 1, Nu: float64(line.N - 2)}.Quantile(0.95),
		low: c.Low, high: c.High, last: c.Days[len(c.Days)-1]}, nil
}

// Share is how much of its limit the bound takes on a day, on the side where it takes more; beyond 1 it is out.
func (d Drift) Share(day float64) float64 {
	reach := d.t * d.line.PredictionSD(day)
	return max((d.line.At(day)+reach)/d.high, (d.line.At(day)-reach)/d.low)
}

// Out is the first whole day since the adjustment, from 0 on, on which the bound is beyond a limit; false where it never
// is within a hundred years. The bound is convex on either side, so that it may be out at first and inside later: then the
// first day counts.
func (d Drift) Out() (day int, ever bool) {
	for day := range lastDay + 1 {
		if d.Share(float64(day)) > 1 {
			return day, true
		}
	}
	return 0, false
}

// Left is how many days are left from a verification, given in days since the adjustment: none where the bound was out by
// then.
func (d Drift) Left(verified float64) (days int, ever bool) {
	out, ever := d.Out()
	return max(0, int(math.Ceil(float64(out)-verified))), ever
}

// DriftTo is the first whole day on which the bound of errors goes beyond an upper limit alone: see [Drift.Out].
func DriftTo(days, errors []float64, limit float64) (int, bool, error) {
	if !(limit > 0) || math.IsInf(limit, 0) {
		return 0, false, fmt.Errorf("the tolerance must be above zero, it is %g", limit)
	}
	d, err := Course{Days: days, Errors: errors, Low: math.Inf(-1), High: limit}.Drift()
	if err != nil {
		return 0, false, err
	}
	day, ever := d.Out()
	return day, ever, nil
}
