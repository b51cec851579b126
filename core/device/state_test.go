package device_test

import (
	"testing"
	"time"

	"northneedle/core/device"
	"northneedle/core/duty"
	"northneedle/core/run"

	"github.com/stretchr/testify/assert"
)

var now = time.Date(2026, 11, 27, 12, 0, 0, 0, time.UTC)

func ago(days int) *time.Time {
	t := now.AddDate(0, 0, -days)
	return &t
}

// yearly is a duty by a procedure that was last done so many days ago.
func yearly(done int, change ...func(*duty.Recurring)) duty.Recurring {
	r := duty.Recurring{ID: "a1", Title: "Performance", Procedure: "performance",
		Duty:  duty.Duty{ID: "performance", Title: "Performance", Procedure: "performance", Months: 12},
		State: duty.State{LastOn: ago(done), DueOn: ago(done).AddDate(1, 0, 0)}}
	for _, c := range change {
		c(&r)
	}
	return r
}

func never(r *duty.Recurring) { r.LastOn = nil }

func blocks(r *duty.Recurring) { r.Duty.Blocks = true }

func undone(what string) func(*duty.Recurring) {
	return func(r *duty.Recurring) { r.Undone = duty.Undone{At: ago(1), What: what} }
}

func last(result run.Result, days int, change ...func(*device.LastRun)) device.LastRun {
	r := device.LastRun{ID: "r1", Procedure: "performance", Title: "Performance", Result: result, At: *ago(days)}
	for _, c := range change {
		c(&r)
	}
	return r
}

func waiting(r *device.LastRun)   { r.Waiting = true }
func givenBack(r *device.LastRun) { r.GivenBack = true }
func eachUse(r *device.LastRun)   { r.EachUse = true }
func doubted(r *device.LastRun)   { r.Doubts = []string{"HG-19 found out."} }

func TestTheFirstStateThatHolds(t *testing.T) {
	rows := []struct {
		name  string
		facts device.Facts
		want  device.State
		words string
	}{
		{"nothing known against it", device.Facts{Register: "in use", Duties: []duty.Recurring{yearly(100)}}, device.InUse, ""},
		{"gone, and why", device.Facts{Register: "retired", Why: "sold"}, device.Retired, "sold."},
		{"taken out of use by a person", device.Facts{Register: "out of use", Why: "the alarm sticks"},
			device.OutOfUse, "the alarm sticks."},
		{"a fault that nobody judged yet", device.Facts{Register: "in use", Duties: []duty.Recurring{yearly(100)},
			Faults: []device.Fault{{What: "no display", Reporter: "Ward 3",
				At: *ago(1)}}}, device.NotToBeUsed, "no display (Ward 3, 2026-11-26)"},
		{"a fault keeps a good one from use", device.Facts{Register: "in use", Last: []device.LastRun{last(run.Conforms, 0)},
			Faults: []device.Fault{{What: "smoke", Reporter: "Ward 3", At: *ago(1)}}}, device.NotToBeUsed, "not judged yet"},
		{"lent", device.Facts{Register: "in use", Away: &device.Away{To: "Quillet Island Clinic", Since: *ago(3),
			Until: ago(-4)}},
			device.AwayFrom, "With Quillet Island Clinic since 2026-11-24, due back on 2026-12-01."},
		{"lent, and not back", device.Facts{Register: "in use", Away: &device.Away{To: "a ward", Since: *ago(30),
			Until: ago(4)}},
			device.AwayFrom, "was due back on 2026-11-23"},
		{"lent and faulty", device.Facts{Register: "in use", Away: &device.Away{To: "a ward", Since: *ago(3)},
			Faults: []device.Fault{{What: "smoke", Reporter: "a ward", At: *ago(1)}}}, device.NotToBeUsed, "smoke"},
		{"retired, whatever else", device.Facts{Register: "retired", Last: []device.LastRun{last(run.Fails, 1)}},
			device.Retired, ""},
		{"withdrawn, and why", device.Facts{Register: "out of use", Last: []device.LastRun{last(run.Fails, 1)}},
			device.OutOfUse, "does not conform"},
		{"failed", device.Facts{Register: "in use", Last: []device.LastRun{last(run.Fails, 1)}}, device.NotToBeUsed,
			"does not conform"},
		{"failed, and waits for review", device.Facts{Register: "in use", Last: []device.LastRun{last(run.Fails, 1,
			waiting)}}, device.NotToBeUsed, "not countersigned"},
		{"failed, and was given back", device.Facts{Register: "in use", Last: []device.LastRun{last(run.Fails, 1,
			givenBack)}}, device.NotToBeUsed, "given back by its reviewer"},
		{"failed, done since by what satisfies it", device.Facts{Register: "in use",
			Duties: []duty.Recurring{yearly(2)}, Last: []device.LastRun{last(run.Fails, 5)}}, device.InUse, ""},
		{"a check before use not complete", device.Facts{Register: "in use",
			Last: []device.LastRun{last(run.NotComplete, 1, eachUse)}}, device.NotToBeUsed, "not complete"},
		{"another not complete leaves it", device.Facts{Register: "in use",
			Last: []device.LastRun{last(run.NotComplete, 1)}}, device.InUse, ""},
		{"rejected control", device.Facts{Register: "in use", Rejected: []device.Rejection{{Analyte: "glucose",
			Words: "Control of glucose: 1-3s"}}}, device.NotToBeUsed, "glucose"},
		{"calibration invalid", device.Facts{Register: "in use", Duties: []duty.Recurring{yearly(9,
			undone("it failed"))}}, device.NotToBeUsed, "Invalid"},
		{"a fall, where the duty blocks", device.Facts{Register: "in use", Duties: []duty.Recurring{yearly(9,
			undone("fall"), blocks)}}, device.NotToBeUsed, "fall"},
		{"a fall, where it does not", device.Facts{Register: "in use", Duties: []duty.Recurring{yearly(9,
			undone("fall"))}}, device.InDoubt, "fall"},
		{"late within its grace", device.Facts{Register: "in use", Grace: 30, Duties: []duty.Recurring{yearly(395)}},
			device.Overdue, "Expired"},
		{"late beyond its grace", device.Facts{Register: "in use", Grace: 30, Duties: []duty.Recurring{yearly(397)}},
			device.NotToBeUsed, "Expired"},
		{"late, where it blocks", device.Facts{Register: "in use", Grace: 30, Duties: []duty.Recurring{yearly(367,
			blocks)}}, device.NotToBeUsed, "Expired"},
		{"soon due", device.Facts{Register: "in use", Duties: []duty.Recurring{yearly(350)}}, device.Due, "Valid until"},
		{"its newest run rested on a reference found out", device.Facts{Register: "in use",
			Last: []device.LastRun{last(run.Conforms, 9, doubted)}}, device.InDoubt, "HG-19"},
		{"conforms, not countersigned", device.Facts{Register: "in use", Duties: []duty.Recurring{yearly(9)},
			Last: []device.LastRun{last(run.Conforms, 1, waiting)}}, device.WaitingForReview, "not countersigned"},
		{"new, and nothing signed", device.Facts{Register: "in use", Accept: ago(1), Grace: 30,
			Duties: []duty.Recurring{yearly(9, never)}}, device.NotYetAccepted, "to be signed: Performance"},
		{"new for months: still not accepted, not late", device.Facts{Register: "in use", Accept: ago(90), Grace: 30,
			Duties: []duty.Recurring{yearly(90, never)}}, device.NotYetAccepted, "to be signed: Performance"},
		{"signed after it came back from a repair", device.Facts{Register: "in use", Accept: ago(10),
			Duties: []duty.Recurring{yearly(9)}}, device.InUse, ""},
		{"signed before it went to the repair", device.Facts{Register: "in use", Accept: ago(8),
			Duties: []duty.Recurring{yearly(9)}}, device.NotYetAccepted, "to be signed"},
		{"signed and not countersigned", device.Facts{Register: "in use", Accept: ago(10), Duties: []duty.Recurring{yearly(9)},
			Last: []device.LastRun{last(run.Conforms, 9, waiting)}}, device.WaitingForReview, "not countersigned"},
		{"its acceptance failed", device.Facts{Register: "in use", Accept: ago(10), Duties: []duty.Recurring{yearly(9, never)},
			Last: []device.LastRun{last(run.Fails, 1)}}, device.NotToBeUsed, "does not conform"},
		{"nothing that it could be accepted by", device.Facts{Register: "in use", Accept: ago(1)}, device.InUse, ""},
	}
	for _, row := range rows {
		s := device.Of(row.facts, now)
		assert.Equal(t, row.want, s.State, row.name)
		assert.Contains(t, s.Words, row.words, row.name)
		assert.Equal(t, row.want.Stop(), s.Stop, row.name)
	}
}

