package procedure_test

import (
	"encoding/json"
	"fmt"
	"math"
	"slices"
	"testing"
	"time"

	"northneedle/core/adjust"
	"northneedle/core/method"
	"northneedle/core/procedure"

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

	b.do(procedure.DecideFinding{Finding: "verdict", Decision: adjust.Adjust}, procedure.MakeAdjustment{Finding: "verdict", Control: "span", Steps: 25})
	b.do(b.read("zero", "0.05"))
	b.do(b.read("gas", "5.01"))
	b.do(procedure.ClosePhase{Finding: "verdict"}, procedure.DecideFinding{Finding: "verdict", Decision: adjust.Leave})
	b.refused(procedure.SignRun{Statement: "Done."}, "not-finished", "Gas open: still a loose end")
	b.finished()
	assert.Empty(t, b.view().Blockers)
	b.do(procedure.SignRun{Statement: "Adjusted and verified."})

	v = b.view()
	assert.Equal(t, procedure.Signed, v.Status)
	assert.Equal(t, procedure.ConformsAdjusted, v.Result)
	assert.Equal(t, "2026-09-02", v.Next.On.Format(time.DateOnly))
	assert.Equal(t, 4.45, v.Measures[0].Points[1].Found.Indicated, "as found stays as it was")
	assert.Equal(t, 5.01, v.Measures[0].Points[1].Left.Indicated)
	b.refused(procedure.AddNote{Text: "late"}, "signed", "does not change any more")
}

func TestOrderIsKept(t *testing.T) {
	b := open(t, small())
	b.refused(b.read("gas", "5"), "out-of-order", "Bring together comes before Response")
	b.refused(procedure.DoStep{Step: "open-the-gas"}, "out-of-order", "Bring together")
	b.do(procedure.BindStandard{Role: "mixture", Standard: mixture()}, procedure.AnswerCheck{Step: "cautions", Answer: procedure.Fine}, procedure.AnswerCheck{Step: "casing", Answer: procedure.Fine}, procedure.StartWait{Step: "warm-up"},
		procedure.RecordAmbient{Step: "room", Temperature: "21", Pressure: "1008", Humidity: "46", Source: "RC"})
	b.refused(procedure.DoStep{Step: "open-the-gas"}, "waiting", "Warm-up runs until")
	b.refused(procedure.CutWait{Step: "warm-up"}, "reason-needed", "it is cold")
	b.do(procedure.CutWait{Step: "warm-up", Reason: "was warm"}, procedure.DoStep{Step: "open-the-gas"})
	b.do(b.read("zero", "0.04"))
	assert.Equal(t, "Warm-up cut short: was warm", b.view().Measures[0].Points[0].Readings[0].Early, "an early reading is marked")
	assert.Contains(t, b.view().Remarks, "Warm-up was cut short: was warm.")
	b.refused(procedure.DecideFinding{Finding: "verdict", Decision: adjust.Leave}, "as-found-open", "Close as found first")
	b.refused(procedure.MakeAdjustment{Finding: "verdict", Control: "span", Steps: 1}, "not-adjusting", "before as found is closed")
	b.refused(procedure.ClosePhase{Finding: "verdict"}, "incomplete", "Response, gas is still to be read")
	b.refused(procedure.SignRun{Statement: "x"}, "not-finished", "Verdict is not decided yet")
	b.do(procedure.DoStep{Step: "close-the-gas"}) // closing is never out of order
	b.refused(procedure.DoStep{Step: "close-the-gas"}, "done", "done already")
	b.refused(procedure.DoStep{Step: "nowhere"}, "no-such-step", "nowhere")
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
	b.refused(procedure.RecordAmbient{Step: "room", Temperature: "21", Pressure: "10080", Humidity: "46", Source: "x"}, "range", "Is the unit right?")
	b.refused(procedure.RecordAmbient{Step: "room", Temperature: "warm", Pressure: "1008", Humidity: "46", Source: "x"}, "number", "temperature")
	b.refused(procedure.AnswerCheck{Step: "casing", Answer: procedure.NotFine}, "note-needed", "what is not fine")
	b.refused(procedure.AnswerCheck{Step: "casing", Answer: "perhaps"}, "answer", "fine, not fine or does not apply")
}

