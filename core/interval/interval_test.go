package interval_test

import (
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
	for done, want := range map[string]string{"2026-03-02": "2026-09-02", "2026-08-31": "2027-02-28", "2027-08-31": "2028-02-29", "2026-12-15": "2027-06-15"} {
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
			records = append(records, interval.Record{Days: rapid.Float64Range(30, 800).Draw(t, "days"), InTolerance: true})
		}
		records = append(records, interval.Record{Days: rapid.Float64Range(30, 800).Draw(t, "days"), InTolerance: false})
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
