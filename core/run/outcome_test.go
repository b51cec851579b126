package run_test

import (
	"fmt"
	"strings"
	"testing"

	"northneedle/core/adjust"
	"northneedle/core/device"
	"northneedle/core/lookback"
	"northneedle/core/procedure"
	"northneedle/core/run"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// The test works a run for every combination of eleven things that can go wrong. Each run is held to four rules: a failure
// outranks an omission, and an omission an adjustment; a run that is not complete names every required thing left out; a
// look-back opens only if the as-found readings that count are outside; the device is tagged only if the run fails.
func TestTheResultSaysWhatIsSo(t *testing.T) {
	const (
		checkNotDone = 1 << iota
		actNotDone
		notFitted
		optionalLeftOut
		itemFailed
		pointLeftOut
		outside
		adjusted
		putBack
		setUpCause
		exception
		all
	)
	const moving = adjusted | putBack
	for had := range all {
		if had&pointLeftOut != 0 && had&(outside|moving|setUpCause) != 0 || had&exception != 0 && had&moving != 0 ||
			had&moving == moving {
			continue // the point that is outside is the one that was read; an exception adjusts nothing
		}
		d := small()
		d.Steps = append(d.Steps, &procedure.CheckStep{Check: "Wheels", StepBase: procedure.StepBase{Optional: true}},
			&procedure.CheckStep{Check: "Alarms"}, &procedure.ActStep{Act: "Wipe"})
		is := func(what int) bool { return had&what != 0 }
		b := open(t, d)
		b.who = tamsin
		s := mixture()
		bind := run.BindStandard{Role: "mixture", Standard: s}
		if is(exception) {
			bind.Standard.Certificate.DueOn = start.AddDate(0, 0, -3)
			bind.Override = "before transport"
		}
		b.do(bind, run.AnswerCheck{Step: "cautions", Answer: run.Fine})
		switch {
		case is(itemFailed):
			b.do(run.AnswerCheck{Step: "casing", Answer: run.NotFine, Note: "cracked"})
		case is(notFitted):
			b.do(run.AnswerCheck{Step: "casing", Answer: run.NA, Note: "has none"})
		default:
			b.do(run.AnswerCheck{Step: "casing", Answer: run.Fine})
		}
		b.do(run.StartWait{Step: "warm-up"}, run.CutWait{Step: "warm-up", Reason: "was warm"},
			run.RecordAmbient{Step: "room", Temperature: "21", Pressure: "1008", Humidity: "46", Source: "RC"},
			run.DoStep{Step: "open-the-gas"})
		gas := map[bool]string{true: "4,55", false: "5,01"}[is(outside) || is(adjusted)]
		first := gas
		if is(setUpCause) {
			first = "4,40"
		}
		round := func(gas string) {
			b.do(b.read("zero", "0.04"))
			b.do(b.read("gas", gas))
			b.do(run.ClosePhase{Finding: "verdict"})
		}
		adjust25 := []run.Command{run.DecideFinding{Finding: "verdict", Decision: adjust.Adjust, Reason: "as told"},
			run.MakeAdjustment{Finding: "verdict", Control: "span", Steps: 25}}
		if is(pointLeftOut) {
			b.do(b.read("zero", "0.04"))
			b.do(run.OmitPoint{Measure: "response", Point: "gas", Reason: "no time"}, run.ClosePhase{Finding: "verdict"})
		} else {
			round(first)
		}
		if is(putBack) {
			b.do(adjust25...)
			b.refused(run.VoidAsFound{Finding: "verdict", Cause: "a leak at the adapter", Done: "tightened"}, "adjusted", "changed since")
			round("5,02")
			b.do(run.TakeBack{Finding: "verdict", Reason: "made from a bad reading"})
			b.refused(run.VoidAsFound{Finding: "verdict", Cause: "a leak at the adapter", Done: "tightened"}, "unread", "not read again")
			round(first)
		}
		if is(setUpCause) {
			b.do(run.VoidAsFound{Finding: "verdict", Cause: "a leak at the adapter", Done: "tightened"})
			round(gas)
		}
		if is(adjusted) {
			b.do(adjust25...)
			round(map[bool]string{true: "4,55", false: "5,01"}[is(outside)])
		}
		b.do(run.DecideFinding{Finding: "verdict", Decision: adjust.Leave, Reason: "as told"})
		b.finished()
		leave := func(out bool, step string, do run.Command) {
			if out {
				do = run.SkipStep{Step: step, Reason: "no time"}
			}
			b.do(do)
		}
		leave(is(optionalLeftOut), "wheels", run.AnswerCheck{Step: "wheels", Answer: run.Fine})
		leave(is(checkNotDone), "alarms", run.AnswerCheck{Step: "alarms", Answer: run.Fine})
		leave(is(actNotDone), "wipe", run.DoStep{Step: "wipe"})

		want := run.Conforms
		switch {
		case is(itemFailed) || is(outside):
			want = run.Fails
		case is(checkNotDone) || is(actNotDone) || is(pointLeftOut) || is(exception):
			want = run.NotComplete
		case is(adjusted):
			want = run.ConformsAdjusted
		case is(setUpCause):
			want = run.ConformsSetUp
		}
		result, why := b.run.Outcome()
		name := fmt.Sprintf("%011b: %s", had, why)
		assert.Equal(t, want, result, name)
		if result == run.NotComplete {
			for what, title := range map[int]string{checkNotDone: "Alarms", actNotDone: "Wipe", pointLeftOut: "Response gas",
				exception: "HG-22 is an exception", optionalLeftOut: "Wheels", notFitted: "Casing"} {
				required := what != optionalLeftOut && what != notFitted
				assert.Equal(t, is(what) && required, strings.Contains(why, title), "%s: %s", name, title)
			}
		}
		levels := b.run.FoundOut()
		_, opens := lookback.OnDevice(lookback.Subject{Risk: 5}, lookback.Window{From: start.AddDate(-1, 0, 0), Until: start}, levels,
			result == run.ConformsAdjusted)
		assert.Equal(t, is(outside) || is(adjusted), opens && len(levels) > 0, "look-back, %s", name)
		signed := device.Facts{Register: "in use", Last: []device.LastRun{{Procedure: "small", Result: result, At: b.now}}}
		assert.Equal(t, want == run.Fails, device.Of(signed, b.now).Stop, "tag, %s", name)
		signed.Last[0].EachUse = true
		assert.Equal(t, !want.Passed(), device.Of(signed, b.now).Stop, "tag before each use, %s", name)
		if is(setUpCause) && !is(putBack) {
			assert.Contains(t, strings.Join(b.view().Remarks, "\n"), "a leak at the adapter. Put right: tightened", name)
		}
	}
}

// As found that is read again and agrees with the first shows that the cause was none: then the first stands, with its
// look-back; and a device that keeps people alive is countersigned by somebody else.
func TestASetUpCauseIsNoWayRoundALookBack(t *testing.T) {
	void := run.VoidAsFound{Finding: "verdict", Cause: "a leak at the adapter", Done: "tightened"}
	again := func(second string, risk int) *bench {
		b := open(t, small(), func(o *run.RunOpened) { o.Device.Risk, o.Lab.Review = risk, procedure.ReviewNever }).prepared()
		b.refused(void, "as-found-open", "Close as found first")
		b.found("4,45")
		b.do(run.DecideFinding{Finding: "verdict", Decision: adjust.Investigate, Reason: "as told"})
		b.refused(run.VoidAsFound{Finding: "verdict", Cause: "a leak", Done: "tightened"}, "cause", "tell it in words")
		b.refused(run.VoidAsFound{Finding: "verdict", Cause: "a leak at the adapter"}, "done", "put right")
		b.do(void)
		b.found(second)
		return b
	}
	same := again("4,47", 3)
	require.Len(t, same.run.Findings["verdict"].Voided, 1)
	assert.True(t, same.run.Findings["verdict"].Voided[0].Stands)
	v, err := same.run.Judge(same.run.Procedure.Measure("response"), same.run.Procedure.Measure("response").Point("gas"), 0)
	require.NoError(t, err)
	assert.InDelta(t, -0.55, v.Error, 1e-9, "the first stands, not the second")
	assert.NotEmpty(t, same.run.FoundOut())
	same.do(run.MakeAdjustment{Finding: "verdict", Note: "the cell was wet; dried"})
	same.found("5,01")
	same.do(run.DecideFinding{Finding: "verdict", Decision: adjust.Leave})
	result, _ := same.run.Outcome()
	assert.Equal(t, run.ConformsAdjusted, result, "it goes on where it was left: looking for the cause")

	for risk, review := range map[int]bool{0: true, 3: false, 4: true, 5: true} {
		b := again("5,01", risk)
		assert.Empty(t, b.run.FoundOut())
		b.do(run.DecideFinding{Finding: "verdict", Decision: adjust.Leave})
		b.finished()
		result, _ := b.run.Outcome()
		assert.Equal(t, review, b.run.NeedsReview(idris, result), "risk %d", risk)
	}
}

// A statement can be limited where its procedure says so, and only at its ends.
func TestALimitedStatementStandsForWhatWasRead(t *testing.T) {
	for left, want := range map[string]run.Result{"a": run.Conforms, "b": run.NotComplete, "c": run.Conforms} {
		d := small()
		m := d.Steps[4].(*procedure.Measure)
		m.Limited = true
		m.Points = []procedure.Point{{ID: "a", Label: "a", At: "1", U: 0.02}, {ID: "b", Label: "b", At: "3", U: 0.02},
			{ID: "c", Label: "c", At: "5", U: 0.02}}
		b := open(t, d).prepared()
		for point, typed := range map[string]string{"a": "1.00", "b": "3.00", "c": "5.00"} {
			if point == left {
				b.do(run.OmitPoint{Measure: "response", Point: point, Reason: "no weight"})
				continue
			}
			b.do(b.read(point, typed))
		}
		b.do(run.ClosePhase{Finding: "verdict"}, run.DecideFinding{Finding: "verdict", Decision: adjust.Leave})
		b.finished()
		assert.Equal(t, want, b.view().Result, left)
		assert.Equal(t, map[string][]string{"a": {"Response: from 3 to 5 vol%"}, "b": nil, "c": {"Response: from 1 to 3 vol%"}}[left],
			b.view().Limited)
	}
}