func TestAGrossErrorAsksForTheSetUp(t *testing.T) {
	b := open(t, small()).prepared()
	b.do(b.read("zero", "0.04"))
	b.do(b.read("gas", "3.1"))
	b.refused(b.read("gas", "3.1"), "gross", "Look at the set-up first")
	b.refused(procedure.ClosePhase{Finding: "verdict"}, "gross", "repeat the point before closing")
	b.refused(procedure.CheckSetUp{Measure: "response", Point: "gas"}, "note-needed", "what you found")
	b.do(procedure.CheckSetUp{Measure: "response", Point: "gas", Note: "adapter was loose"})
	b.do(b.read("gas", "4.98"))
	b.do(procedure.ClosePhase{Finding: "verdict"})
	v := b.view()
	assert.Equal(t, 4.98, v.Measures[0].Points[1].Found.Indicated, "the reading before the set-up was mended does not count")
	assert.Len(t, v.Measures[0].Points[1].Readings, 2, "and stays in the record")
	assert.Equal(t, adjust.Leave, v.Findings[0].Advice.Decision)

	again := open(t, small()).prepared()
	again.do(again.read("zero", "0.04"))
	again.do(again.read("gas", "3.1"))
	again.do(procedure.CheckSetUp{Measure: "response", Point: "gas", Note: "all in order"})
	again.do(again.read("gas", "3.1"))
	again.do(procedure.ClosePhase{Finding: "verdict"})
	assert.Equal(t, adjust.Investigate, again.view().Findings[0].Advice.Decision, "a gross error is never adjusted away silently")
	again.refused(procedure.DecideFinding{Finding: "verdict", Decision: adjust.Adjust}, "reason-needed", "The advice is to investigate")
}

func TestWithdrawingAndAsFoundForGood(t *testing.T) {
	b := open(t, small()).prepared()
	wrong := b.read("gas", "5.21")
	b.do(wrong)
	b.refused(b.read("gas", "5.0"), "complete", "has its readings")
	b.refused(procedure.WithdrawReading{Reading: wrong.Reading}, "reason-needed", "why")
	b.do(procedure.WithdrawReading{Reading: wrong.Reading, Reason: "mistyped"})
	b.refused(procedure.WithdrawReading{Reading: wrong.Reading, Reason: "again"}, "withdrawn", "already")
	b.found("5.02")
	last := b.run.Readings[len(b.run.Readings)-1]
	b.refused(procedure.WithdrawReading{Reading: last.Reading, Reason: "regret"}, "closed", "do not change any more")
	b.refused(b.read("gas", "5.0"), "closed", "As found is closed")
	assert.Contains(t, fmt.Sprint(b.view().Remarks), "a reading was withdrawn: mistyped")
	b.refused(procedure.DecideFinding{Finding: "verdict", Decision: adjust.Withdraw}, "reason-needed", "the record keeps both")
	b.do(procedure.DecideFinding{Finding: "verdict", Decision: adjust.Leave})
	b.finished().do(procedure.SignRun{Statement: "Fine."})
	assert.Equal(t, procedure.Conforms, b.view().Result)
}

func TestLooseEndsOutliveTheRun(t *testing.T) {
	b := open(t, small()).prepared()
	b.do(procedure.OpenLooseEnd{What: "Alarms silenced"})
	b.refused(procedure.OpenLooseEnd{What: "Alarms silenced"}, "open", "already")
	b.refused(procedure.SkipStep{Step: "close-the-gas", Reason: "later"}, "loose-end", "closes a loose end")
	b.refused(procedure.AbandonRun{}, "reason-needed", "why")
	b.do(procedure.AbandonRun{Reason: "patient needs the bed"})
	b.refused(b.read("gas", "5"), "abandoned", "abandoned")
	b.do(procedure.CloseLooseEnd{What: "Gas open"})
	b.refused(procedure.CloseLooseEnd{What: "Gas open"}, "not-open", "not open")
}

