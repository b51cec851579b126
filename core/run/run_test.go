package run_test

import (
	"encoding/json"
	"fmt"
	"math"
	"slices"
	"testing"
	"time"

	"northneedle/core/run"

	"northneedle/core/adjust"
	"northneedle/core/person"
	"northneedle/core/procedure"
	"northneedle/core/reference"
	"northneedle/core/runview"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func TestARunFromOutToSigned(t *testing.T) {
	b := open(t, small()).prepared().found("4,45")
	v := b.view()
	found := v.Measures[0].Points[1].Found
	require.NotNil(t, found)
	assert.Equal(t, "outside", string(found.Zone))
	assert.InDelta(t, -0.55, found.Error, 1e-9)
	assert.Contains(t, found.Sentence, "Outside. Error −0.550, limit ±0.400, U 0.0")
	advice := v.Findings[0].Advice
	require.Equal(t, adjust.Adjust, advice.Decision)
	assert.Equal(t, []string{"aged"}, v.Findings[0].Causes)
	require.Equal(t, 25, advice.Moves[0].Steps, "5/4.45 is 12.4 %: 25 presses of 0.5 %")

	b.do(run.DecideFinding{Finding: "verdict", Decision: adjust.Adjust},
		run.MakeAdjustment{Finding: "verdict", Control: "span", Steps: 25})
	b.do(b.read("zero", "0.05"))
	b.do(b.read("gas", "5.01"))
	b.do(run.ClosePhase{Finding: "verdict"}, run.DecideFinding{Finding: "verdict", Decision: adjust.Leave})
	b.refused(run.SignRun{Statement: "Done."}, "not-finished", "Gas open: still a loose end")
	b.finished()
	assert.Empty(t, b.view().Blockers)
	b.do(run.SignRun{Statement: "Adjusted and verified."})

	v = b.view()
	assert.Equal(t, run.Signed, v.Status)
	assert.Equal(t, run.ConformsAdjusted, v.Result)
	assert.Equal(t, "2026-09-02", v.Next.On.Format(time.DateOnly))
	assert.Equal(t, 4.45, v.Measures[0].Points[1].Found.Indicated, "as found stays as it was")
	assert.Equal(t, 5.01, v.Measures[0].Points[1].Left.Indicated)
	b.refused(run.AddNote{Text: "late"}, "signed", "does not change any more")
}

// Any reading of the round under way may be withdrawn, not only the last: its point is the next to be read.
func TestAPointOfTheMiddleIsReadAgain(t *testing.T) {
	b := open(t, small()).prepared()
	first := b.read("zero", "0.04")
	b.do(first)
	b.do(b.read("gas", "4.98"))
	b.refused(run.WithdrawReading{Reading: first.Reading}, "reason-needed", "stays visible")
	b.do(run.WithdrawReading{Reading: first.Reading, Reason: "someone breathed at the inlet"})
	_, next := b.run.NextPoint(b.now)
	require.NotNil(t, next)
	assert.Equal(t, "zero", next.ID)
	b.refused(run.ClosePhase{Finding: "verdict"}, "incomplete", "Response, zero")
	b.do(b.read("zero", "0.05"))
	b.do(run.ClosePhase{Finding: "verdict"})
	assert.Contains(t, b.view().Remarks, "Response, zero (as found): a reading was withdrawn: someone breathed at the inlet.")
	b.refused(run.WithdrawReading{Reading: first.Reading, Reason: "x"}, "closed", "do not change any more")
}

func TestOrderIsKept(t *testing.T) {
	b := open(t, small())
	b.refused(b.read("gas", "5"), "out-of-order", "Bring together comes before Response")
	b.refused(run.DoStep{Step: "open-the-gas"}, "out-of-order", "Bring together")
	b.do(run.BindStandard{Role: "mixture", Standard: mixture()}, run.AnswerCheck{Step: "cautions", Answer: run.Fine},
		run.AnswerCheck{Step: "casing", Answer: run.Fine}, run.StartWait{Step: "warm-up"},
		run.RecordAmbient{Step: "room", Temperature: "21", Pressure: "1008", Humidity: "46", Source: "RC"})
	b.refused(run.DoStep{Step: "open-the-gas"}, "waiting", "Warm-up runs until")
	b.refused(run.CutWait{Step: "warm-up"}, "reason-needed", "it is cold")
	b.do(run.CutWait{Step: "warm-up", Reason: "was warm"}, run.DoStep{Step: "open-the-gas"})
	b.do(b.read("zero", "0.04"))
	assert.Equal(t, "Warm-up cut short: was warm", b.view().Measures[0].Points[0].Readings[0].Early,
		"an early reading is marked")
	assert.Contains(t, b.view().Remarks, "Warm-up was cut short: was warm.")
	b.refused(run.DecideFinding{Finding: "verdict", Decision: adjust.Leave}, "as-found-open", "Close as found first")
	b.refused(run.MakeAdjustment{Finding: "verdict", Control: "span", Steps: 1}, "not-adjusting",
		"before as found is closed")
	b.refused(run.ClosePhase{Finding: "verdict"}, "incomplete", "Response, gas is still to be read")
	b.refused(run.SignRun{Statement: "x"}, "not-finished", "Verdict is not decided yet")
	b.do(run.DoStep{Step: "close-the-gas"}) // closing is never out of order
	b.refused(run.DoStep{Step: "close-the-gas"}, "done", "done already")
	b.refused(run.DoStep{Step: "nowhere"}, "no-such-step", "nowhere")
}

func TestEntriesThatCannotBeRight(t *testing.T) {
	b := open(t, small()).prepared()
	b.refused(b.read("gas", ""), "number", "Nothing was typed")
	b.refused(b.read("gas", "four"), "number", "not a number")
	b.refused(b.read("gas", "4,9.1"), "number", "both a comma and a point")
	b.refused(b.read("gas", "49.9"), "magnitude", "4.99 would fit")
	yes := b.read("gas", "49.9")
	yes.Confirmed = true
	b.do(yes)
	assert.True(t, b.view().Measures[0].Points[1].GrossOpen)
	b.refused(run.RecordAmbient{
		Step:        "room",
		Temperature: "21",
		Pressure:    "10080",
		Humidity:    "46",
		Source:      "x",
	}, "range", "Is the unit right?")
	b.refused(run.RecordAmbient{
		Step:        "room",
		Temperature: "warm",
		Pressure:    "1008",
		Humidity:    "46",
		Source:      "x",
	}, "number", "temperature")
	b.refused(run.AnswerCheck{Step: "casing", Answer: run.NotFine}, "note-needed", "what is not fine")
	b.refused(run.AnswerCheck{Step: "casing", Answer: run.NA}, "note-needed", "why it does not apply")
	b.refused(run.AnswerCheck{Step: "casing", Answer: "perhaps"}, "answer", "fine, not fine or does not apply")
}

func TestAGrossErrorAsksForTheSetUp(t *testing.T) {
	b := open(t, small()).prepared()
	b.do(b.read("zero", "0.04"))
	b.do(b.read("gas", "3.1"))
	b.refused(b.read("gas", "3.1"), "gross", "Look at the set-up first")
	b.refused(run.ClosePhase{Finding: "verdict"}, "gross", "repeat the point before closing")
	b.refused(run.CheckSetUp{Measure: "response", Point: "gas"}, "note-needed", "what you found")
	b.do(run.CheckSetUp{Measure: "response", Point: "gas", Note: "adapter was loose"})
	b.do(b.read("gas", "4.98"))
	b.do(run.ClosePhase{Finding: "verdict"})
	v := b.view()
	assert.Equal(t, 4.98, v.Measures[0].Points[1].Found.Indicated,
		"the reading before the set-up was mended does not count")
	assert.Contains(t, v.Remarks,
		"Response, gas (as found): 3.10 vol% was read first, far out, and does not count. At the set-up was found: adapter was loose. Then it was read again.")
	assert.Len(t, v.Measures[0].Points[1].Readings, 2, "and stays in the record")
	assert.Equal(t, adjust.Leave, v.Findings[0].Advice.Decision)

	again := open(t, small()).prepared()
	again.do(again.read("zero", "0.04"))
	again.do(again.read("gas", "3.1"))
	again.do(run.CheckSetUp{Measure: "response", Point: "gas", Note: "all in order"})
	again.do(again.read("gas", "3.1"))
	again.do(run.ClosePhase{Finding: "verdict"})
	assert.Equal(t, adjust.Investigate, again.view().Findings[0].Advice.Decision,
		"a gross error is never adjusted away silently")
	again.refused(run.DecideFinding{Finding: "verdict", Decision: adjust.Adjust}, "reason-needed",
		"The advice is to investigate")
}

func TestWithdrawingAndAsFoundForGood(t *testing.T) {
	b := open(t, small()).prepared()
	wrong := b.read("gas", "5.21")
	b.do(wrong)
	b.refused(b.read("gas", "5.0"), "complete", "has its readings")
	b.refused(run.WithdrawReading{Reading: wrong.Reading}, "reason-needed", "why")
	b.do(run.WithdrawReading{Reading: wrong.Reading, Reason: "mistyped"})
	b.refused(run.WithdrawReading{Reading: wrong.Reading, Reason: "again"}, "withdrawn", "already")
	b.found("5.02")
	last := b.run.Readings[len(b.run.Readings)-1]
	b.refused(run.WithdrawReading{Reading: last.Reading, Reason: "regret"}, "closed", "do not change any more")
	b.refused(b.read("gas", "5.0"), "closed", "As found is closed")
	assert.Contains(t, fmt.Sprint(b.view().Remarks), "a reading was withdrawn: mistyped")
	b.refused(run.DecideFinding{Finding: "verdict", Decision: adjust.Withdraw}, "reason-needed",
		"the record keeps both")
	b.do(run.DecideFinding{Finding: "verdict", Decision: adjust.Leave})
	b.finished().do(run.SignRun{Statement: "Fine."})
	assert.Equal(t, run.Conforms, b.view().Result)
}

func TestOpenItemsOutliveTheRun(t *testing.T) {
	b := open(t, small()).prepared()
	b.do(run.AddOpenItem{What: "Alarms silenced"})
	b.refused(run.AddOpenItem{What: "Alarms silenced"}, "open", "already")
	b.refused(run.SkipStep{Step: "close-the-gas", Reason: "later"}, "loose-end", "closes a loose end")
	b.refused(run.AbandonRun{}, "reason-needed", "why")
	b.do(run.AbandonRun{Reason: "patient needs the bed"})
	b.refused(b.read("gas", "5"), "abandoned", "abandoned")
	b.do(run.CloseOpenItem{What: "Gas open"})
	b.refused(run.CloseOpenItem{What: "Gas open"}, "not-open", "not open")
}

func TestStandardsMustFit(t *testing.T) {
	change := func(f func(*reference.Standard)) reference.Standard { s := mixture(); f(&s); return s }
	for words, s := range map[string]reference.Standard{
		"ran out":        change(func(s *reference.Standard) { s.Certificate.DueOn = start.AddDate(0, 0, -3) }),
		"is quarantined": change(func(s *reference.Standard) { s.Status = reference.Quarantined }),
		"needs 4 to 6":   change(func(s *reference.Standard) { s.Values[0].Value = 9 }),
		"states no uncertainty": change(func(s *reference.Standard) {
			s.Values = []reference.Certified{{Quantity: "CO2", Value: 5, Unit: "%{vol}", K: 2}}
		}),
		"no certified value for": change(func(s *reference.Standard) { s.Values = nil }),
		"this run uses about 5":  change(func(s *reference.Standard) { s.Cylinder.GaugeBar = 6 }),
		"no certificate":         change(func(s *reference.Standard) { s.Certificate = reference.Certificate{} }),
		"which is not a":         change(func(s *reference.Standard) { s.Values[0].Unit = "kg" }),
	} {
		b := open(t, small())
		b.refused(run.BindStandard{Role: "mixture", Standard: s}, "unfit-standard", words)
		b.refused(run.BindStandard{Role: "mixture", Standard: s, Override: "only one"}, "lead-only", "Only a lead")
	}
	b := open(t, small())
	b.refused(run.BindStandard{Role: "probe", Standard: mixture()}, "no-such-role", "probe")
	late := change(func(s *reference.Standard) { s.Certificate.DueOn = start.AddDate(0, 0, -3) })
	b.who = tamsin
	b.do(run.BindStandard{Role: "mixture", Standard: late, Override: "as found before transport"})
	b.do(run.AnswerCheck{Step: "cautions", Answer: run.Fine}, run.AnswerCheck{Step: "casing", Answer: run.NA, Note: "has none"},
		run.SkipStep{Step: "warm-up", Reason: "warm"}, run.SkipStep{Step: "room", Reason: "no barometer"},
		run.DoStep{Step: "open-the-gas"})
	b.found("4.4")
	b.refused(run.DecideFinding{Finding: "verdict", Decision: adjust.Adjust}, "as-found-only", "as-found readings only")
	b.refused(run.BindStandard{Role: "mixture", Standard: mixture()}, "role-in-use", "readings were taken with HG-22")
}

func TestWhoMayDoWhat(t *testing.T) {
	b := open(t, small())
	b.who = odile
	b.refused(run.AddNote{Text: "hello"}, "technician-only", "a manager reads them")

	b.who = idris
	b.prepared().found("3.9")
	b.do(run.DecideFinding{Finding: "verdict", Decision: adjust.Withdraw, Reason: "no spare cell"})
	b.finished()
	sign := run.SignRun{Statement: "Taken out of use."}
	b.refused(sign, "reviewer-missing", "name the lead")
	sign.Reviewer = &idris
	b.refused(sign, "reviewer-self", "Nobody reviews their own run")
	sign.Reviewer = &fenn
	b.refused(sign, "lead-only", "Only a lead reviews")
	sign.Reviewer = &tamsin
	b.do(sign)
	assert.Equal(t, run.InReview, b.view().Status)
	assert.Equal(t, run.Fails, b.view().Result)
	assert.Nil(t, b.view().Next, "a device that fails gets no next date")
	b.refused(run.ReviewRun{}, "own-run", "has no part in it")
	b.who = fenn
	b.refused(run.ReviewRun{}, "lead-only", "Only a lead")
	b.who = idris
	b.refused(run.AddNote{Text: "x"}, "in-review", "waits for review")
	b.who = tamsin
	b.refused(run.ReturnRun{}, "reason-needed", "looked at again")
	b.do(run.ReturnRun{Reason: "which cell?"})
	assert.Equal(t, run.Open, b.view().Status)
	b.who = idris
	b.do(run.AddNote{Text: "cell of 2023"}, sign)
	b.who = tamsin
	b.do(run.ReviewRun{Note: "agreed"})
	assert.Equal(t, run.Signed, b.view().Status)
}

func TestLeavingOutIsSaid(t *testing.T) {
	b := open(t, small()).prepared()
	b.do(b.read("zero", "0.04"))
	b.refused(run.OmitPoint{Measure: "response", Point: "gas"}, "reason-needed", "The certificate will state it")
	b.do(run.OmitPoint{Measure: "response", Point: "gas", Reason: "cylinder empty"}, run.ClosePhase{Finding: "verdict"},
		run.DecideFinding{Finding: "verdict", Decision: adjust.Leave})
	b.finished()
	b.refused(run.SignRun{Statement: "Zero only."}, "reviewer-missing", "lead")
	b.do(run.SignRun{Statement: "Zero only.", Reviewer: &tamsin})
	assert.Equal(t, run.NotComplete, b.view().Result)
	assert.Contains(t, b.view().Remarks, "Response, gas (as found) was left out: cylinder empty.")
}

func TestAPartialPressureDisplay(t *testing.T) {
	p := small()
	b := open(t, p)
	b.run.Device.Settings = map[string]string{"unit.response": "mm[Hg]", "co2_basis": "btps"}
	b.run.Device.Resolution = map[string]float64{"response": 0.1}
	assert.Contains(t, b.view().Measures[0].Points[0].Missing, "record the room conditions")
	b.prepared()
	e := b.view().Measures[0].Points[1].Expected
	require.NotNil(t, e)
	assert.InDelta(t, 0.05*(1008-62.81)/1.33322387415, e.Reference, 0.01, "p = F · (PB − pH₂O at 37 °C)")
	assert.InDelta(t, 0.4*(1008-62.81)/133.322387415, *e.High-e.Reference, 0.01, "the tolerance is converted too")
}

func TestFactsTravelAsJSON(t *testing.T) {
	b := open(t, small()).prepared().found("4.45")
	b.do(run.DecideFinding{Finding: "verdict", Decision: adjust.Adjust})
	events := make([]run.Event, len(b.events))
	for i, e := range b.events {
		raw, err := json.Marshal(e.Fact)
		require.NoError(t, err)
		fact, err := run.DecodeFact(run.KindOf(e.Fact), raw)
		require.NoError(t, err)
		events[i] = e
		events[i].Fact = fact
	}
	want, _ := json.Marshal(b.view())
	got, _ := json.Marshal(runview.Of(run.Fold(compiled(t, small()), events), b.now))
	assert.JSONEq(t, string(want), string(got))
	_, err := run.DecodeFact("Invented", []byte("{}"))
	assert.ErrorContains(t, err, "Invented")
}

// anyCommand draws a command that may or may not make sense.
func anyCommand(t *rapid.T, n int) run.Command {
	step := rapid.SampledFrom([]string{"cautions", "casing", "warm-up", "room", "open-the-gas", "response", "verdict",
		"close-the-gas", "menu-left", "sign", "bring-together", "x"}).Draw(t, "step")
	point := rapid.SampledFrom([]string{"zero", "gas", "x"}).Draw(t, "point")
	words := rapid.SampledFrom([]string{"", "because"}).Draw(t, "words")
	typed := rapid.SampledFrom([]string{"5.01", "0.04", "4,4", "49", "3", "x", "", "-1e300"}).Draw(t, "typed")
	reading := fmt.Sprintf("r-%d", rapid.IntRange(0, n).Draw(t, "reading"))
	decision := rapid.SampledFrom([]adjust.Decision{adjust.Leave, adjust.Adjust, adjust.Investigate, adjust.Withdraw,
		"x"}).Draw(t, "decision")
	return rapid.SampledFrom([]run.Command{
		run.BindStandard{Role: "mixture", Standard: mixture(), Override: words},
		run.AnswerCheck{Step: step, Answer: run.Fine}, run.AnswerCheck{Step: step, Answer: run.NotFine, Note: words},
		run.DoStep{Step: step}, run.SkipStep{Step: step, Reason: words}, run.StartWait{Step: step},
		run.CutWait{Step: step, Reason: words},
		run.RecordAmbient{Step: step, Temperature: "21", Pressure: "1008", Humidity: "40", Source: "r"},
		run.RecordPlate{Step: step},
		run.CaptureReading{Reading: fmt.Sprintf("r-%d", n), Measure: "response", Point: point, Typed: typed,
			Confirmed: true},
		run.WithdrawReading{Reading: reading, Reason: words},
		run.OmitPoint{Measure: "response", Point: point, Reason: words},
		run.CheckSetUp{Measure: "response", Point: point, Note: words},
		run.ClosePhase{Finding: step}, run.DecideFinding{Finding: step, Decision: decision, Reason: words},
		run.MakeAdjustment{Finding: step, Control: "span", Steps: rapid.IntRange(-3, 3).Draw(t, "steps")},
		run.AddOpenItem{What: words}, run.CloseOpenItem{What: "Gas open"}, run.AddNote{Text: words},
		run.SignRun{Statement: words, Reviewer: &tamsin},
		run.TakeBack{Finding: step, Reason: words}, run.ReviseCertificate{Reason: words, Remark: words},
		run.ReviewRun{}, run.ReturnRun{Reason: words},
		run.AbandonRun{Reason: rapid.SampledFrom([]string{"", "", "", "end"}).Draw(t, "end")},
	}).Draw(t, "command")
}

func TestAFoldNeverPanicsAndNeverLooksBack(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		b := open(t, small())
		if rapid.Bool().Draw(rt, "begun") {
			b.prepared()
		}
		for n := range rapid.IntRange(1, 40).Draw(rt, "commands") {
			b.who = rapid.SampledFrom([]person.Person{idris, idris, tamsin, fenn}).Draw(rt, "who")
			before := b.run
			was, err := json.Marshal(runview.Of(before, start))
			require.NoError(rt, err, "a view is never NaN")
			_ = b.try(anyCommand(rt, n))
			is, err := json.Marshal(runview.Of(before, start))
			require.NoError(rt, err)
			require.Equal(rt, string(was), string(is), "applying an event leaves the run before it as it was")
		}
		for i, e := range b.events {
			require.Equal(rt, i+1, e.Seq)
		}
		again, err := json.Marshal(runview.Of(run.Fold(b.run.Procedure, b.events), b.now))
		require.NoError(rt, err)
		now, _ := json.Marshal(b.view())
		require.Equal(rt, string(now), string(again), "the same events give the same run")
		require.NoError(rt, run.Replay(compiled(t, small()), b.events), "what came about by the rules is replayed by them")
	})
}

