package run_test

import (
	"fmt"
	"strings"
	"testing"

	"northneedle/core/adjust"
	"northneedle/core/procedure"
	"northneedle/core/run"

	"github.com/stretchr/testify/assert"
)

// The table goes through every combination of what can go wrong in a run. The gravest thing decides the result word, and
// a run that is not complete names each required thing that was not done.
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
		exception
		all
	)
	for had := range all {
		if had&outside != 0 && had&pointLeftOut != 0 || had&adjusted != 0 && had&(exception|pointLeftOut) != 0 {
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
			run.DoStep{Step: "open-the-gas"}, b.read("zero", "0.04"))
		gas := map[bool]string{true: "4,45", false: "5,01"}[is(outside) || is(adjusted)]
		if is(pointLeftOut) {
			b.do(run.OmitPoint{Measure: "response", Point: "gas", Reason: "no time"})
		} else {
			b.do(b.read("gas", gas))
		}
		b.do(run.ClosePhase{Finding: "verdict"})
		decide := run.DecideFinding{Finding: "verdict", Decision: adjust.Leave, Reason: "as told"}
		if is(adjusted) {
			left := map[bool]string{true: "4,45", false: "5,01"}[is(outside)]
			b.do(run.DecideFinding{Finding: "verdict", Decision: adjust.Adjust, Reason: "as told"},
				run.MakeAdjustment{Finding: "verdict", Control: "span", Steps: 25})
			b.do(b.read("zero", "0.05"))
			b.do(b.read("gas", left))
			b.do(run.ClosePhase{Finding: "verdict"})
		}
		b.do(decide)
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
		}
		result, why := b.run.Outcome()
		name := fmt.Sprintf("%09b: %s", had, why)
		assert.Equal(t, want, result, name)
		if result == run.NotComplete {
			for what, title := range map[int]string{checkNotDone: "Alarms", actNotDone: "Wipe", pointLeftOut: "Response gas",
				exception: "HG-22 is an exception", optionalLeftOut: "Wheels", notFitted: "Casing"} {
				required := what != optionalLeftOut && what != notFitted
				assert.Equal(t, is(what) && required, strings.Contains(why, title), "%s: %s", name, title)
			}
		}
	}
}
