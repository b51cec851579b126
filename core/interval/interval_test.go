package interval_test

import (
	"math"
	"slices"
	"testing"
	"time"

	"northneedle/core/interval"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func TestAFixedIntervalKeepsTheDayOfTheMonth(t *testing.T) {
	day := func(text string) time.Time {
		d, err := time.Parse(time.DateOnly, text)
		require.NoError(t, err)
		return d
	}
	for done, want := range map[string]string{
		"2026-03-02": "2026-09-02",
		"2026-08-31": "2027-02-28",
		"2027-08-31": "2028-02-29",
		"2026-12-15": "2027-06-15",
	} {
		due, err := interval.Fixed(day(done).Add(15*time.Hour), 6, "half-yearly")
		require.NoError(t, err)
		assert.Equal(t, want, due.On.Format(time.DateOnly))
		assert.Contains(t, due.Reason, "half-yearly")
	}
	one, err := interval.Fixed(day("2026-03-02"), 1, "")
	require.NoError(t, err)
	assert.Contains(t, one.Reason, "1 month after")
	for _, months := range []int{0, -1, 121} {
		_, err := interval.Fixed(day("2026-03-02"), months, "")
		assert.Error(t, err)
	}
}

func TestAMoreReliableModelIsSeenLess(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var records []interval.Record
		for range rapid.IntRange(2, 30).Draw(t, "in") {
			records = append(records, interval.Record{Days: rapid.Float64Range(30, 800).Draw(t, "days"),
				InTolerance: true})
		}
		records = append(records, interval.Record{Days: rapid.Float64Range(30, 800).Draw(t, "days"),
			InTolerance: false})
		target := rapid.Float64Range(0.6, 0.97).Draw(t, "target")
		a, err := interval.Reliable(records, target)
		require.NoError(t, err)
		b, err := interval.Reliable(append(records, interval.Record{Days: 400, InTolerance: true}), target)
		require.NoError(t, err)
		require.Greater(t, b.Days, a.Days, "one more found in tolerance lengthens it")
		strict, err := interval.Reliable(records, target+0.02)
		require.NoError(t, err)
		require.Less(t, strict.Days, a.Days, "a stricter target shortens it")
	})
}

func TestAFasterDriftIsReachedSooner(t *testing.T) {
	days := []float64{0, 180, 365, 545, 730}
	rapid.Check(t, func(t *rapid.T) {
		slope := rapid.Float64Range(0.0005, 0.003).Draw(t, "slope")
		errors, faster := make([]float64, len(days)), make([]float64, len(days))
		for i, d := range days {
			wiggle := 0.01 * float64(i%2)
			errors[i], faster[i] = slope*d+wiggle, 2*slope*d+wiggle
		}
		a, reached, err := interval.DriftTo(days, errors, 5)
		require.NoError(t, err)
		require.True(t, reached)
		b, reached, err := interval.DriftTo(days, faster, 5)
		require.NoError(t, err)
		require.True(t, reached)
		require.Less(t, b, a)
	})
}

func TestIntervalsRefuseNonsense(t *testing.T) {
	in := interval.Record{Days: 100, InTolerance: true}
	for name, err := range map[string]error{
		"only good ones":  failed(interval.Reliable([]interval.Record{in, in}, 0.9)),
		"only bad ones":   failed(interval.Reliable([]interval.Record{{Days: 100}}, 0.9)),
		"no time":         failed(interval.Reliable([]interval.Record{in, {Days: 0}}, 0.9)),
		"a target of one": failed(interval.Reliable([]interval.Record{in, {Days: 100}}, 1)),
		"two points":      drift([]float64{0, 100}, []float64{0, 1}, 5),
		"one day":         drift([]float64{5, 5, 5}, []float64{0, 1, 2}, 5),
		"no tolerance":    drift([]float64{0, 100, 200}, []float64{0, 1, 2}, 0),
	} {
		assert.Error(t, err, name)
	}
}

func failed[T any](_ T, err error) error { return err }

