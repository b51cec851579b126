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

// following is a first-order approach, sampled evenly, with scatter.
func following(rate, seconds, delay, tau, from, to, noise float64, random *rand.Rand) []signal.Sample {
	var trace []signal.Sample
	for i := range int(rate * seconds) {
		t := float64(i) / rate
		v := from
		if t > delay {
			v = to + (from-to)*math.Exp((delay-t)/tau)
		}
		trace = append(trace, signal.Sample{T: 1000 + t, V: v + noise*random.NormFloat64()})
	}
	return trace
}

// Whatever the sensor's time constant, the transport delay before it and its scatter: what it still has to go is known
// well enough to say when a quarter of the tolerance is left.
func TestAnApproachTellsWhatIsStillToGo(t *testing.T) {
	random := rand.New(rand.NewPCG(2026, 8))
	for range 300 {
		tau := 1 + 40*random.Float64()
		seconds := 5 + tau*(1.5+3*random.Float64())
		delay := 5 * random.Float64()
		left := math.Exp(-(seconds - 0.2) / tau)
		trace := following(5, seconds+delay, delay, tau, 0, 1, 0.002, random)
		a, goes := signal.Approaching(trace, 5)
		if left < 0.01 {
			continue
		}
		require.True(t, goes, "tau %.1f s, %.1f s watched", tau, seconds)
		assert.InDelta(t, left, a.Left(trace[len(trace)-1].T), 0.01+0.25*left, "tau %.1f s, watched %.1f s after %.1f s", tau, seconds, delay)
	}
}

func TestScatterGoesNowhere(t *testing.T) {
	random := rand.New(rand.NewPCG(2026, 9))
	often := 0
	for range 500 {
		if _, goes := signal.Approaching(following(5, 60, 0, 1, 7, 7, 0.1, random), 5); goes {
			often++
		}
	}
	assert.Less(t, often, 10, "of 500")
	_, goes := signal.Approaching(following(5, 60, 0, 1, 7, 7, 0, random), 5)
	assert.False(t, goes, "a flat line")
	_, err := signal.FitApproach(capnogram(1, 12, 0.2, 0, 0.1))
	assert.ErrorContains(t, err, "five samples")
}
