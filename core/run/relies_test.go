package run_test

import (
	"testing"
	"time"

	"northneedle/core/run"

	"northneedle/core/adjust"
	"northneedle/core/procedure"
	"northneedle/core/reference"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestAPreparationCountsForItsTime(t *testing.T) {
	role := reference.Role{
		ID:       "analyser",
		Title:    "Analyser",
		Kind:     "gas",
		Prepared: []reference.Preparation{{By: "prep", Finding: "zero", Title: "zeroed", Hours: 12}},
	}
	blocks := func(done ...reference.Done) []string {
		s := mixture()
		s.Prepared = done
		return role.Fits(s, start).Blocks
	}
	zeroed := func(ago time.Duration, passed bool) reference.Done {
		return reference.Done{Procedure: "prep", Finding: "zero", At: start.Add(-ago), Passed: passed}
	}
	assert.Empty(t, blocks(zeroed(time.Hour, true)))
	assert.Empty(t, blocks(zeroed(time.Hour, true), zeroed(9*time.Hour, false)), "the newest counts")
	assert.Contains(t, blocks()[0], "HG-22 was not zeroed yet")
	assert.Contains(t, blocks(zeroed(13*time.Hour, true))[0], "it counts for 12 hours")
	assert.Contains(t, blocks(zeroed(time.Hour, false))[0], "that failed")
	assert.NotEmpty(t, blocks(reference.Done{Procedure: "prep", Finding: "oxygen", At: start, Passed: true}))

	b := open(t, small()).prepared().found("5.01")
	assert.Empty(t, b.run.Done(b.run.Device.Tag), "nothing counts before it is signed")
	b.do(run.DecideFinding{Finding: "verdict", Decision: adjust.Leave})
	b.finished().do(run.SignRun{Statement: "Done."})
	require.Len(t, b.run.Done(b.run.Device.Tag), 1)
	assert.Equal(t, "verdict", b.run.Done(b.run.Device.Tag)[0].Finding)
	assert.True(t, b.run.Done(b.run.Device.Tag)[0].Passed)
}

func TestAChangedPartMakesEarlierStepsVoid(t *testing.T) {
	p := small()
	p.Parts = []procedure.ReplaceablePart{{ID: "circuit", Title: "Another circuit",
		Invalidates: []string{"casing", "response"}}}
	b := open(t, p).prepared()
	b.do(b.read("zero", "0.04"))
	b.refused(run.ChangePart{Part: "hose", Reason: "x"}, "no-such-part", "hose")
	b.refused(run.ChangePart{Part: "circuit"}, "reason-needed", "what was changed")
	b.do(run.ChangePart{Part: "circuit", Reason: "cracked"})
	v := b.view()
	assert.Equal(t, "casing", v.Current, "it is to be looked at again")
	assert.Contains(t, v.Measures[0].Points[0].Readings[0].Withdrawn, "Another circuit: cracked")
	assert.Contains(t, v.Remarks[0],
		"Another circuit: cracked. What was done before counts no more, and was done again: Casing, Response.")
	b.refused(run.ChangePart{Part: "circuit", Reason: "again"}, "nothing-touched", "depends on it")
	b.do(run.AnswerCheck{Step: "casing", Answer: run.Fine})
	b.found("5.01")
	b.refused(run.ChangePart{Part: "circuit", Reason: "late"}, "judged", "begin a new one")
}

func TestAnAdjustmentCanBeTakenBack(t *testing.T) {
	b := open(t, small()).prepared().found("4.45")
	b.refused(run.TakeBack{Finding: "verdict", Reason: "x"}, "nothing-to-undo", "no adjustment")
	b.do(run.DecideFinding{Finding: "verdict", Decision: adjust.Adjust},
		run.MakeAdjustment{Finding: "verdict", Control: "span", Steps: 24})
	undo := b.view().Findings[0].Undo
	require.Len(t, undo, 1)
	assert.Equal(t, -24, undo[0].Steps)
	b.do(b.read("zero", "0.04"))
	assert.Empty(t, b.view().Findings[0].Undo, "not while the round is being read")
	b.do(b.read("gas", "4.2"), run.ClosePhase{Finding: "verdict"})
	b.refused(run.TakeBack{Finding: "verdict"}, "reason-needed", "The record keeps both")
	b.do(run.TakeBack{Finding: "verdict", Reason: "made from a leaking adapter"})
	f := b.view().Findings[0]
	assert.True(t, f.Adjusting && f.Adjusted)
	assert.Equal(t, -24, f.Adjustments[1].Steps)
	assert.Contains(t, f.Decisions[1].Reason, "leaking adapter")
	b.do(b.read("zero", "0.04"), b.read("gas", "4.99"), run.ClosePhase{Finding: "verdict"},
		run.DecideFinding{Finding: "verdict", Decision: adjust.Leave})
}

func TestByTheCalendarItIsAdjustedThoughItPasses(t *testing.T) {
	b := open(t, small())
	b.run.Device.Settings = map[string]string{"adjustment": string(adjust.Calendar)}
	b.prepared().found("4.90")
	assert.Equal(t, adjust.Adjust, b.view().Findings[0].Advice.Decision)
	assert.Contains(t, b.view().Findings[0].Advice.Why, "due by the calendar")
	b.do(run.DecideFinding{Finding: "verdict", Decision: adjust.Adjust},
		run.MakeAdjustment{Finding: "verdict", Control: "span", Steps: 4})
	b.do(b.read("zero", "0.04"), b.read("gas", "5.00"), run.ClosePhase{Finding: "verdict"})
	assert.Equal(t, adjust.Leave, b.view().Findings[0].Advice.Decision, "once")
}

func TestARecordOfChoices(t *testing.T) {
	p := small()
	both := []procedure.Option{{ID: "air", Title: "air"}, {ID: "O2", Title: "oxygen"}}
	p.Steps[0] = &procedure.RecordStep{Record: "Settings",
		Fields: []procedure.Field{{ID: "flowing", Label: "Gas", Options: both},
			{ID: "set", Label: "Set", Options: both, SameAs: "flowing", Symptom: "One factor."},
			{ID: "bias", Label: "Bias", Unit: "L/min", Max: 10}}}
	b := open(t, p)
	b.refused(run.RecordPlate{Step: "settings", Values: map[string]string{"set": "air"}}, "choice",
		"choose what is set")
	b.refused(run.RecordPlate{Step: "settings", Values: map[string]string{"flowing": "air", "set": "O2", "bias": "1"}},
		"mismatch", "air is needed. One factor.")
	b.do(run.RecordPlate{Step: "settings", Values: map[string]string{"flowing": "air", "set": "air", "bias": "2"}})
	s := b.view().Steps[2]
	assert.Equal(t, "air · air · 2 L/min", s.Summary)
	assert.Equal(t, map[string]string{"flowing": "air", "set": "air"}, b.run.Choices)
}

func TestAnOptionalRoleLeavesItsPointsOut(t *testing.T) {
	p := small()
	p.Roles = append(p.Roles, reference.Role{
		ID:       "second",
		Title:    "Second",
		Kind:     "gas",
		Optional: true,
		Needs:    p.Roles[0].Needs,
	})
	m := p.Steps[4].(*procedure.Measure)
	m.Points = append(m.Points, procedure.Point{Label: "second", At: "second.CO2", When: "second"})
	p.Steps[6].Base().When = "second"
	b := open(t, p).prepared().found("5.01")
	assert.Len(t, b.view().Measures[0].Points, 2)
	assert.NotContains(t, b.view().Blockers, "Close the gas is not done yet.")
	with := open(t, p)
	with.do(run.BindStandard{Role: "second", Standard: mixture()})
	assert.Len(t, with.view().Measures[0].Points, 3)
}

func TestAStepThatMayBeLeftOutTakesNothingFromTheStatement(t *testing.T) {
	p := small()
	p.Steps[4].Base().Optional, p.Steps[5].Base().Optional = true, true
	b := open(t, p).prepared()
	b.do(run.SkipStep{Step: "response", Reason: "Monday's still counts"},
		run.SkipStep{Step: "verdict", Reason: "Monday's still counts"})
	b.finished()
	assert.Equal(t, run.Conforms, b.view().Result)
	assert.False(t, b.view().NeedsReview)
}
