package signal_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"northneedle/core/signal"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// capnogram makes breaths of a level at a rate, through a first-order lag, sampled at 25 Hz.
func capnogram(level, perMinute, lag, noise, seconds float64) []signal.Sample {
	r := rand.New(rand.NewPCG(1, 2))
	var trace []signal.Sample
	value, phase := 0.0, 0.0
	for t := 0.0; t < seconds; t += 0.04 {
		phase = math.Mod(t*perMinute/60, 1)
		at := 0.0
		if phase < 0.5 {
			at = level
		}
		value += (at - value) * (1 - math.Exp(-0.04/lag))
		trace = append(trace, signal.Sample{T: t, V: value + noise*r.NormFloat64()})
	}
	return trace
}

func TestBreaths(t *testing.T) {
	for _, c := range []struct{ level, rate, lag float64 }{{5.02, 12, 0.16}, {10.04, 12, 0.2}, {5, 30, 0.12},
		{38, 6, 0.3}} {
		s := signal.Breaths(capnogram(c.level, c.rate, c.lag, 0.004*c.level/5, 55), 5, 0.02*c.level, 0.1*c.level)
		require.True(t, s.Steady, s.Why)
		assert.InEpsilon(t, c.level, s.Plateau, 0.003)
		assert.InDelta(t, c.rate, s.Rate, 0.1)
		assert.InDelta(t, 2.197*c.lag, s.Rise, 0.06, "a first-order lag rises from 10 to 90 %% in ln 9 time constants")
		assert.Len(t, s.Plateaus(5), 5)
	}
}

func TestBreathsSayWhatIsMissing(t *testing.T) {
	assert.Contains(t, signal.Breaths(nil, 5, 0.1, 0.5).Why, "no trace")
	assert.Contains(t, signal.Breaths(capnogram(0.04, 12, 0.2, 0.004, 30), 5, 0.1, 0.5).Why, "no breath")
	assert.Contains(t, signal.Breaths(capnogram(5, 12, 0.2, 0.004, 12), 5, 0.1, 0.5).Why, "collecting")
	falling := capnogram(5, 12, 0.2, 0.004, 40)
	for i := range falling {
		falling[i].V *= 1 - falling[i].T/80
	}
	s := signal.Breaths(falling, 5, 0.1, 0.5)
	assert.False(t, s.Steady)
	assert.Contains(t, s.Why, "not alike")
}

func TestSteady(t *testing.T) {
	flat := capnogram(0.04, 12, 0.2, 0.004, 8)
	assert.True(t, signal.Steady(flat, 5, 0.05).Steady)
	ramp := capnogram(0, 12, 0.2, 0, 8)
	for i := range ramp {
		ramp[i].V += 0.1 * ramp[i].T
	}
	assert.Contains(t, signal.Steady(ramp, 5, 0.05).Why, "settling")
	assert.Contains(t, signal.Steady(capnogram(0, 12, 0.2, 0.3, 8), 5, 0.05).Why, "scatters")
	assert.False(t, signal.Steady(flat[:20], 5, 0.05).Steady)
	assert.False(t, signal.Steady(nil, 5, 0.05).Steady)
}

func TestSettleRefusesWhatCannotSettle(t *testing.T) {
	_, err := signal.Settle(capnogram(1, 12, 0.2, 0, 0.1), 0.1)
	assert.ErrorContains(t, err, "five samples")
	_, err = signal.Settle(capnogram(1, 12, 0.2, 0, 5), 0)
	assert.ErrorContains(t, err, "band")
}
