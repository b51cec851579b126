package run_test

import (
	"errors"
	"fmt"
	"testing"
	"time"

	"northneedle/core/field"
	"northneedle/core/run"
	"northneedle/families"

	"northneedle/core/adjust"
	"northneedle/core/conformity"
	"northneedle/core/gas"
	"northneedle/core/person"
	"northneedle/core/procedure"
	"northneedle/core/reference"
	"northneedle/core/runview"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

var start = time.Date(2026, 3, 2, 9, 0, 0, 0, time.UTC)

var (
	idris  = person.Person{ID: "idris", Name: "Idris Vail", Role: person.Technician}
	tamsin = person.Person{ID: "tamsin", Name: "Tamsin Orrery", Role: person.Lead}
	fenn   = person.Person{ID: "fenn", Name: "Fenn Castellan", Role: person.Trainee}
	odile  = person.Person{ID: "odile", Name: "Odile Marsh", Role: person.Manager}
)

// small is a procedure with one of everything.
func small() procedure.Definition {
	step := func(title string) procedure.StepBase { return procedure.StepBase{Title: title} }
	return procedure.Definition{
		ID: "small", Revision: 1, Title: "Small check", Family: "gas-monitor", Cautions: []string{"Ventilate."},
		Roles: []reference.Role{{ID: "mixture", Title: "Mixture", Kind: "gas", Litres: 5,
			Needs: []reference.Need{{Quantity: "CO2", From: 4, To: 6, Unit: "%{vol}"}}}},
		Steps: procedure.Steps{
			&procedure.CheckStep{Check: "Casing", StepBase: procedure.StepBase{Symptom: "cracks"}},
			&procedure.WaitStep{Wait: "Warm-up", Minutes: 5, Why: "it is cold"},
			&procedure.AmbientStep{Ambient: "Room"},
			&procedure.ActStep{Act: "Open the gas", StepBase: procedure.StepBase{Opens: "Gas open"}},
			&procedure.Measure{Measure: "response", StepBase: step("Response"), MethodName: "co2", Unit: "%{vol}",
				Resolution: 0.01, Tolerance: "±0.4", Gross: 3, SetUp: []string{"tight?"},
				Points: []procedure.Point{{Label: "zero", At: "0.04", U: 0.02}, {Label: "gas", At: "mixture.CO2"}}},
			&procedure.Finding{Finding: "verdict",
				StepBase: procedure.StepBase{Title: "Verdict", Opens: "Menu entered"}, Judges: []string{"response"},
				Controls: []adjust.Control{{ID: "span", Label: "span", Kind: adjust.Gain, Step: 0.5, Range: 20}},
				Causes:   map[string][]string{"gain": {"aged"}}},
			&procedure.ActStep{Act: "Close the gas", StepBase: procedure.StepBase{Closes: []string{"Gas open"}}},
			&procedure.CheckStep{Check: "Menu left", StepBase: procedure.StepBase{Closes: []string{"Menu entered"}}},
		},
		Next: procedure.Next{Months: 6},
	}
}

// compiled is a definition with the shipped families' catalogue.
func compiled(t testing.TB, d procedure.Definition) *procedure.Procedure {
	t.Helper()
	p, mistakes := procedure.Compile(d, families.Catalogue())
	require.Empty(t, mistakes)
	return p
}

// mistakes are what is wrong with a definition.
func mistakes(d procedure.Definition) []field.Error {
	_, all := procedure.Compile(d, families.Catalogue())
	return all
}

func mixture() reference.Standard {
	return reference.Standard{ID: "s1", Tag: "HG-22", Name: "5 % CO₂", Kind: "gas", Status: reference.Usable,
		Certificate: reference.Certificate{Number: "K-1", Issuer: "lab", On: start.AddDate(0, -6, 0),
			DueOn: start.AddDate(0, 6, 0)},
		Values:   []reference.Certified{{Quantity: "CO2", Value: 5, Unit: "%{vol}", U: 0.05, K: 2}},
		Cylinder: &gas.Cylinder{WaterVolumeL: 2, GaugeBar: 60, ReserveBar: 5}}
}

// bench drives a run in a test, a second at a time.
type bench struct {
	t      *testing.T
	run    run.Run
	events []run.Event
	now    time.Time
	n      int
	who    person.Person
}

func open(t *testing.T, d procedure.Definition, change ...func(*run.RunOpened)) *bench {
	t.Helper()
	p := compiled(t, d)
	b := &bench{t: t, run: run.NewRun(p), now: start, who: idris}
	b.run.ID = "run-1"
	lab := run.Lab{
		Name:   "Workshop",
		Rule:   conformity.Rule{Kind: conformity.Simple, TURFloor: 3},
		Policy: adjust.Policy{School: adjust.Threshold, Threshold: 0.7, MaxRounds: 4},
		Review: procedure.ReviewOnFailure,
	}
	opened := run.RunOpened{
		Procedure: p.ID,
		Revision:  1,
		Device:    run.Device{ID: "d1", Tag: "MB-0417", Family: "gas-monitor"},
		Lab:       lab,
	}
	for _, f := range change {
		f(&opened)
	}
	b.do(run.OpenRun{RunOpened: opened})
	return b
}

func (b *bench) try(c run.Command) error {
	b.n++
	b.now = b.now.Add(time.Second)
	events, err := b.run.Decide(fmt.Sprintf("c-%d", b.n), c, run.Order{At: b.now, By: b.who})
	for _, e := range events {
		b.run = b.run.Apply(e)
	}
	b.events = append(b.events, events...)
	return err
}

func (b *bench) do(commands ...run.Command) {
	b.t.Helper()
	for _, c := range commands {
		require.NoError(b.t, b.try(c))
	}
}

// refused tries a command, and wants a refusal with a code and some words.
func (b *bench) refused(c run.Command, code, words string) {
	b.t.Helper()
	before := b.run.Seq
	err := b.try(c)
	var refusal *run.Refusal
	require.True(b.t, errors.As(err, &refusal), "%T was not refused: %v", c, err)
	assert.Equal(b.t, code, refusal.Code, refusal.Message)
	assert.Contains(b.t, refusal.Message, words)
	assert.Equal(b.t, before, b.run.Seq, "a refusal records nothing")
}

func (b *bench) read(point, typed string) run.CaptureReading {
	return run.CaptureReading{Reading: fmt.Sprintf("r-%d", b.n+1), Measure: "response", Point: point, Typed: typed}
}

// prepared carries the run to its first reading.
func (b *bench) prepared() *bench {
	b.t.Helper()
	b.do(run.BindStandard{Role: "mixture", Standard: mixture()}, run.AnswerCheck{Step: "cautions", Answer: run.Fine},
		run.AnswerCheck{Step: "casing", Answer: run.Fine}, run.StartWait{Step: "warm-up"},
		run.RecordAmbient{Step: "room", Temperature: "21,4", Pressure: "1008", Humidity: "46", Source: "RC-01"})
	b.now = b.now.Add(5 * time.Minute)
	b.do(run.DoStep{Step: "open-the-gas"})
	return b
}

// found reads and closes as found.
func (b *bench) found(gas string) *bench {
	b.t.Helper()
	b.do(b.read("zero", "0.04"))
	b.do(b.read("gas", gas))
	b.do(run.ClosePhase{Finding: "verdict"})
	return b
}

// finished closes what is open after the finding.
func (b *bench) finished() *bench {
	b.t.Helper()
	b.do(run.DoStep{Step: "close-the-gas"}, run.AnswerCheck{Step: "menu-left", Answer: run.Fine})
	return b
}

func (b *bench) view() runview.View { return runview.Of(b.run, b.now) }
