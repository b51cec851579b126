package run_test

import (
	"encoding/json"
	"fmt"
	"reflect"
	"testing"
	"time"

	"northneedle/core/adjust"
	"northneedle/core/person"
	"northneedle/core/procedure"
	"northneedle/core/run"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// facts is one of each kind, as it could follow the reading of a small run.
func facts(t *testing.T, b *bench) map[string]run.Fact {
	t.Helper()
	reading := b.run.Readings[len(b.run.Readings)-1].Reading
	return map[string]run.Fact{
		"RunOpened":     run.RunOpened{Procedure: "small", Device: run.Device{ID: "d2", Tag: "MB-0419"}},
		"StandardBound": run.StandardBound{Role: "mixture", Standard: mixture(), Override: "none other is there"},
		"CheckAnswered": run.CheckAnswered{Step: "menu-left", Answer: run.Fine},
		"StepDone":      run.StepDone{Step: "close-the-gas"},
		"StepSkipped":   run.StepSkipped{Step: "close-the-gas", Reason: "it is shut"},
		"AmbientRecorded": run.AmbientRecorded{Step: "room",
			Ambient: procedure.Ambient{TemperatureC: 25, PressureHPa: 1001, HumidityPercent: 40, Recorded: true}},
		"PlateRecorded": run.PlateRecorded{Step: "casing", Values: map[string]float64{"drops": 20}},
		"PartChanged":   run.PartChanged{Part: "mixture", Steps: []string{"room"}, Reason: "another room"},
		"WaitStarted":   run.WaitStarted{Step: "warm-up", Until: start.Add(9 * time.Hour)},
		"WaitCutShort":  run.WaitCutShort{Step: "warm-up", Reason: "it is warm"},
		"StageStarted":  run.StageStarted{Measure: "response", Point: "gas", Before: 12.3, Typed: "12.3"},
		"StageStopped":  run.StageStopped{Measure: "response", Point: "gas"},
		"ReadingCaptured": run.ReadingCaptured{Reading: "r-9", Measure: "response", Point: "gas", Phase: run.AsFound,
			Values: []float64{4.9}, Source: run.Typed},
		"ReadingWithdrawn": run.ReadingWithdrawn{Reading: reading, Reason: "a wrong cylinder"},
		"PointOmitted": run.PointOmitted{Measure: "response", Point: "gas", Phase: run.AsFound,
			Reason: "the cylinder is empty"},
		"PointAdded":   run.PointAdded{Measure: "response", Point: "own-1", Label: "3 %", At: "3", U: 0.02},
		"HandMoved":    run.HandMoved{Measure: "response", Point: "gas", Move: "Probe to the inlet"},
		"SetUpChecked": run.SetUpChecked{Measure: "response", Point: "gas", Note: "tight"},
		"PhaseClosed":  run.PhaseClosed{Finding: "verdict", Phase: run.AsFound},
		"FindingDecided": run.FindingDecided{Finding: "verdict", Decision: adjust.Leave, Advised: adjust.Leave,
			Why: "inside"},
		"AsFoundVoided":      run.AsFoundVoided{Finding: "verdict", Cause: "the line was loose", Done: "tightened"},
		"AsFoundStands":      run.AsFoundStands{Finding: "verdict"},
		"AdjustmentMade":     run.AdjustmentMade{Finding: "verdict", Round: 1, Control: "span", Steps: 3},
		"CertificateRevised": run.CertificateRevised{Revision: 2, Reason: "a wrong serial number"},
		"LooseEndOpened":     run.OpenItemAdded{What: "Lid open"},
		"LooseEndClosed":     run.OpenItemClosed{What: "Gas open"},
		"NoteAdded":          run.NoteAdded{Text: "quiet"},
		"RunSigned":          run.RunSigned{Statement: "Checked.", Result: run.NotComplete, Reviewer: "tamsin"},
		"SupervisorNamed":    run.SupervisorNamed{Under: person.Person{ID: "tamsin", Name: "Tamsin Orrery"}},
		"TakenIn":            run.TakenIn{File: "f", Origin: "another workshop"},
		"RunReviewed":        run.RunReviewed{Note: "seen"},
		"RunReturned":        run.RunReturned{Reason: "look again"},
		"RunAbandoned":       run.RunAbandoned{Reason: "it was taken away"},
	}
}

// What stands in the table of kinds changes a run: one whose fold did nothing would be written down
// and lost.
func TestEveryKindOfFactChangesARun(t *testing.T) {
	for _, kind := range run.Kinds {
		t.Run(kind.Name, func(t *testing.T) {
			b := open(t, small()).prepared()
			b.do(b.read("zero", "0.04"))
			fact := facts(t, b)[kind.Name]
			require.NotNil(t, fact, "a kind without a fact here")
			assert.Equal(t, kind.Name, run.KindOf(fact))
			at := start.Add(time.Hour)
			if kind.Name == "RunReviewed" || kind.Name == "RunReturned" { // they follow a signature
				b.run = b.run.Apply(run.Event{
					Run:  "run-1",
					Seq:  b.run.Seq + 1,
					ID:   "s",
					At:   at,
					By:   idris,
					Fact: facts(t, b)["RunSigned"],
				})
			}
			if kind.Name == "AsFoundStands" { // after a second as found
				b.do(b.read("gas", "4.45"))
				b.do(run.ClosePhase{Finding: "verdict"},
					run.VoidAsFound{Finding: "verdict", Cause: "the line was loose", Done: "tightened"})
			}
			before, was := b.run, shown(t, b.run)
			e := run.Event{Run: "run-1", Seq: b.run.Seq + 1, ID: "x", At: at, By: tamsin, Fact: fact}
			after := b.run.Apply(e)
			assert.Equal(t, was, shown(t, before), "the run before is left as it was")
			assert.NotEqual(t, was, shown(t, after), "nothing changed but its number")
			raw, err := json.Marshal(fact)
			require.NoError(t, err)
			back, err := kind.Decode(raw)
			require.NoError(t, err)
			assert.Equal(t, string(raw), written(t, back), "it is read as it was written")
		})
	}
}

// shown is everything that is kept of a run, in words.
func shown(t *testing.T, r run.Run) string {
	t.Helper()
	v, words := reflect.ValueOf(r), ""
	for i := range v.NumField() {
		if field := v.Type().Field(i); field.IsExported() && field.Name != "Procedure" && field.Name != "Seq" {
			words += fmt.Sprintf("%s %+v\n", field.Name, v.Field(i).Interface())
		}
	}
	return words
}

func written(t *testing.T, v any) string {
	t.Helper()
	text, err := json.Marshal(v)
	require.NoError(t, err)
	return string(text)
}