func drift(days, errors []float64, limit float64) error {
	_, _, err := interval.DriftTo(days, errors, limit)
	return err
}

func TestATrendSaysWhenItsLimitIsReached(t *testing.T) {
	start := time.Date(2025, 1, 1, 0, 0, 0, 0, time.UTC)
	high, low := 5.0, -5.0
	rapid.Check(t, func(rt *rapid.T) {
		perDay := rapid.Float64Range(0.002, 0.05).Draw(rt, "per day") *
			rapid.SampledFrom([]float64{-1, 1}).Draw(rt, "sign")
		var shown []interval.Shown
		for i := range 6 {
			wiggle := 0.001 * float64(i%2*2-1)
			shown = append(shown, interval.Shown{At: start.AddDate(0, 0, 15*i), Error: perDay*15*float64(i) + wiggle})
		}
		trend, err := interval.TrendOf(shown, &low, &high, "[ppm]")
		require.NoError(rt, err)
		require.True(rt, trend.Significant)
		assert.InDelta(rt, perDay*30.44, trend.PerMonth, 0.01)
		require.NotNil(rt, trend.About)
		assert.InDelta(rt, 5/math.Abs(perDay), trend.About.Sub(start).Hours()/24, 0.05*5/math.Abs(perDay)+3)
		require.NotNil(rt, trend.From)
		assert.False(rt, trend.From.After(trend.About.AddDate(0, 0, 1)), "the bound comes first")
	})
	still, err := interval.TrendOf([]interval.Shown{{At: start, Error: 0.1}, {At: start.AddDate(0, 1, 0), Error: -0.1},
		{At: start.AddDate(0, 2, 0), Error: 0.1}}, &low, &high, "1")
	require.NoError(t, err)
	assert.Contains(t, still.Words, "not to be told from standing still")
	assert.Nil(t, still.About)
	_, err = interval.TrendOf(nil, nil, nil, "1")
	assert.ErrorContains(t, err, "three")
}

func TestDaysFromDay(t *testing.T) {
	due, err := interval.FixedDays(time.Date(2026, 12, 30, 15, 0, 0, 0, time.UTC), 7, "the zero counts for the session")
	require.NoError(t, err)
	assert.Equal(t, "2027-01-06", due.On.Format(time.DateOnly))
	_, err = interval.FixedDays(time.Now(), 0, "")
	assert.Error(t, err)
}

// model is verifications of a model, every so many days, some found out.
func model(n, out int, days float64) (records []interval.Record) {
	for i := range n {
		records = append(records, interval.Record{Days: days, InTolerance: i >= out})
	}
	return records
}

