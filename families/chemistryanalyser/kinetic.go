package chemistryanalyser

import (
	"fmt"
	"math"

	"northneedle/core/signal"

	"gonum.org/v1/gonum/stat"
)

type sample = signal.Sample

// ReactionSpeed is the speed of a reaction, in absorbance per minute: over the whole of a trace, and over its halves.
type ReactionSpeed struct{ PerMinute, First, Second float64 }

// bentShare is how much slower the second half may be than the first, as a share of the speed.
const bentShare = 0.1

// Bends reports whether the reaction slows down or speeds up: no longer of zeroth order.
func (s ReactionSpeed) Bends() bool {
	return math.Abs(s.Second-s.First) > bentShare*math.Abs(s.PerMinute)
}

// Speed is the slope of a trace of absorbance (times in s) by least squares, in 1/min. It needs ten samples at least.
func Speed(trace []signal.Sample) (ReactionSpeed, error) {
	if len(trace) < 10 {
		return ReactionSpeed{}, fmt.Errorf("%d samples make no slope: ten at least", len(trace))
	}
	slope := func(part []signal.Sample) float64 {
		x, y := make([]float64, len(part)), make([]float64, len(part))
		for i, s := range part {
			x[i], y[i] = (s.T-part[0].T)/60, s.V
		}
		_, b := stat.LinearRegression(x, y, nil, false)
		return b
	}
	half := len(trace) / 2
	return ReactionSpeed{slope(trace), slope(trace[:half]), slope(trace[half:])}, nil
}