// What keeps a device from use is lifted by the procedure that found it, or one that does its duty too; where it can be
// lifted otherwise, any run may be opened.
func TestOnlyWhatCanLiftAStopIsOpened(t *testing.T) {
	whole := yearly(9)
	whole.Duty.ID, whole.Procedure, whole.Duty.Satisfies = "whole", "whole", []string{"performance"}
	failed := device.Facts{Register: "in use", Duties: []duty.Recurring{yearly(9), whole},
		Last: []device.LastRun{last(run.Fails, 1)}}
	s := device.Of(failed, now)
	assert.True(t, s.May("performance") && s.May("whole"))
	assert.False(t, s.May("pre-use"))
	failed.Rejected = []device.Rejection{{Analyte: "glucose", Words: "Control of glucose: 1-3s"}}
	assert.True(t, device.Of(failed, now).May("pre-use"), "a control can be lifted by any calibration")
	assert.True(t, device.Of(device.Facts{Register: "in use"}, now).May("pre-use"))
}

// A device that is not accepted is marked STOP wherever it is; any run may be opened on it.
func TestWhatIsNotAcceptedStopsEverywhere(t *testing.T) {
	away := device.Of(device.Facts{Register: "in use", Accept: ago(1), Duties: []duty.Recurring{yearly(9, never)},
		Away: &device.Away{To: "a ward", Since: *ago(3)}}, now)
	assert.Equal(t, device.AwayFrom, away.State)
	assert.True(t, away.Stop)
	assert.Contains(t, away.Words, "With a ward since 2026-11-24. Not accepted since 2026-11-26: to be signed: Performance.")
	assert.True(t, away.May("performance") && away.May("pre-use"))

	// What says so decides what a device is accepted by; else all that is done by a procedure and the calendar.
	safety := yearly(9, never)
	safety.Title, safety.Procedure, safety.Duty.Accepts = "Safety", "safety", true
	by := func(duties ...duty.Recurring) string {
		return device.Of(device.Facts{Register: "in use", Accept: ago(1), Duties: duties}, now).Words
	}
	assert.Contains(t, by(yearly(9, never), safety), "to be signed: Safety.")
	safety.Duty.Accepts = false
	assert.Contains(t, by(yearly(9, never), safety), "to be signed: Performance; Safety.")
}
