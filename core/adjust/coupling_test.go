package adjust_test

import (
	"fmt"
	"math"
	"testing"

	"northneedle/core/adjust"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// chamber is a row of zones that warm each other: error = C·(bias + trim).
type chamber struct {
	own, next  float64
	bias, trim []float64
}

func (c chamber) errors() []float64 {
	off := func(i int) float64 {
		if i < 0 || i >= len(c.bias) {
			return 0
		}
		return c.bias[i] + c.trim[i]
	}
	e := make([]float64, len(c.bias))
	for i := range e {
		e[i] = c.own*off(i) + c.next*(off(i-1)+off(i+1))
	}
	return e
}

func (c chamber) points() []adjust.Point {
	var points []adjust.Point
	for i, e := range c.errors() {
		points = append(points, adjust.Point{
			ID:           fmt.Sprintf("upper/zone-%d", i+1),
			Label:        fmt.Sprintf("zone %d", i+1),
			Level:        37 - e,
			Error:        e,
			ErrorToLimit: e / 0.1,
			Limit:        0.1,
			U:            0.02,
		})
	}
	return points
}

func (c chamber) worst() (w float64) {
	for _, e := range c.errors() {
		w = math.Max(w, math.Abs(e))
	}
	return w
}

const trimStep = 0.01

var trimControl = []adjust.Control{{ID: "trim", Label: "the trim", Kind: adjust.Zone, Step: trimStep}}

// rounds trims a chamber as advised until every zone is within 0.05, learning from the
// rounds before or not.
func rounds(t require.TestingT, c chamber, learning bool) int {
	policy := adjust.Policy{School: adjust.Threshold, Threshold: 0.5, MaxRounds: 20}
	var past []adjust.Round
	for n := 0; ; n++ {
		if n == 20 {
			return n
		}
		points := c.points()
		tried := adjust.Tried{Rounds: n, Before: math.Inf(1)}
		if learning {
			tried.Past = past
		}
		advice, err := adjust.Advise(points, policy, trimControl, tried)
		require.NoError(t, err)
		if advice.Decision == adjust.Leave {
			require.LessOrEqual(t, c.worst(), 0.05+1e-9)
			return n
		}
		require.Equal(t, adjust.Adjust, advice.Decision, advice.Why)
		made := adjust.Round{Trims: map[string]float64{}, Before: map[string]float64{}, After: map[string]float64{}}
		for i, p := range points {
			made.Before[p.ID] = p.Error
			for _, m := range advice.Moves {
				if m.Point == p.ID {
					c.trim[i] += m.Change
					made.Trims[p.ID] = m.Change
				}
			}
		}
		for _, p := range c.points() {
			made.After[p.ID] = p.Error
		}
		past = append(past, made)
	}
}

func TestCoupledZonesComeInTogether(t *testing.T) {
	var all [2]int
	rapid.Check(t, func(rt *rapid.T) {
		n := rapid.IntRange(3, 8).Draw(rt, "zones")
		c := chamber{own: rapid.Float64Range(0.7, 1).Draw(rt, "own"),
			next: rapid.Float64Range(0.08, 0.22).Draw(rt, "next"), trim: make([]float64, n)}
		for range n {
			c.bias = append(c.bias, rapid.Float64Range(-1, 1).Draw(rt, "bias"))
		}
		other := c
		other.trim = make([]float64, n)
		together, alone := rounds(rt, c, true), rounds(rt, other, false)
		// With the coupling known beforehand one round would do; learning it costs one more.
		assert.LessOrEqual(rt, together, 2)
		assert.LessOrEqual(rt, together, alone)
		all[0], all[1] = all[0]+together, all[1]+alone
	})
	assert.Less(t, all[0], all[1], "over many chambers it takes fewer rounds than zone by zone")
}

func TestOneTrimForTwoCompartments(t *testing.T) {
	at := func(id, zone string, e float64) adjust.Point {
		return adjust.Point{
			ID:           id,
			Label:        id,
			Zone:         zone,
			Level:        37,
			Error:        e,
			ErrorToLimit: e / 0.1,
			Limit:        0.1,
			U:            0.02,
		}
	}
	policy := adjust.Policy{School: adjust.Threshold, Threshold: 0.5, MaxRounds: 4}
	advice, err := adjust.Advise([]adjust.Point{at("u1", "zone 1", 0.25), at("l1", "zone 1", 0.15),
		at("u2", "zone 2", 0), at("l2", "zone 2", 0)}, policy, trimControl, adjust.Tried{})
	require.NoError(t, err)
	require.Len(t, advice.Moves, 1)
	assert.Equal(t, -20, advice.Moves[0].Steps, "the mean of the two is centred")
	assert.InDeltaSlice(t, []float64{0.05, -0.05, 0, 0}, advice.After, 1e-9)
	advice, err = adjust.Advise([]adjust.Point{at("u1", "zone 1", 0.3), at("l1", "zone 1", -0.05)}, policy, trimControl,
		adjust.Tried{})
	require.NoError(t, err)
	assert.Equal(t, adjust.Investigate, advice.Decision)
	assert.Contains(t, advice.Why, "no trim can fix this")
	told := []adjust.Control{{ID: "trim", Label: "trim", Kind: adjust.Zone, Step: 0.1, Sense: "value"}}
	advice, err = adjust.Advise([]adjust.Point{at("u1", "zone 1", -0.2)}, policy, told, adjust.Tried{})
	require.NoError(t, err)
	assert.Contains(t, advice.Moves[0].Words, "enter 36.8 as measured in zone 1")
	_, err = adjust.Advise([]adjust.Point{at("u1", "zone 1", 0.2)}, policy,
		[]adjust.Control{{ID: "t", Label: "trim", Kind: adjust.Zone, Step: 0.1, Range: 0.1}}, adjust.Tried{})
	require.NoError(t, err)
}

func TestARoutineBringsEveryPointIn(t *testing.T) {
	points := []adjust.Point{{ID: "a", Label: "a", Level: 20, Error: 0.4, ErrorToLimit: 1.4, Limit: 0.3, U: 0.05},
		{ID: "b", Label: "b", Level: 100, Error: 1.1, ErrorToLimit: 1.1, Limit: 1, U: 0.05}}
	advice, err := adjust.Advise(points, adjust.Policy{School: adjust.Threshold, Threshold: 0.7, MaxRounds: 2},
		[]adjust.Control{{ID: "two", Label: "two-point calibration", Kind: adjust.Routine}}, adjust.Tried{})
	require.NoError(t, err)
	assert.Equal(t, adjust.Adjust, advice.Decision)
	assert.Equal(t, []float64{0, 0}, advice.After)
	assert.Equal(t, 1, advice.Moves[0].Steps)
}

func TestTheSetUpComesFirstUntilItWasLookedAt(t *testing.T) {
	points := []adjust.Point{{ID: "a", Label: "a", Level: 20, Error: 0.1, ErrorToLimit: 0.3, Limit: 0.3, U: 0.05}}
	policy := adjust.Policy{School: adjust.Threshold, Threshold: 0.7, MaxRounds: 2}
	advice, _ := adjust.Advise(points, policy, nil, adjust.Tried{SetUp: "All are off by one factor."})
	assert.Equal(t, adjust.Investigate, advice.Decision, "though every point is inside")
	advice, _ = adjust.Advise(points, policy, nil,
		adjust.Tried{SetUp: "All are off by one factor.", Looked: true, Rounds: 1})
	assert.Equal(t, adjust.Leave, advice.Decision)
}
