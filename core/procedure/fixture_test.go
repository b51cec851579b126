package procedure_test

import (
	"errors"
	"fmt"
	"testing"
	"time"

	"northneedle/core/adjust"
	"northneedle/core/conformity"
	"northneedle/core/gas"
	"northneedle/core/method"
	"northneedle/core/procedure"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

var start = time.Date(2026, 3, 2, 9, 0, 0, 0, time.UTC)

var (
	idris  = procedure.Person{ID: "idris", Name: "Idris Vail", Role: procedure.Technician}
	tamsin = procedure.Person{ID: "tamsin", Name: "Tamsin Orrery", Role: procedure.Lead}
	fenn   = procedure.Person{ID: "fenn", Name: "Fenn Castellan", Role: procedure.Trainee}
	odile  = procedure.Person{ID: "odile", Name: "Odile Marsh", Role: procedure.Manager}
)

// small is a procedure with one of everything.
func small() procedure.Procedure {
	return procedure.Procedure{
		ID: "small", Revision: 1, Title: "Small check", Family: "gas-monitor", Cautions: []string{"Ventilate."},
		Roles: []procedure.Role{{ID: "mixture", Title: "Mixture", Kind: "gas", Litres: 5, Needs: []procedure.Need{{Quantity: "CO2", From: 4, To: 6, Unit: "%{vol}"}}}},
		Steps: []procedure.Step{
			{Check: "Casing", Symptom: "cracks"},
			{Wait: "Warm-up", Minutes: 5, Why: "it is cold"},
			{Ambient: "Room"},
			{Act: "Open the gas", Opens: "Gas open"},
			{Measure: "response", Title: "Response", Method: "co2", Unit: "%{vol}", Resolution: 0.01, Tolerance: "±0.4", Gross: 3, SetUp: []string{"tight?"},
				Points: []procedure.Point{{Label: "zero", At: "0.04", U: 0.02}, {Label: "gas", At: "mixture.CO2"}}},
			{Finding: "verdict", Title: "Verdict", Judges: []string{"response"}, Opens: "Menu entered",
				Controls: []adjust.Control{{ID: "span", Label: "span", Kind: adjust.Gain, Step: 0.5, Range: 20}}, Causes: map[string][]string{"gain": {"aged"}}},
			{Act: "Close the gas", Closes: []string{"Gas open"}},
			{Check: "Menu left", Closes: []string{"Menu entered"}},
		},
		Next: procedure.Next{Months: 6},
	}.Settled()
}

func mixture() procedure.Standard {
	return procedure.Standard{ID: "s1", Tag: "HG-22", Name: "5 % CO₂", Kind: "gas", Status: procedure.Usable,
		Certificate: procedure.Certificate{Number: "K-1", Issuer: "lab", On: start.AddDate(0, -6, 0), DueOn: start.AddDate(0, 6, 0)},
		Values:      []method.Certified{{Quantity: "CO2", Value: 5, Unit: "%{vol}", U: 0.05, K: 2}},
		Cylinder:    &gas.Cylinder{WaterVolumeL: 2, GaugeBar: 60, ReserveBar: 5}}
}

// bench drives a run in a test, a second at a time.
type bench struct {
	t      *testing.T
	run    procedure.Run
	events []procedure.Event
	now    time.Time
	n      int
	who    procedure.Person
}

func open(t *testing.T, p procedure.Procedure) *bench {
	t.Helper()
	require.Empty(t, p.Check())
	b := &bench{t: t, run: procedure.NewRun(p), now: start, who: idris}
	b.run.ID = "run-1"
	lab := procedure.Lab{Name: "Workshop", Rule: conformity.Rule{Kind: conformity.Simple, TURFloor: 3}, Policy: adjust.Policy{School: adjust.Threshold, Threshold: 0.7, MaxRounds: 4}, Review: procedure.ReviewOnFailure}
	b.do(procedure.OpenRun{RunOpened: procedure.RunOpened{Procedure: p.ID, Revision: 1, Device: procedure.Device{ID: "d1", Tag: "MB-0417", Family: "gas-monitor"}, Lab: lab}})
	return b
}

func (b *bench) try(c procedure.Command) error {
	b.n++
	b.now = b.now.Add(time.Second)
	events, err := b.run.Decide(fmt.Sprintf("c-%d", b.n), c, procedure.Order{At: b.now, By: b.who})
	for _, e := range events {
		b.run = b.run.Apply(e)
	}
	b.events = append(b.events, events...)
	return err
}

func (b *bench) do(commands ...procedure.Command) {
	b.t.Helper()
	for _, c := range commands {
		require.NoError(b.t, b.try(c))
	}
}

// refused tries a command, and wants a refusal with a code and some words.
func (b *bench) refused(c procedure.Command, code, words string) {
	b.t.Helper()
	before := b.run.Seq
	err := b.try(c)
	var refusal *procedure.Refusal
	require.True(b.t, errors.As(err, &refusal), "%T was not refused: %v", c, err)
	assert.Equal(b.t, code, refusal.Code, refusal.Message)
	assert.Contains(b.t, refusal.Message, words)
	assert.Equal(b.t, before, b.run.Seq, "a refusal records nothing")
}

func (b *bench) read(point, typed string) procedure.CaptureReading {
	return procedure.CaptureReading{Reading: fmt.Sprintf("r-%d", b.n+1), Measure: "response", Point: point, Typed: typed}
}

// prepared carries the run to its first reading.
func (b *bench) prepared() *bench {
	b.t.Helper()
	b.do(procedure.BindStandard{Role: "mixture", Standard: mixture()}, procedure.AnswerCheck{Step: "cautions", Answer: procedure.Fine},
		procedure.AnswerCheck{Step: "casing", Answer: procedure.Fine}, procedure.StartWait{Step: "warm-up"},
		procedure.RecordAmbient{Step: "room", Temperature: "21,4", Pressure: "1008", Humidity: "46", Source: "RC-01"})
	b.now = b.now.Add(5 * time.Minute)
	b.do(procedure.DoStep{Step: "open-the-gas"})
	return b
}

// found reads and closes as found.
func (b *bench) found(gas string) *bench {
	b.t.Helper()
	b.do(b.read("zero", "0.04"))
	b.do(b.read("gas", gas))
	b.do(procedure.ClosePhase{Finding: "verdict"})
	return b
}

// finished closes what is open after the finding.
func (b *bench) finished() *bench {
	b.t.Helper()
	b.do(procedure.DoStep{Step: "close-the-gas"}, procedure.AnswerCheck{Step: "menu-left", Answer: procedure.Fine})
	return b
}

func (b *bench) view() procedure.View { return b.run.View(b.now) }