func TestLookingForTheCauseReadsEverythingAgain(t *testing.T) {
	b := open(t, small()).prepared()
	b.do(b.read("zero", "0.04"), b.read("gas", "3.1"),
		run.CheckSetUp{Measure: "response", Point: "gas", Note: "nothing seen"})
	b.do(b.read("gas", "3.1"), run.ClosePhase{Finding: "verdict"})
	stretch := b.run.TraceOf(b.run.Procedure.Measure("response"))
	b.do(run.DecideFinding{Finding: "verdict", Decision: adjust.Investigate})
	assert.True(t, b.view().Findings[0].Looking)
	b.refused(b.read("gas", "5"), "not-adjusted", "first")
	b.refused(run.MakeAdjustment{Finding: "verdict", Control: "span", Steps: 2, Note: "x"}, "investigating",
		"nothing is adjusted in this round")
	b.refused(run.MakeAdjustment{Finding: "verdict", Note: " "}, "note-needed", "even if it was nothing")
	b.do(run.MakeAdjustment{Finding: "verdict", Note: "the adapter was cracked; a new one fitted"})
	assert.NotEqual(t, stretch, b.run.TraceOf(b.run.Procedure.Measure("response")),
		"what an instrument sent before says nothing any more")
	b.do(b.read("zero", "0.04"), b.read("gas", "5.01"), run.ClosePhase{Finding: "verdict"})
	assert.Equal(t, 3.1, b.view().Measures[0].Points[1].Found.Indicated, "as found stays as it was")
	assert.Equal(t, adjust.Leave, b.view().Findings[0].Advice.Decision)
	b.do(run.DecideFinding{Finding: "verdict", Decision: adjust.Leave})
	b.finished().do(run.SignRun{Statement: "Adapter replaced."})
	assert.Equal(t, run.ConformsAdjusted, b.view().Result)
}

