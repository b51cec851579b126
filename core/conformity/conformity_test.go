package conformity_test

import (
	"math"
	"testing"

	"northneedle/core/conformity"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func TestToleranceForms(t *testing.T) {
	for _, c := range []struct {
		text      string
		reference float64
		low, high float64
	}{
		{"<= 2.5", 10, math.Inf(-1), 2.5},
		{">= -0.5", 10, -0.5, math.Inf(1)},
		{"20..200", 50, -30, 150},
		{"0..40: ±2; 40..100: ±5 % of reading", 40, -2, 2},
		{"0..40: ±2; 40..100: ±5 % of reading", 80, -4, 4},
		{"max(±1, min(±3, ±10 % of reading))", 50, -3, 3},
		{"±(4 + 15 % of reading)", 100, -19, 19},
		{"+/-2", 0, -2, 2},
	} {
		tol, err := conformity.ParseTolerance(c.text)
		require.NoError(t, err, c.text)
		l, err := tol.Limits(c.reference)
		require.NoError(t, err)
		assert.InDelta(t, 0, errorOf(l.Low, c.low)+errorOf(l.High, c.high), 1e-12, c.text)
	}
}

func errorOf(a, b float64) float64 {
	if a == b {
		return 0
	}
	return math.Abs(a - b)
}

func TestToleranceMistakesSayWhatIsExpected(t *testing.T) {
	for text, words := range map[string]string{
		"":                                 "number is expected",
		"5":                                "two things",
		"±-2":                              "negative",
		"±5 %":                             "of reading",
		"±(2 + 3 % of":                     "of reading",
		"max(±2, ±3":                       "closing bracket",
		"±2 extra":                         "left over",
		"9..3":                             "backwards",
		"+1/-1":                            "/+",
		"0..40 ±2; 5..6: ±1":               "colon",
		"a..b: ±1":                         "not a range",
		"max(max(max(max(max(max(±1))))))": "too deep",
	} {
		_, err := conformity.ParseTolerance(text)
		assert.ErrorContains(t, err, words, text)
	}
	tol, err := conformity.ParseTolerance("0..40: ±2")
	require.NoError(t, err)
	_, err = tol.Limits(41)
	assert.ErrorContains(t, err, "says nothing about 41")
	_, err = tol.Limits(math.NaN())
	assert.Error(t, err)
}

func TestRules(t *testing.T) {
	a, err := conformity.Assess(1.8, conformity.Limits{Low: -2, High: 2}, 0.5, 2)
	require.NoError(t, err)
	pass, warning := conformity.Rule{Kind: conformity.Simple, TURFloor: 5}.Accepts(a)
	assert.True(t, pass)
	assert.Contains(t, warning, "TUR 4.0 is below 5")
	pass, _ = conformity.Rule{Kind: conformity.Guarded}.Accepts(a)
	assert.False(t, pass)
	pass, _ = conformity.Rule{Kind: conformity.Risk, Probability: 0.75}.Accepts(a)
	assert.True(t, pass)
	for _, bad := range []conformity.Rule{{}, {Kind: "luck"}, {Kind: conformity.Risk, Probability: 1},
		{Kind: conformity.Guarded, GuardFactor: -1}} {
		assert.Error(t, bad.Check())
	}
}

func TestAssessRefusesNonsense(t *testing.T) {
	ok := conformity.Limits{Low: -1, High: 1}
	for _, c := range []struct {
		err    float64
		limits conformity.Limits
		u, k   float64
	}{{math.NaN(), ok, 1, 2}, {math.Inf(1), ok, 1, 2}, {0, conformity.Limits{Low: 1, High: -1}, 1, 2}, {0, ok, -1, 2},
		{0, ok, math.Inf(1), 2}, {0, ok, 1, 0}} {
		_, err := conformity.Assess(c.err, c.limits, c.u, c.k)
		assert.Error(t, err)
	}
}

func TestVerdictsAreMonotoneAndGuardsNeverHelp(t *testing.T) {
	order := map[conformity.Zone]int{
		conformity.Inside:          0,
		conformity.InsideDoubtful:  1,
		conformity.OutsideDoubtful: 2,
		conformity.Outside:         3,
	}
	rapid.Check(t, func(t *rapid.T) {
		limit := rapid.Float64Range(0.1, 100).Draw(t, "limit")
		limits := conformity.Limits{Low: -limit, High: limit}
		u := rapid.Float64Range(0.001, 0.9).Draw(t, "U") * limit
		small := rapid.Float64Range(0, 3).Draw(t, "error") * limit
		large := small * rapid.Float64Range(1, 2).Draw(t, "more")
		a, err := conformity.Assess(small, limits, u, 2)
		require.NoError(t, err)
		b, err := conformity.Assess(-large, limits, u, 2)
		require.NoError(t, err)
		require.LessOrEqual(t, order[a.Zone], order[b.Zone], "a larger error is never better placed")
		require.LessOrEqual(t, b.ConformanceProbability, a.ConformanceProbability+1e-9)
		guarded, _ := conformity.Rule{Kind: conformity.Guarded,
			GuardFactor: rapid.Float64Range(0.1, 2).Draw(t, "r")}.Accepts(b)
		simple, _ := conformity.Rule{Kind: conformity.Simple}.Accepts(b)
		require.False(t, guarded && !simple, "a guard band never turns a fail into a pass")
	})
}

func FuzzParseTolerance(f *testing.F) {
	for _, seed := range []string{"±2", "±(0.43 + 8 % of reading)", "max(±2, ±5 % of reading)", "-0.5/+1.0", "<= 2.5",
		"0..40: ±2; 40..100: ±5 % of reading", "±3 % of span 200", "1e3..1e9", "min(", "±1e400"} {
		f.Add(seed)
	}
	f.Fuzz(func(t *testing.T, text string) {
		tol, err := conformity.ParseTolerance(text)
		if err != nil {
			return
		}
		again, err := conformity.ParseTolerance(tol.String())
		require.NoError(t, err, "%q was written as %q", text, tol)
		require.Equal(t, tol.String(), again.String())
		if l, err := tol.Limits(10); err == nil {
			require.False(t, math.IsNaN(l.Low) || math.IsNaN(l.High))
		}
	})
}