func TestStandardsMustFit(t *testing.T) {
	change := func(f func(*procedure.Standard)) procedure.Standard { s := mixture(); f(&s); return s }
	for words, s := range map[string]procedure.Standard{
		"ran out":        change(func(s *procedure.Standard) { s.Certificate.DueOn = start.AddDate(0, 0, -3) }),
		"is quarantined": change(func(s *procedure.Standard) { s.Status = procedure.Quarantined }),
		"needs 4 to 6":   change(func(s *procedure.Standard) { s.Values[0].Value = 9 }),
		"states no uncertainty": change(func(s *procedure.Standard) {
			s.Values = []method.Certified{{Quantity: "CO2", Value: 5, Unit: "%{vol}", K: 2}}
		}),
		"no certified value for": change(func(s *procedure.Standard) { s.Values = nil }),
		"this run uses about 5":  change(func(s *procedure.Standard) { s.Cylinder.GaugeBar = 6 }),
		"no certificate":         change(func(s *procedure.Standard) { s.Certificate = procedure.Certificate{} }),
		"which is not a":         change(func(s *procedure.Standard) { s.Values[0].Unit = "kg" }),
	} {
		b := open(t, small())
		b.refused(procedure.BindStandard{Role: "mixture", Standard: s}, "unfit-standard", words)
		b.refused(procedure.BindStandard{Role: "mixture", Standard: s, Override: "only one"}, "lead-only", "Only a lead")
	}
	b := open(t, small())
	b.refused(procedure.BindStandard{Role: "probe", Standard: mixture()}, "no-such-role", "probe")
	late := change(func(s *procedure.Standard) { s.Certificate.DueOn = start.AddDate(0, 0, -3) })
	b.who = tamsin
	b.do(procedure.BindStandard{Role: "mixture", Standard: late, Override: "as found before transport"})
	b.do(procedure.AnswerCheck{Step: "cautions", Answer: procedure.Fine}, procedure.AnswerCheck{Step: "casing", Answer: procedure.NA}, procedure.SkipStep{Step: "warm-up", Reason: "warm"}, procedure.SkipStep{Step: "room", Reason: "no barometer"}, procedure.DoStep{Step: "open-the-gas"})
	b.found("4.4")
	b.refused(procedure.DecideFinding{Finding: "verdict", Decision: adjust.Adjust}, "as-found-only", "as-found readings only")
	b.refused(procedure.BindStandard{Role: "mixture", Standard: mixture()}, "role-in-use", "readings were taken with HG-22")
}

func TestWhoMayDoWhat(t *testing.T) {
	b := open(t, small())
	b.who = odile
	b.refused(procedure.AddNote{Text: "hello"}, "technician-only", "a manager reads them")

	b.who = idris
	b.prepared().found("3.9")
	b.do(procedure.DecideFinding{Finding: "verdict", Decision: adjust.Withdraw, Reason: "no spare cell"})
	b.finished()
	sign := procedure.SignRun{Statement: "Taken out of use."}
	b.refused(sign, "reviewer-missing", "name the lead")
	sign.Reviewer = &idris
	b.refused(sign, "reviewer-self", "Nobody reviews their own run")
	sign.Reviewer = &fenn
	b.refused(sign, "reviewer-role", "only a lead reviews")
	sign.Reviewer = &tamsin
	b.do(sign)
	assert.Equal(t, procedure.InReview, b.view().Status)
	assert.Equal(t, procedure.Fails, b.view().Result)
	assert.Nil(t, b.view().Next, "a device that fails gets no next date")
	b.refused(procedure.ReviewRun{}, "lead-only", "Only a lead")
	b.refused(procedure.AddNote{Text: "x"}, "in-review", "waits for review")
	b.who = tamsin
	b.refused(procedure.ReturnRun{}, "reason-needed", "looked at again")
	b.do(procedure.ReturnRun{Reason: "which cell?"})
	assert.Equal(t, procedure.Open, b.view().Status)
	b.who = idris
	b.do(procedure.AddNote{Text: "cell of 2023"}, sign)
	b.who = tamsin
	b.do(procedure.ReviewRun{Note: "agreed"})
	assert.Equal(t, procedure.Signed, b.view().Status)
}

func TestLeavingOutIsSaid(t *testing.T) {
	b := open(t, small()).prepared()
	b.do(b.read("zero", "0.04"))
	b.refused(procedure.OmitPoint{Measure: "response", Point: "gas"}, "reason-needed", "The certificate will state it")
	b.do(procedure.OmitPoint{Measure: "response", Point: "gas", Reason: "cylinder empty"}, procedure.ClosePhase{Finding: "verdict"}, procedure.DecideFinding{Finding: "verdict", Decision: adjust.Leave})
	b.finished()
	b.refused(procedure.SignRun{Statement: "Zero only."}, "reviewer-missing", "lead")
	b.do(procedure.SignRun{Statement: "Zero only.", Reviewer: &tamsin})
	assert.Equal(t, procedure.NoStatement, b.view().Result)
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
	b.do(procedure.DecideFinding{Finding: "verdict", Decision: adjust.Adjust})
	events := make([]procedure.Event, len(b.events))
	for i, e := range b.events {
		raw, err := json.Marshal(e.Fact)
		require.NoError(t, err)
		fact, err := procedure.DecodeFact(e.Fact.Kind(), raw)
		require.NoError(t, err)
		events[i] = e
		events[i].Fact = fact
	}
	want, _ := json.Marshal(b.view())
	got, _ := json.Marshal(procedure.Fold(small(), events).View(b.now))
	assert.JSONEq(t, string(want), string(got))
	_, err := procedure.DecodeFact("Invented", []byte("{}"))
	assert.ErrorContains(t, err, "Invented")
}