func TestATableHasAnEntryForEachPoint(t *testing.T) {
	p := small()
	p.Steps[5].(*procedure.Finding).Controls = []adjust.Control{{ID: "table", Label: "table", Kind: adjust.Table,
		Step: 0.1}}
	b := open(t, p).prepared().found("5.45")
	moves := b.view().Findings[0].Advice.Moves
	require.Len(t, moves, 1)
	assert.Equal(t, "response/gas", moves[0].Point)
	b.do(run.DecideFinding{Finding: "verdict", Decision: adjust.Adjust})
	b.refused(run.MakeAdjustment{Finding: "verdict", Control: "table", Steps: -4}, "no-entry", "say which")
	b.refused(run.MakeAdjustment{
		Finding: "verdict",
		Control: "table",
		Point:   "response/nowhere",
		Steps:   -4,
	}, "no-entry", "say which")
	b.do(run.MakeAdjustment{Finding: "verdict", Control: "table", Point: moves[0].Point, Steps: moves[0].Steps})

	span := open(t, small()).prepared().found("5.45")
	span.do(run.DecideFinding{Finding: "verdict", Decision: adjust.Adjust})
	span.refused(run.MakeAdjustment{
		Finding: "verdict",
		Control: "span",
		Point:   "response/gas",
		Steps:   -4,
	}, "no-entry", "every point alike")
}

