package dayplan_test

import (
	"slices"
	"testing"
	"time"

	"northneedle/core/dayplan"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func TestTheGravestComesFirst(t *testing.T) {
	assert.Equal(t, 25*30, dayplan.Priority(5, 0))
	assert.Equal(t, 9*10, dayplan.Priority(3, -400), "before its day no more than 20 days count")
	assert.Equal(t, 4*90, dayplan.Priority(2, 400), "nor after it more than 60")
	order := dayplan.Gravest([]dayplan.Candidate{{Risk: 2, DaysLate: 5}, {Risk: 4}, {Risk: 2, DaysLate: 5, Seldom: true},
		{Risk: 2, DaysLate: 5}})
	assert.Equal(t, []int{1, 2, 0, 3}, order, "risk, then what can seldom be reached; alike ones stay in order")
	rapid.Check(t, func(t *rapid.T) {
		risk, late := rapid.IntRange(1, 5).Draw(t, "risk"), rapid.IntRange(-100, 100).Draw(t, "late")
		p := dayplan.Priority(risk, late)
		require.Positive(t, p)
		require.GreaterOrEqual(t, dayplan.Priority(risk, late+1), p, "a day later is never less grave")
		if risk < 5 {
			require.Greater(t, dayplan.Priority(risk+1, late), p)
		}
	})
}

func TestAYearIsLaidOut(t *testing.T) {
	first := time.Date(2026, 11, 1, 0, 0, 0, 0, time.UTC)
	loads := dayplan.LoadsOf([]dayplan.Recurring{
		{ID: "late", DueOn: first.AddDate(0, -3, 0), Days: 365, Hours: 1},
		{ID: "half-yearly", DueOn: first.AddDate(0, 4, 9), Days: 182, Hours: 0.5},
		{ID: "weekly", DueOn: first, Days: 7, Hours: 0.1},
		{ID: "once", DueOn: first.AddDate(0, 2, 0), Hours: 2},
	}, first, 12, 20)
	assert.Equal(t, []dayplan.Load{
		{ID: "late", Month: 0, Earliest: 0, Hours: 1},
		{ID: "late", Month: 9, Earliest: 9, Hours: 1},
		{ID: "half-yearly", Month: 4, Earliest: 3, Hours: 0.5}, // 36 days of 182 earlier: 2 February
		{ID: "half-yearly", Month: 10, Earliest: 10, Hours: 0.5},
		{ID: "once", Month: 2, Earliest: 2, Hours: 2},
	}, loads)
	_, after, _, err := dayplan.Level(loads, 12)
	require.NoError(t, err)
	assert.InDelta(t, 5, sum(after), 1e-9, "levelling loses no hour")
	assert.False(t, slices.ContainsFunc(loads, func(l dayplan.Load) bool { return l.ID == "weekly" }),
		"a weekly check is its users'")
}

func sum(all []float64) (s float64) {
	for _, v := range all {
		s += v
	}
	return s
}