// anyCommand draws a command that may or may not make sense.
func anyCommand(t *rapid.T, n int) procedure.Command {
	step := rapid.SampledFrom([]string{"cautions", "casing", "warm-up", "room", "open-the-gas", "response", "verdict", "close-the-gas", "menu-left", "sign", "bring-together", "x"}).Draw(t, "step")
	point := rapid.SampledFrom([]string{"zero", "gas", "x"}).Draw(t, "point")
	words := rapid.SampledFrom([]string{"", "because"}).Draw(t, "words")
	typed := rapid.SampledFrom([]string{"5.01", "0.04", "4,4", "49", "3", "x", "", "-1e300"}).Draw(t, "typed")
	reading := fmt.Sprintf("r-%d", rapid.IntRange(0, n).Draw(t, "reading"))
	decision := rapid.SampledFrom([]adjust.Decision{adjust.Leave, adjust.Adjust, adjust.Investigate, adjust.Withdraw, "x"}).Draw(t, "decision")
	return rapid.SampledFrom([]procedure.Command{
		procedure.BindStandard{Role: "mixture", Standard: mixture(), Override: words}, procedure.AnswerCheck{Step: step, Answer: procedure.Fine}, procedure.AnswerCheck{Step: step, Answer: procedure.NotFine, Note: words},
		procedure.DoStep{Step: step}, procedure.SkipStep{Step: step, Reason: words}, procedure.StartWait{Step: step}, procedure.CutWait{Step: step, Reason: words},
		procedure.RecordAmbient{Step: step, Temperature: "21", Pressure: "1008", Humidity: "40", Source: "r"}, procedure.RecordPlate{Step: step},
		procedure.CaptureReading{Reading: fmt.Sprintf("r-%d", n), Measure: "response", Point: point, Typed: typed, Confirmed: true},
		procedure.WithdrawReading{Reading: reading, Reason: words}, procedure.OmitPoint{Measure: "response", Point: point, Reason: words}, procedure.CheckSetUp{Measure: "response", Point: point, Note: words},
		procedure.ClosePhase{Finding: step}, procedure.DecideFinding{Finding: step, Decision: decision, Reason: words}, procedure.MakeAdjustment{Finding: step, Control: "span", Steps: rapid.IntRange(-3, 3).Draw(t, "steps")},
		procedure.OpenLooseEnd{What: words}, procedure.CloseLooseEnd{What: "Gas open"}, procedure.AddNote{Text: words}, procedure.SignRun{Statement: words, Reviewer: &tamsin},
		procedure.TakeBack{Finding: step, Reason: words}, procedure.ReviseCertificate{Reason: words, Remark: words}, procedure.ReviewRun{}, procedure.ReturnRun{Reason: words}, procedure.AbandonRun{Reason: rapid.SampledFrom([]string{"", "", "", "end"}).Draw(t, "end")},
	}).Draw(t, "command")
}

func TestAFoldNeverPanicsAndNeverLooksBack(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		b := open(t, small())
		if rapid.Bool().Draw(rt, "begun") {
			b.prepared()
		}
		for n := range rapid.IntRange(1, 40).Draw(rt, "commands") {
			b.who = rapid.SampledFrom([]procedure.Person{idris, idris, tamsin, fenn}).Draw(rt, "who")
			before := b.run
			was, err := json.Marshal(before.View(start))
			require.NoError(rt, err, "a view is never NaN")
			_ = b.try(anyCommand(rt, n))
			is, err := json.Marshal(before.View(start))
			require.NoError(rt, err)
			require.Equal(rt, string(was), string(is), "applying an event leaves the run before it as it was")
		}
		for i, e := range b.events {
			require.Equal(rt, i+1, e.Seq)
		}
		again, err := json.Marshal(procedure.Fold(b.run.Procedure, b.events).View(b.now))
		require.NoError(rt, err)
		now, _ := json.Marshal(b.view())
		require.Equal(rt, string(now), string(again), "the same events give the same run")
	})
}