func TestTooColdIsNoFailure(t *testing.T) {
	p := small()
	p.Steps[2].(*procedure.AmbientStep).Temperature = &procedure.Window{From: 15, To: 30,
		Why: "the cell reads low when cold"}
	b := open(t, p)
	b.refused(run.RecordAmbient{
		Step:        "room",
		Temperature: "12",
		Pressure:    "1008",
		Humidity:    "46",
		Source:      "RC-01",
	}, "too-cold-or-warm", "no failure")
	b.do(run.RecordAmbient{Step: "room", Temperature: "15", Pressure: "1008", Humidity: "46", Source: "RC-01"})
}

func TestOtherSchoolsAreShownBesideTheOneThatDecides(t *testing.T) {
	p := small()
	p.Steps[4].(*procedure.Measure).School = "ours"
	p.Steps[4].(*procedure.Measure).Alternatives = []procedure.AlternativeTolerance{{Title: "tight", Tolerance: "±0.1"},
		{Title: "wide", Tolerance: "±10 % of reading"}}
	b := open(t, p).prepared().found("5.25")
	v := b.view().Measures[0].Points[1].Found
	require.Len(t, v.Alternatives, 2)
	assert.True(t, v.Pass)
	assert.Equal(t, []bool{false, true}, []bool{v.Alternatives[0].Pass, v.Alternatives[1].Pass})
	assert.InDelta(t, 2.5, v.Alternatives[0].ErrorToLimit, 1e-9)

	b = open(t, p,
		func(o *run.RunOpened) { o.Lab.Schools = []string{"tight"} }).prepared().found("5.25") // the lab may choose another
	v = b.view().Measures[0].Points[1].Found
	assert.False(t, v.Pass)
	require.Len(t, v.Alternatives, 2)
	assert.Equal(t, "ours", v.Alternatives[0].Title)
	assert.True(t, v.Alternatives[0].Pass)
	p.Steps[4].(*procedure.Measure).School = ""
	assert.NotEmpty(t, mistakes(p))
}

