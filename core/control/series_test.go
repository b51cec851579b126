package control_test

import (
	"fmt"
	"testing"
	"time"

	"northneedle/core/control"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestASeriesOfControls(t *testing.T) {
	day := func(n int) time.Time { return time.Date(2026, 11, n, 7, 30, 0, 0, time.UTC) }
	lots := []control.Lot{
		{ID: "old", Number: "L1", Level: 1, Mean: 5, SD: 0.1, Allowed: 10, From: day(1), Expires: day(3)},
		{ID: "low", Number: "L2", Level: 1, Mean: 5.2, SD: 0.1, Allowed: 10, From: day(3), Expires: day(28)},
		{ID: "high", Number: "H1", Level: 2, Mean: 15, SD: 0.3, From: day(1), Expires: day(28)},
	}
	assert.Empty(t, control.SeriesOf(lots, nil).Runs)
	values := []control.Value{
		{Run: "a", Lot: "old", At: day(2), Value: 5.1}, {Run: "a", Lot: "high", At: day(2), Value: 15},
		{Run: "b", Lot: "low", At: day(4), Value: 5.2}, {Run: "b", Lot: "high", At: day(4), Value: 14.7},
		{Run: "c", Lot: "low", At: day(5), Value: 5.55}, {Run: "c", Lot: "gone", At: day(5), Value: 1},
	}
	s := control.SeriesOf(lots, values)
	require.Len(t, s.Runs, 3)
	assert.InDelta(t, 1, s.Runs[0].Points[0].Z, 1e-9, "each value by the target of its own lot")
	assert.Len(t, s.Runs[2].Points, 1, "a lot that is not known is left out")
	assert.True(t, s.Blocked && s.Runs[2].Rejected, "3.5 SD")
	assert.Equal(t, day(4), *s.LastGood)
	assert.Equal(t, s.Runs[2].Words, s.Words)

	assert.Equal(t, "lot L2 of level 1", s.Runs[1].Begins)

	// Two runs beyond +2 SD are rejected by 2-2s. With a calibration between them they are in different segments, and are not.
	two := []control.Value{{Run: "a", Lot: "high", At: day(4), Value: 15.7}, {Run: "b", Lot: "high", At: day(6), Value: 15.7}}
	assert.True(t, control.SeriesOf(lots, two).Blocked)
	assert.Equal(t, "Rejected by 2-2s: it suggests a systematic error. Calibrator, reagent lot, temperature, lamp.", control.SeriesOf(lots, two).Words,
		"a warning is not named among what rejects")
	for at, blocked := range map[time.Time]bool{day(4): true, day(5): false, day(6): false, day(7): true} {
		again := control.SeriesOf(lots, two, control.Start{At: at, Why: "calibrated"})
		assert.Equal(t, blocked, again.Blocked, at)
		assert.Equal(t, !blocked, again.Runs[1].Begins == "calibrated", at)
	}

	used := control.InUse(lots, day(4))
	assert.Equal(t, "L2 H1", fmt.Sprint(used[0].Number, " ", used[1].Number), "the lot begun last, by level")
	assert.Equal(t, "L1", control.InUse(lots, day(2))[0].Number, "one that begins later is not in use yet")
	assert.True(t, lots[0].Expired(day(4)))
	assert.False(t, lots[0].Expired(day(3)), "the last day counts to its end")

	// By hand: 5.0, 5.2, 5.4 of a mean of 5.2 and 10 % allowed. SD 0.2, CV 3.846 %, bias 0, sigma 2.6.
	of := func(all ...float64) (values []control.Value) {
		for i, v := range all {
			values = append(values, control.Value{Run: fmt.Sprint(i), Lot: "low", Value: v})
		}
		return values
	}
	p := lots[1].Performance(of(5.0, 5.2, 5.4))
	assert.InDelta(t, 0, p.Bias, 1e-9)
	assert.InDelta(t, 100*0.2/5.2, p.CV, 1e-9)
	require.NotNil(t, p.Sigma)
	assert.InDelta(t, 2.6, *p.Sigma, 1e-9)
	assert.Nil(t, lots[1].Performance(of(5, 5.2)).Sigma, "two values say nothing yet")
	assert.Nil(t, lots[1].Performance(of(5.2, 5.2, 5.2)).Sigma, "nor do values without scatter")
}