func TestLookingForTheCauseReadsEverythingAgain(t *testing.T) {
	b := open(t, small()).prepared()
	b.do(b.read("zero", "0.04"), b.read("gas", "3.1"), procedure.CheckSetUp{Measure: "response", Point: "gas", Note: "nothing seen"})
	b.do(b.read("gas", "3.1"), procedure.ClosePhase{Finding: "verdict"})
	stretch := b.run.TraceOf(b.run.Procedure.Steps[4])
	b.do(procedure.DecideFinding{Finding: "verdict", Decision: adjust.Investigate})
	assert.True(t, b.view().Findings[0].Looking)
	b.refused(b.read("gas", "5"), "not-adjusted", "first")
	b.refused(procedure.MakeAdjustment{Finding: "verdict", Control: "span", Steps: 2, Note: "x"}, "investigating", "nothing is adjusted in this round")
	b.refused(procedure.MakeAdjustment{Finding: "verdict", Note: " "}, "note-needed", "even if it was nothing")
	b.do(procedure.MakeAdjustment{Finding: "verdict", Note: "the adapter was cracked; a new one fitted"})
	assert.NotEqual(t, stretch, b.run.TraceOf(b.run.Procedure.Steps[4]), "what an instrument sent before says nothing any more")
	b.do(b.read("zero", "0.04"), b.read("gas", "5.01"), procedure.ClosePhase{Finding: "verdict"})
	assert.Equal(t, 3.1, b.view().Measures[0].Points[1].Found.Indicated, "as found stays as it was")
	assert.Equal(t, adjust.Leave, b.view().Findings[0].Advice.Decision)
	b.do(procedure.DecideFinding{Finding: "verdict", Decision: adjust.Leave})
	b.finished().do(procedure.SignRun{Statement: "Adapter replaced."})
	assert.Equal(t, procedure.ConformsAdjusted, b.view().Result)
}

func TestATableHasAnEntryForEachPoint(t *testing.T) {
	p := small()
	p.Steps[5].Controls = []adjust.Control{{ID: "table", Label: "table", Kind: adjust.Table, Step: 0.1}}
	b := open(t, p).prepared().found("5.45")
	moves := b.view().Findings[0].Advice.Moves
	require.Len(t, moves, 1)
	assert.Equal(t, "response/gas", moves[0].Point)
	b.do(procedure.DecideFinding{Finding: "verdict", Decision: adjust.Adjust})
	b.refused(procedure.MakeAdjustment{Finding: "verdict", Control: "table", Steps: -4}, "no-entry", "say which")
	b.refused(procedure.MakeAdjustment{Finding: "verdict", Control: "table", Point: "response/nowhere", Steps: -4}, "no-entry", "say which")
	b.do(procedure.MakeAdjustment{Finding: "verdict", Control: "table", Point: moves[0].Point, Steps: moves[0].Steps})

	span := open(t, small()).prepared().found("5.45")
	span.do(procedure.DecideFinding{Finding: "verdict", Decision: adjust.Adjust})
	span.refused(procedure.MakeAdjustment{Finding: "verdict", Control: "span", Point: "response/gas", Steps: -4}, "no-entry", "every point alike")
}

func TestTooColdIsNoFailure(t *testing.T) {
	p := small()
	p.Steps[2].Temperature = &procedure.Window{From: 15, To: 30, Why: "the cell reads low when cold"}
	b := open(t, p)
	b.refused(procedure.RecordAmbient{Step: "room", Temperature: "12", Pressure: "1008", Humidity: "46", Source: "RC-01"}, "too-cold-or-warm", "no failure")
	b.do(procedure.RecordAmbient{Step: "room", Temperature: "15", Pressure: "1008", Humidity: "46", Source: "RC-01"})
}

func TestOtherSchoolsAreShownBesideTheOneThatDecides(t *testing.T) {
	p := small()
	p.Steps[4].School = "ours"
	p.Steps[4].Schools = []procedure.School{{Title: "tight", Tolerance: "±0.1"}, {Title: "wide", Tolerance: "±10 % of reading"}}
	b := open(t, p).prepared().found("5.25")
	v := b.view().Measures[0].Points[1].Found
	require.Len(t, v.Schools, 2)
	assert.True(t, v.Pass)
	assert.Equal(t, []bool{false, true}, []bool{v.Schools[0].Pass, v.Schools[1].Pass})
	assert.InDelta(t, 2.5, v.Schools[0].Lean, 1e-9)

	b.run.Lab.Schools = []string{"tight"} // the lab may choose another
	v = b.view().Measures[0].Points[1].Found
	assert.False(t, v.Pass)
	require.Len(t, v.Schools, 2)
	assert.Equal(t, "ours", v.Schools[0].Title)
	assert.True(t, v.Schools[0].Pass)
	nameless := p
	nameless.Steps[4].School = ""
	assert.NotEmpty(t, nameless.Check())
}