func TestRecommendation(t *testing.T) {
	inf := math.Inf(1)
	base := interval.History{Current: 365, Risk: 4, Own: []bool{true, true}, Devices: 10, Hours: 1.5}
	for name, c := range map[string]struct {
		change func(*interval.History)
		days   int
		way    string
		says   string
	}{
		"too little known": {func(h *interval.History) {}, 365, interval.ByStaircase, "Keep 365 days"},
		"three in a row": {func(h *interval.History) { h.Own = append(h.Own, true) }, 540, interval.ByStaircase,
			"Lengthen to 540 days"},
		"the last was out": {func(h *interval.History) { h.Own = append(h.Own, false) }, 180, interval.ByStaircase,
			"Shorten to 180 days"},
		"an unsteady model": {func(h *interval.History) { h.Model = model(20, 4, 365) }, 120, interval.ByReliability,
			"4 found out"},
		"a steady model": {func(h *interval.History) { h.Model = model(200, 2, 365) }, 540, interval.ByReliability,
			"the ceiling is 548 days"},
		"life support": {func(h *interval.History) { h.Model, h.Risk = model(200, 2, 365), 5 }, 365,
			interval.ByReliability, "the ceiling is 365 days"},
		"a rule binds it": {func(h *interval.History) { h.Model, h.Fixed, h.Rule = model(200, 2, 365), true, "the weights act" }, 365,
			interval.ByRule, "Keep 365 days. A rule binds it: the weights act."},
		"its own drift": {func(h *interval.History) { // the bound is out 600 days after it was adjusted, 240 after it was seen last
			h.Model, h.Own = model(200, 2, 365), append(h.Own, true)
			h.Points = []interval.Course{{Label: "5 %", Days: []float64{0, 120, 240, 360},
				Errors: []float64{0, 0.05, 0.1, 0.15}, Low: -inf, High: 0.25}}
		}, 240, interval.ByDrift, "By its own drift (5 %, 4 times as found) it may reach its limit 240 days after its last verification"},
		"its bound at the next due date": {func(h *interval.History) {
			h.Points = []interval.Course{{Label: "5 %", Days: []float64{0, 120, 240, 360},
				Errors: []float64{0, 0.05, 0.1, 0.15}, Low: -inf, High: 0.25}}
		}, 240, interval.ByDrift, "At its next due date its 95 % bound stands at 100 % of the limit (5 %)."},
		"out already when it was seen last": {func(h *interval.History) {
			h.Model = model(200, 2, 365)
			h.Points = []interval.Course{{Label: "5 %", Days: []float64{0, 120, 240, 360},
				Errors: []float64{0, 0.05, 0.1, 0.15}, Low: -inf, High: 0.1}}
		}, 240, interval.ByDrift, "Verify it now, and from then on every 240 days. By its own drift (5 %, 4 times as found) its 95 % bound is beyond"},
		"three in a row, with a bound that is out from the first day": {func(h *interval.History) {
			h.Own = append(h.Own, true)
			h.Points = []interval.Course{{Label: "5 %", Days: []float64{0, 365, 730}, Errors: []float64{0.05, 0.60, 0.70}, Low: -1, High: 1}}
		}, 30, interval.ByDrift, "Verify it now"},
		"failed, on a model that would be lengthened": {func(h *interval.History) {
			h.Model, h.Own = model(200, 2, 365), append(h.Own, false)
		}, 365, interval.ByReliability, "it was found out at its last verification, and is not lengthened"},
		"a wreck": {func(h *interval.History) { h.Model = model(20, 19, 60) }, 30, interval.ByReliability,
			"look whether it should be replaced"},
	} {
		t.Run(name, func(t *testing.T) {
			h := base
			h.Own = slices.Clone(base.Own)
			c.change(&h)
			r, err := interval.Recommend(h, interval.DefaultRules)
			require.NoError(t, err)
			assert.Equal(t, c.days, r.Days, r.Sentence)
			assert.Equal(t, c.way, r.Way)
			assert.Contains(t, r.Sentence, c.says)
		})
	}
	_, err := interval.Recommend(interval.History{}, interval.DefaultRules)
	assert.Error(t, err)
	broken := interval.DefaultRules
	broken.Targets[2] = 1
	_, err = interval.Recommend(base, broken)
	assert.ErrorContains(t, err, "risk 3")
}

func TestALongerIntervalCostsLessWorkAndMoreExposure(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		h := interval.History{Current: rapid.IntRange(30, 800).Draw(t, "current"),
			Risk: rapid.IntRange(1, 5).Draw(t, "risk"), Devices: rapid.IntRange(1, 50).Draw(t, "devices"), Hours: 1,
			Model: model(rapid.IntRange(5, 60).Draw(t, "n"), rapid.IntRange(0, 4).Draw(t, "out"),
				rapid.Float64Range(50, 700).Draw(t, "days"))}
		r, err := interval.Recommend(h, interval.DefaultRules)
		require.NoError(t, err)
		require.LessOrEqual(t, r.Days, max(h.Current, interval.DefaultRules.Ceilings[h.Risk-1]))
		for i := 1; i < len(r.Curve); i++ {
			a, b := r.Curve[i-1], r.Curve[i]
			require.Greater(t, b.Days, a.Days)
			require.GreaterOrEqual(t, b.Out, a.Out)
			require.GreaterOrEqual(t, b.Exposure, a.Exposure-1e-9)
			require.Less(t, b.Hours, a.Hours)
		}
	})
}
