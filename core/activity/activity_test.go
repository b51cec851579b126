package activity_test

import (
	"testing"
	"time"

	"northneedle/core/activity"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

var monday = time.Date(2026, 3, 2, 9, 0, 0, 0, time.UTC)

func on(days int) time.Time { return time.Date(2026, 3, 2+days, 0, 0, 0, 0, time.UTC) }

func TestHowAnActivityStands(t *testing.T) {
	yearly := activity.Duty{ID: "verification", Title: "Verification", Months: 12, On: []activity.Event{activity.Moved}, Blocks: true}
	pump := activity.Duty{ID: "pump", Title: "Pump", Uses: 2000, Unit: "samples"}
	seal := activity.Duty{ID: "legal", Title: "Legal verification", On: []activity.Event{activity.SealBroken}, Outside: true}
	last := on(-100)
	for name, c := range map[string]struct {
		duty  activity.Duty
		state activity.State
		want  activity.Status
		words string
		stops bool
	}{
		"in date":            {yearly, activity.State{LastOn: &last, DueOn: on(265)}, activity.Valid, "Valid until 2026-11-22", false},
		"its last day":       {yearly, activity.State{LastOn: &last, DueOn: on(0)}, activity.Expiring, "Valid until 2026-03-02", false},
		"a day late":         {yearly, activity.State{LastOn: &last, DueOn: on(-1)}, activity.Expired, "Expired on 2026-03-01", true},
		"moved":              {yearly, activity.State{LastOn: &last, DueOn: on(265), Invalid: "moved on 2026-02-27"}, activity.Invalid, "moved", true},
		"new":                {yearly, activity.State{DueOn: on(30)}, activity.Never, "first due on 2026-04-01", false},
		"never, and late":    {yearly, activity.State{DueOn: on(-3)}, activity.Expired, "Never done", true},
		"deferred":           {yearly, activity.State{LastOn: &last, DueOn: on(200), Deferred: "to 2026-09-18 by Tamsin Orrery: ward closed"}, activity.Valid, "ward closed", false},
		"used a little":      {pump, activity.State{LastOn: &last, DueOn: on(0), Used: 900}, activity.Valid, "Valid since", false},
		"nearly used up":     {pump, activity.State{LastOn: &last, DueOn: on(0), Used: 1900}, activity.Expiring, "1900 of 2000 samples", false},
		"used up":            {pump, activity.State{LastOn: &last, DueOn: on(0), Used: 2001}, activity.Expired, "Used up", false},
		"waits for an event": {seal, activity.State{LastOn: &last, DueOn: on(900)}, activity.Valid, "Valid since", false},
	} {
		t.Run(name, func(t *testing.T) {
			require.NoError(t, c.duty.Check())
			s := c.duty.Stands(c.state, monday)
			assert.Equal(t, c.want, s.Status)
			assert.Contains(t, s.Words, c.words)
			assert.Equal(t, c.stops, c.duty.Stops(s))
		})
	}
}

func TestAnActivityNeverGetsBetterByItself(t *testing.T) {
	order := map[activity.Status]int{activity.Valid: 0, activity.Never: 0, activity.Expiring: 1, activity.Expired: 2, activity.Invalid: 3}
	rapid.Check(t, func(t *rapid.T) {
		d := activity.Duty{ID: "a", Title: "a", Months: rapid.IntRange(0, 24).Draw(t, "months"), Uses: rapid.Float64Range(0, 100).Draw(t, "uses"), Unit: "hours"}
		if d.Months == 0 {
			d.Days = rapid.IntRange(1, 400).Draw(t, "days")
		}
		due, err := d.Next(monday)
		require.NoError(t, err)
		s := activity.State{LastOn: &monday, DueOn: due.On, Used: rapid.Float64Range(0, 120).Draw(t, "used")}
		before := -1
		for day := range 900 {
			now := order[d.Stands(s, monday.AddDate(0, 0, day)).Status]
			require.GreaterOrEqual(t, now, before, "day %d", day)
			before = now
		}
		require.Equal(t, 2, before, "in the end it expires")
	})
}

func TestDutiesThatNothingMakesDue(t *testing.T) {
	for words, d := range map[string]activity.Duty{
		"nothing makes it due": {ID: "a", Title: "a"},
		"not both":             {ID: "a", Title: "a", Months: 1, Days: 1},
		"give its unit":        {ID: "a", Title: "a", Uses: 5},
		"is not known":         {ID: "a", Title: "a", On: []activity.Event{"rain"}},
		"its own failure":      {ID: "a", Title: "a", Months: 1, IfFailed: []string{"a"}},
		"an id and a title":    {Months: 1},
	} {
		assert.ErrorContains(t, d.Check(), words)
	}
	never, err := activity.Duty{ID: "a", Title: "a", On: []activity.Event{activity.Fall}}.Next(monday)
	require.NoError(t, err)
	assert.False(t, activity.HasDay(never.On))
	assert.Contains(t, never.Reason, "after fall")
	waiting := activity.Duty{ID: "b", Title: "b", IfFailed: []string{"oxygen-cell"}}
	require.NoError(t, waiting.Check())
	assert.Equal(t, "when oxygen cell fails", waiting.Triggers())
	of := []activity.Template{{Family: "scale", Duties: []activity.Duty{{ID: "family"}}}, {Family: "scale", Model: "Kestmoor column", Duties: []activity.Duty{{ID: "model"}}}}
	assert.Equal(t, "model", activity.DutiesOf(of, "scale", "Kestmoor column")[0].ID)
	assert.Equal(t, "family", activity.DutiesOf(of, "scale", "other")[0].ID)
	assert.Empty(t, activity.DutiesOf(of, "pump", ""))
}