func TestWhatIsChosenDecidesWhichPointsAndControlsThereAre(t *testing.T) {
	p := small()
	choice := procedure.Step{Record: "Mode", Fields: []procedure.Field{{ID: "mode", Label: "Mode", Options: []procedure.Option{{ID: "long", Title: "long"}, {ID: "short", Title: "short"}}}}}
	p.Steps = slices.Insert(p.Steps, 4, choice)
	p.Steps[5].Points[0].When = "mode = long"
	p.Steps[6].Controls = append(p.Steps[6].Controls, adjust.Control{ID: "offset", Label: "offset", Kind: adjust.Offset, Step: 0.1, When: "mode = long"})
	p = p.Settled()
	for mode, points := range map[string]int{"long": 2, "short": 1} {
		b := open(t, p).prepared()
		assert.Len(t, b.view().Measures[0].Points, 1, "nothing is chosen yet")
		b.do(procedure.RecordPlate{Step: "mode", Values: map[string]string{"mode": mode}})
		assert.Len(t, b.view().Measures[0].Points, points)
		assert.Len(t, b.view().Findings[0].Controls, points)
	}
	p.Steps[5].Points[0].When = "mode = middle"
	assert.ErrorContains(t, p.Check()[0], `no earlier record lets "middle" be chosen`)
}

// signed is a run of a procedure with nothing to adjust, signed.
func signed(t *testing.T, p procedure.Procedure) *bench {
	b := open(t, p).prepared().found("5.02")
	b.do(procedure.DecideFinding{Finding: "verdict", Decision: adjust.Leave})
	b.finished().do(procedure.SignRun{Statement: "Checked."})
	return b
}

func TestACalibrationIsGoodNoLongerThanTheLotItWasMadeWith(t *testing.T) {
	p := small()
	p.Next = procedure.Next{Months: 12, Within: "mixture"}
	next := signed(t, p).run.Next()
	require.NotNil(t, next)
	assert.Equal(t, start.AddDate(0, 6, 0), next.On)
	assert.Contains(t, next.Reason, "HG-22, which it was made with, is good until")
	p.Next.Within = "nothing"
	assert.NotEmpty(t, p.Check())
}

// A run can be read from a file: whatever its events are, folding and showing them does
// not panic.
func TestAFoldOfAnyEventsDoesNotPanic(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		var facts []procedure.Fact
		for range rapid.IntRange(1, 3).Draw(rt, "runs") {
			b := open(t, small())
			if rapid.Bool().Draw(rt, "begun") {
				b.prepared()
			}
			for n := range rapid.IntRange(1, 25).Draw(rt, "commands") {
				b.who = rapid.SampledFrom([]procedure.Person{idris, tamsin}).Draw(rt, "who")
				_ = b.try(anyCommand(rt, n))
			}
			for _, e := range b.events {
				facts = append(facts, e.Fact)
			}
		}
		facts = append(facts, procedure.CertificateRevised{Revision: 7}, procedure.FindingDecided{Finding: "none", Round: -1}, procedure.AdjustmentMade{Finding: "verdict", Control: "none", Round: 9},
			procedure.ReadingCaptured{Measure: "response", Point: "gas", Round: -2}, procedure.ReadingCaptured{Measure: "none", Values: []float64{math.MaxFloat64}}, procedure.PhaseClosed{Finding: "verdict", Round: -5},
			procedure.RunReviewed{}, procedure.PartChanged{Steps: []string{"none"}}, procedure.WaitStarted{Step: "none"})
		order := rapid.Permutation(facts).Draw(rt, "order")
		events := make([]procedure.Event, len(order))
		for i, f := range order {
			events[i] = procedure.Event{Run: "r", Seq: i + 1, ID: fmt.Sprint(i), At: start.Add(time.Duration(i) * time.Second), By: idris, Fact: f}
		}
		run := procedure.Fold(small(), events)
		_ = run.View(start.Add(time.Hour))
		_ = run.Brief(start)
		_ = run.Blockers(start)
	})
}
