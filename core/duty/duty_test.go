package duty_test

import (
	"math"
	"testing"
	"time"

	"northneedle/core/duty"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

var monday = time.Date(2026, 3, 2, 9, 0, 0, 0, time.UTC)

func on(days int) time.Time { return time.Date(2026, 3, 2+days, 0, 0, 0, 0, time.UTC) }

// Whatever is read of a counter, set back and done in between: what was used since a duty was last done is what the counter
// went on by since, and used up it is due.
func TestACounterCountsWhatWasUsedSince(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		r := duty.Recurring{Duty: duty.Duty{ID: "kit", Uses: 1000, Unit: "hours"}}
		at := time.Date(2026, 3, 2, 9, 0, 0, 0, time.UTC)
		require.NoError(t, r.Done(at))
		shows, used := rapid.Float64Range(0, 5000).Draw(t, "first"), 0.0
		r.Counted(shows, at)
		for i := range rapid.IntRange(1, 12).Draw(t, "times") {
			at = at.AddDate(0, 0, 1)
			more := math.Round(rapid.Float64Range(0, 300).Draw(t, "more"))
			switch rapid.IntRange(0, 4).Draw(t, "what") {
			case 0:
				require.NoError(t, r.Done(at))
				used = 0
			case 1:
				r.SetBack(at)
				shows = 0
			case 2:
				r.Use(more, at)
				shows, used = shows+more, used+more
			case 3: // somebody set it back, and noted nothing: what it shows comes on top
				shows = math.Floor(shows / 2)
				if shows < r.Counter.Shows {
					used += shows
				}
				r.Counted(shows, at)
			default:
				shows, used = shows+more, used+more
				r.Counted(shows, at)
			}
			require.InDelta(t, used, r.Used, 1e-6, "after %d", i)
			require.Equal(t, used >= 1000, !r.DueOn.After(at), "due when it is used up")
		}
	})
}

func TestHowAnActivityStands(t *testing.T) {
	yearly := duty.Duty{
		ID:     "verification",
		Title:  "Verification",
		Months: 12,
		On:     []duty.Event{duty.Moved},
		Blocks: true,
	}
	pump := duty.Duty{ID: "pump", Title: "Pump", Uses: 2000, Unit: "samples"}
	seal := duty.Duty{ID: "legal", Title: "Legal verification", On: []duty.Event{duty.SealBroken}, Outside: true}
	last := on(-100)
	for name, c := range map[string]struct {
		duty  duty.Duty
		state duty.State
		want  duty.Status
		words string
		stops bool
	}{
		"in date": {yearly, duty.State{LastOn: &last, DueOn: on(265)}, duty.Valid, "Valid until 2026-11-22",
			false},
		"its last day": {yearly, duty.State{LastOn: &last, DueOn: on(0)}, duty.Expiring, "Valid until 2026-03-02",
			false},
		"a day late": {yearly, duty.State{LastOn: &last, DueOn: on(-1)}, duty.Expired, "Expired on 2026-03-01",
			true},
		"moved": {yearly, duty.State{LastOn: &last, DueOn: on(265),
			Undone: duty.Undone{At: &last, What: "moved"}}, duty.Invalid, "moved", true},
		"new":             {yearly, duty.State{DueOn: on(30)}, duty.Never, "first due on 2026-04-01", false},
		"never, and late": {yearly, duty.State{DueOn: on(-3)}, duty.Expired, "Never done", true},
		"deferred": {yearly, duty.State{LastOn: &last, DueOn: on(200),
			Deferred: duty.Deferral{To: &last, By: "Tamsin Orrery", Why: "ward closed"}}, duty.Valid, "ward closed",
			false},
		"used a little": {pump, duty.State{LastOn: &last, DueOn: on(0), Used: 900}, duty.Valid, "Valid since",
			false},
		"nearly used up": {pump, duty.State{LastOn: &last, DueOn: on(0), Used: 1900}, duty.Expiring,
			"1900 of 2000 samples", false},
		"used up": {pump, duty.State{LastOn: &last, DueOn: on(0), Used: 2001}, duty.Expired, "Used up",
			false},
		"waits for an event": {seal, duty.State{LastOn: &last, DueOn: on(900)}, duty.Valid, "Valid since", false},
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
	order := map[duty.Status]int{duty.Valid: 0, duty.Never: 0, duty.Expiring: 1, duty.Expired: 2, duty.Invalid: 3}
	rapid.Check(t, func(t *rapid.T) {
		d := duty.Duty{
			ID:     "a",
			Title:  "a",
			Months: rapid.IntRange(0, 24).Draw(t, "months"),
			Uses:   rapid.Float64Range(0, 100).Draw(t, "uses"),
			Unit:   "hours",
		}
		if d.Months == 0 {
			d.Days = rapid.IntRange(1, 400).Draw(t, "days")
		}
		due, err := d.Next(monday)
		require.NoError(t, err)
		s := duty.State{LastOn: &monday, DueOn: due.On, Used: rapid.Float64Range(0, 120).Draw(t, "used")}
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
	for words, d := range map[string]duty.Duty{
		"nothing makes it due": {ID: "a", Title: "a"},
		"not both":             {ID: "a", Title: "a", Months: 1, Days: 1},
		"give its unit":        {ID: "a", Title: "a", Uses: 5},
		"is not known":         {ID: "a", Title: "a", On: []duty.Event{"rain"}},
		"its own failure":      {ID: "a", Title: "a", Months: 1, IfFailed: []string{"a"}},
		"an id and a title":    {Months: 1},
	} {
		assert.ErrorContains(t, d.Check(), words)
	}
	never, err := duty.Duty{ID: "a", Title: "a", On: []duty.Event{duty.Fall}}.Next(monday)
	require.NoError(t, err)
	assert.False(t, duty.HasDay(never.On))
	assert.Contains(t, never.Reason, "after fall")
	waiting := duty.Duty{ID: "b", Title: "b", IfFailed: []string{"oxygen-cell"}}
	require.NoError(t, waiting.Check())
	assert.Equal(t, "when oxygen cell fails", waiting.Triggers())
	of := []duty.Template{{Family: "scale", Duties: []duty.Duty{{ID: "family"}}},
		{Family: "scale", Model: "Kestmoor column", Duties: []duty.Duty{{ID: "model"}}}}
	assert.Equal(t, "model", duty.DutiesOf(of, "scale", "Kestmoor column")[0].ID)
	assert.Equal(t, "family", duty.DutiesOf(of, "scale", "other")[0].ID)
	assert.Empty(t, duty.DutiesOf(of, "pump", ""))
}

func TestTheMainDuty(t *testing.T) {
	byHand := duty.Duty{ID: "kit", Title: "Part kit", Months: 24}
	each := duty.Duty{ID: "pre-use", Title: "Pre-use check", Procedure: "pre-use", On: []duty.Event{duty.Repair}}
	ofTest := duty.Duty{ID: "urea", Title: "Urea", Procedure: "urea", Test: "urea", Months: 6}
	outside := duty.Duty{ID: "legal", Title: "Legal", Procedure: "legal", Outside: true, Months: 24}
	yearly := duty.Duty{ID: "performance", Title: "Performance", Procedure: "performance", Months: 12}
	shared := duty.Duty{ID: "electrical", Title: "Electrical safety", Procedure: "electrical", Months: 24}
	assert.Equal(t, 4, duty.Main([]duty.Duty{byHand, each, ofTest, outside, yearly, shared}))
	assert.Equal(t, -1, duty.Main([]duty.Duty{byHand, each, ofTest, outside}))
}
