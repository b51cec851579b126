package interval_test

import (
	"testing"
	"time"

	"northneedle/core/interval"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestAPointBeginsAnewWhenItIsAdjusted(t *testing.T) {
	day := func(n int) time.Time { return time.Date(2026, 1, n, 9, 0, 0, 0, time.UTC) }
	limit := 0.5
	readings := []interval.Reading{ // not in order of time
		{Measure: "co2", Point: "5", Label: "CO2 5 %", Unit: "%", At: day(31), Error: 0.2, High: &limit},
		{Measure: "co2", Point: "5", At: day(1), Error: 0.6},
		{Measure: "co2", Point: "5", At: day(1).Add(time.Hour), Error: 0.1, AsLeft: true},
		{Measure: "co2", Point: "10", Label: "CO2 10 %", At: day(1), Error: 0.3},
		{Measure: "co2", Point: "5", At: day(11), Error: 0.15},
	}
	points := interval.HistoriesOf(readings)
	require.Len(t, points, 2)
	five := points[0]
	assert.Equal(t, "CO2 5 %", five.Label)
	assert.Equal(t, []interval.Shown{{At: day(1).Add(time.Hour), Error: 0.1}, {At: day(11), Error: 0.15},
		{At: day(31), Error: 0.2}}, five.Shown, "what was found before the adjustment is another story")
	course := five.Course()
	assert.Equal(t, 0.5, course.High)
	assert.Equal(t, []float64{0.1, 0.15, 0.2}, course.Errors)
	assert.InDeltaSlice(t, []float64{0, 9.958, 29.958}, course.Days, 0.001)
	assert.Empty(t, interval.HistoriesOf(nil))
}

func TestAModelIsCountedByItsDevices(t *testing.T) {
	on := func(days float64) time.Time {
		return time.Date(2024, 1, 1, 0, 0, 0, 0, time.UTC).Add(time.Duration(days * 24 * float64(time.Hour)))
	}
	model, own := interval.RecordsOf([]interval.Verification{{"a", on(0), true}, {"a", on(365), false},
		{"a", on(365.4), true}, {"b", on(10), true}, {"b", on(110), true}})
	assert.Equal(t, []interval.Record{{Days: 365}, {Days: 100, InTolerance: true}}, model,
		"a repeat on the same day is no interval, nor is the way from one device to another")
	assert.Equal(t, map[string][]bool{"a": {true, false, true}, "b": {true, true}}, own)
	common := interval.CommonOf([]interval.Holding{{Days: 365, Risk: 3}, {Days: 182, Risk: 9, Fixed: true}, {Days: 365}})
	assert.Equal(t, interval.Holding{Days: 365, Risk: 5, Fixed: true}, common)
}