func TestWhatIsChosenDecidesWhichPointsAndControlsThereAre(t *testing.T) {
	p := small()
	choice := &procedure.RecordStep{Record: "Mode",
		Fields: []procedure.Field{{ID: "mode", Label: "Mode",
			Options: []procedure.Option{{ID: "long", Title: "long"}, {ID: "short", Title: "short"}}}}}
	p.Steps = slices.Insert(p.Steps, 4, procedure.Step(choice))
	m, f := p.Steps[5].(*procedure.Measure), p.Steps[6].(*procedure.Finding)
	m.Points[0].When = "mode = long"
	f.Controls = append(f.Controls, adjust.Control{
		ID:    "offset",
		Label: "offset",
		Kind:  adjust.Offset,
		Step:  0.1,
		When:  "mode = long",
	})
	for mode, points := range map[string]int{"long": 2, "short": 1} {
		b := open(t, p).prepared()
		assert.Len(t, b.view().Measures[0].Points, 1, "nothing is chosen yet")
		b.do(run.RecordPlate{Step: "mode", Values: map[string]string{"mode": mode}})
		assert.Len(t, b.view().Measures[0].Points, points)
		assert.Len(t, b.view().Findings[0].Controls, points)
	}
	m.Points[0].When = "mode = middle"
	assert.ErrorContains(t, mistakes(p)[0], `no earlier record lets "middle" be chosen`)
}

