package adjust_test

import (
	"fmt"
	"testing"

	"northneedle/core/adjust"
	"northneedle/core/fit"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

var policy = adjust.Policy{School: adjust.Threshold, Threshold: 0.7, MaxRounds: 4}
var controls = []adjust.Control{{ID: "span", Label: "span", Kind: adjust.Gain, Step: 0.5, Range: 20},
	{ID: "zero", Label: "zero", Kind: adjust.Offset, Step: 0.02, Range: 0.5}}

// at makes points with errors at levels, limit ±0.4 and U 0.05.
func at(levelsAndErrors ...float64) (points []adjust.Point) {
	for i := 0; i < len(levelsAndErrors); i += 2 {
		e := levelsAndErrors[i+1]
		points = append(points, adjust.Point{
			ID:           fmt.Sprint(i),
			Label:        "p",
			Level:        levelsAndErrors[i],
			Error:        e,
			ErrorToLimit: e / 0.4,
			Limit:        0.4,
			U:            0.05,
			Gross:        e > 1.2 || e < -1.2,
		})
	}
	return points
}

// down has the last point read on the way down, the others on the way up.
func down(points []adjust.Point) []adjust.Point {
	for i := range points {
		points[i].Direction = "rising"
	}
	points[len(points)-1].Direction = "falling"
	return points
}

func TestAdvise(t *testing.T) {
	for _, c := range []struct {
		name     string
		points   []adjust.Point
		policy   adjust.Policy
		controls []adjust.Control
		tried    adjust.Tried
		want     adjust.Decision
		why      string
	}{
		{"fine", at(0, 0.01, 5, 0.1, 10, 0.2), policy, controls, adjust.Tried{}, adjust.Leave, "below the 70 %"},
		{"gain", at(0, 0, 5, -0.45, 10, -0.9), policy, controls, adjust.Tried{}, adjust.Adjust,
			"20 presses up on span"},
		{"offset", at(0, 0.4, 5, 0.41, 10, 0.39), policy, controls, adjust.Tried{}, adjust.Adjust,
			"20 presses down on zero"},
		{"gross", at(0, 0, 5, 2), policy, controls, adjust.Tried{}, adjust.Investigate, "set-up"},
		{"bent", at(0, 0, 5, 0.5, 10, 0), policy, controls, adjust.Tried{}, adjust.Investigate, "no straight line"},
		{"nothing to adjust, out", at(0, 0, 5, 0.5, 10, 1), policy, nil, adjust.Tried{}, adjust.Withdraw,
			"nothing here can be adjusted"},
		{"out of range", at(0, 0, 2, -0.6), policy,
			[]adjust.Control{{ID: "span", Label: "span", Kind: adjust.Gain, Step: 0.5, Range: 10}}, adjust.Tried{},
			adjust.Withdraw, "more than"},
		{"too many rounds", at(0, 0, 5, -0.45, 10, -0.9), policy, controls, adjust.Tried{Rounds: 4, Before: 9},
			adjust.Investigate, "4 rounds"},
		{"no better than before", at(0, 0, 5, -0.45, 10, -0.9), policy, controls, adjust.Tried{Rounds: 1, Before: 2.2},
			adjust.Investigate, "did not help"},
		{"better, but not in yet", at(0, 0, 5, -0.45, 10, -0.9), policy, controls, adjust.Tried{Rounds: 1, Before: 3},
			adjust.Adjust, "20 presses up"},
		{"two points, zero and span", at(0, 0.4, 5, 0.8, 10, 1.2), policy, controls, adjust.Tried{}, adjust.Adjust,
			"15 presses down on span, 19 presses down on zero"},
		{"an entry for each point", at(0, 0.1, 5, 0.5, 10, -0.3), policy,
			[]adjust.Control{{ID: "t", Label: "table", Kind: adjust.Table, Step: 0.1}}, adjust.Tried{}, adjust.Adjust,
			"5 presses down on table at p"},
		{"only the entries that are off are moved", at(0, 0.1, 5, 0.5, 10, 0), policy,
			[]adjust.Control{{ID: "t", Label: "table", Kind: adjust.Table, Step: 0.1}}, adjust.Tried{}, adjust.Adjust,
			"systematic: 5 presses down on table at p."},
		{"a control that would put another point outside is not offered", at(0, 0.39, 5, -0.45), policy,
			[]adjust.Control{{ID: "f", Label: "the factor", Kind: adjust.Factor, Step: 0.1, Range: 50}}, adjust.Tried{},
			adjust.Investigate, "outside: look for another cause"},
		{"what lies outside the device first, then withdrawing", at(0, 0, 5, 0.5, 10, 1), policy, nil,
			adjust.Tried{Outside: true}, adjust.Investigate, "what lies outside the device first"},
		{"looked at before", at(0, 0, 5, 0.5, 10, 1), policy, nil, adjust.Tried{Outside: true, Looked: true},
			adjust.Withdraw, "nothing here can be adjusted"},
		{"a factor is said as a number", at(0, 0, 5, -0.45, 10, -0.9), policy,
			[]adjust.Control{{ID: "f", Label: "the gas factor", Kind: adjust.Factor, Step: 0.1}}, adjust.Tried{},
			adjust.Adjust, "multiply the gas factor by 1.0990"},
		{"other on the way down", down(at(2, 0, 5, 0, 5, 0.5)), policy, controls, adjust.Tried{}, adjust.Investigate,
			"hysteresis"},
		{"measure only, out", at(0, 0, 5, 0.5), adjust.Policy{School: adjust.MeasureOnly, MaxRounds: 1}, controls,
			adjust.Tried{}, adjust.Withdraw, "changes nothing"},
		{"nominal school adjusts earlier", at(0, 0, 5, 0.1, 10, 0.2),
			adjust.Policy{School: adjust.Nominal, MaxRounds: 4}, controls, adjust.Tried{}, adjust.Adjust,
			"presses down"},
		{"not significant", at(0, 0.01, 5, 0.02), adjust.Policy{School: adjust.Nominal, MaxRounds: 4}, controls,
			adjust.Tried{}, adjust.Leave, "noise"},
	} {
		t.Run(c.name, func(t *testing.T) {
			a, err := adjust.Advise(c.points, c.policy, c.controls, c.tried)
			require.NoError(t, err)
			assert.Equal(t, c.want, a.Decision, a.Why)
			assert.Contains(t, a.Why, c.why)
		})
	}
}

// Corners are no levels: one that is off makes no shape of the others, and is judged all the same. One step of the display
// between two repeats is no scatter.
func TestWhatIsNoLevelMakesNoShape(t *testing.T) {
	points := append(at(0, 0, 5, -0.45, 10, -0.9), at(5, 0.35)...)
	points[3].Apart = true
	a, err := adjust.Advise(points, policy, controls, adjust.Tried{})
	require.NoError(t, err)
	assert.Equal(t, fit.Gain, a.Components.Shape)
	repeats := at(5, 0.5, 5, 0.6, 5, 0.5)
	a, err = adjust.Advise(repeats, policy, controls, adjust.Tried{})
	require.NoError(t, err)
	assert.Equal(t, fit.Scatter, a.Components.Shape)
	for i := range repeats {
		repeats[i].Step = 0.1
	}
	a, err = adjust.Advise(repeats, policy, controls, adjust.Tried{})
	require.NoError(t, err)
	assert.NotEqual(t, fit.Scatter, a.Components.Shape)
}

func TestAnOfferMovesWhatTheAdviceWouldLeave(t *testing.T) {
	a, err := adjust.Advise(at(0, 0, 5, -0.1, 10, -0.2), policy, controls, adjust.Tried{})
	require.NoError(t, err)
	assert.Equal(t, adjust.Leave, a.Decision)
	offer, err := adjust.Offer(at(0, 0, 5, -0.1, 10, -0.2), controls)
	require.NoError(t, err)
	require.Len(t, offer.Moves, 1)
	assert.Equal(t, 4, offer.Moves[0].Steps, "2.04 % of gain, in steps of 0.5")
	assert.InDelta(t, 0, offer.After[2], 0.01)
}

func TestAdviseRefuses(t *testing.T) {
	_, err := adjust.Advise(nil, policy, controls, adjust.Tried{})
	assert.Error(t, err)
	_, err = adjust.Advise([]adjust.Point{{Label: "x", Limit: 1}}, policy, controls, adjust.Tried{})
	assert.ErrorContains(t, err, "uncertainty")
	for _, bad := range []adjust.Policy{{}, {School: adjust.Threshold, MaxRounds: 1}, {School: adjust.Nominal}} {
		assert.Error(t, bad.Check())
	}
}

func TestAnAdvisedGainBringsTheDeviceIn(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		gain := rapid.Float64Range(0.85, 1.15).Draw(t, "gain")
		points := at(0, 0, 5, 5*(gain-1), 10, 10*(gain-1))
		for i := range points {
			points[i].Gross = false
		}
		a, err := adjust.Advise(points, policy, controls, adjust.Tried{})
		require.NoError(t, err)
		if a.Decision != adjust.Adjust {
			return
		}
		moved := gain * (1 + a.Moves[0].Change/100)
		for i, p := range points {
			require.InDelta(t, p.Level*(moved-1), a.After[i], 1e-9, "the prediction is what the control does")
			require.LessOrEqual(t, p.Level*(moved-1), 0.4)
		}
	})
}