// signed is a run of a procedure with nothing to adjust, signed.
func signed(t *testing.T, p procedure.Definition) *bench {
	b := open(t, p).prepared().found("5.02")
	b.do(run.DecideFinding{Finding: "verdict", Decision: adjust.Leave})
	b.finished().do(run.SignRun{Statement: "Checked."})
	return b
}

func TestACalibrationIsGoodNoLongerThanTheLotItWasMadeWith(t *testing.T) {
	p := small()
	p.Next = procedure.Next{Months: 12, Within: procedure.RoleList{"mixture"}}
	next := signed(t, p).run.Next()
	require.NotNil(t, next)
	assert.Equal(t, start.AddDate(0, 6, 0), next.On)
	assert.Contains(t, next.Reason, "HG-22, which it was made with, is good until")
	p.Next.Within = procedure.RoleList{"mixture", "nothing"}
	assert.NotEmpty(t, mistakes(p))
}

// A run can be read from a file: whatever its events are, folding and showing them does
// not panic.
func TestAFoldOfAnyEventsDoesNotPanic(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		var facts []run.Fact
		for range rapid.IntRange(1, 3).Draw(rt, "runs") {
			b := open(t, small())
			if rapid.Bool().Draw(rt, "begun") {
				b.prepared()
			}
			for n := range rapid.IntRange(1, 25).Draw(rt, "commands") {
				b.who = rapid.SampledFrom([]person.Person{idris, tamsin}).Draw(rt, "who")
				_ = b.try(anyCommand(rt, n))
			}
			for _, e := range b.events {
				facts = append(facts, e.Fact)
			}
		}
		facts = append(facts, run.CertificateRevised{Revision: 7}, run.FindingDecided{Finding: "none", Round: -1},
			run.AdjustmentMade{Finding: "verdict", Control: "none", Round: 9},
			run.ReadingCaptured{Measure: "response", Point: "gas", Round: -2},
			run.ReadingCaptured{Measure: "none", Values: []float64{math.MaxFloat64}},
			run.PhaseClosed{Finding: "verdict", Round: -5},
			run.RunReviewed{}, run.PartChanged{Steps: []string{"none"}}, run.WaitStarted{Step: "none"})
		order := rapid.Permutation(facts).Draw(rt, "order")
		events := make([]run.Event, len(order))
		for i, f := range order {
			events[i] = run.Event{
				Run:  "r",
				Seq:  i + 1,
				ID:   fmt.Sprint(i),
				At:   start.Add(time.Duration(i) * time.Second),
				By:   idris,
				Fact: f,
			}
		}
		run := run.Fold(compiled(t, small()), events)
		_ = runview.Of(run, start.Add(time.Hour))
		_ = runview.BriefOf(run, start)
		_ = run.Blockers(start)
	})
}

// What a linked reading still had to go when it was taken enters the budget as a rectangle of that half-width; a reading
// that was typed had arrived by the eye of whoever typed it.
func TestWhatWasStillToGoIsInTheBudget(t *testing.T) {
	taken := func(left float64) *run.Verdict {
		b := open(t, small()).prepared()
		b.do(run.CaptureReading{Reading: "r", Measure: "response", Point: "gas", Values: []float64{4.98},
			Steady: true, Left: left,
			Origin: &run.Origin{Frame: "f", At: b.now.Add(time.Second)}})
		m := b.run.Procedure.Measure("response")
		v, err := b.run.Judge(m, m.Point("gas"), 0)
		require.NoError(t, err)
		return v
	}
	without, with := taken(0), taken(0.06)
	assert.InDelta(t, math.Hypot(without.Budget.Combined, 0.06/math.Sqrt(3)), with.Budget.Combined, 1e-12)
	last := with.Budget.Lines[len(with.Budget.Lines)-1]
	assert.Equal(t, "Still to go when it was read", last.Name)
	assert.Equal(t, without.Error, with.Error, "the reading itself is as it was shown")
}
