package rehearsal_test

import (
	"errors"
	"fmt"
	"strings"
	"testing"
	"time"

	"northneedle/core/procedure"
	"northneedle/internal/demo"
	"northneedle/internal/rehearsal"
	"northneedle/internal/standin"
	"northneedle/procedures"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

var monday = time.Date(2026, 3, 2, 9, 0, 0, 0, time.UTC)

// hands move the controls of the simulated device.
type hands struct {
	t     *testing.T
	bench *rehearsal.Bench
	kind  string
	fixed map[string]float64 // what is read where nothing is linked, by measure and point
}

func (h hands) Read(measure, point string, expected float64) float64 {
	if v, ok := h.fixed[measure+"/"+point]; ok {
		return v
	}
	return expected
}

func (h hands) Turn(control, point string, change float64) {
	steps := map[string]float64{"gas-bench span": 0.5, "gas-bench zero": 0.02, "syringe-bench table": 0.015, "co-bench span": 1, "co-bench zero": 0.5, "bag-rack deadspace": 0.01}[h.kind+" "+control]
	_, entry, _ := strings.Cut(point, "/")
	command := fmt.Sprintf("SIMulate:PRESs %s,%.0f", strings.ToUpper(control), change/steps)
	if entry != "" {
		command += "," + entry
	}
	require.NoError(h.t, h.bench.Tell(h.kind, command))
}

// rehearse works through a family's procedure with faults switched on, and gives the
// run, and the error where a reading never became one.
func rehearse(t *testing.T, family, kind string, faults ...string) (heard, error) {
	t.Helper()
	all, err := procedures.Shipped()
	require.NoError(t, err)
	b := rehearsal.New(demo.World())
	for _, fault := range faults {
		require.NoError(t, b.Tell(kind, "SIMulate:FAULt "+fault+",ON"))
	}
	for _, p := range all {
		if p.Family != family {
			continue
		}
		w := &demo.Technician{Person: procedure.Person{ID: "idris", Name: "Idris Vail", Role: procedure.Technician}, Reviewer: procedure.Person{ID: "tamsin", Name: "Tamsin Orrery", Role: procedure.Lead},
			At: monday, Truth: hands{t: t, bench: b, kind: kind}, Room: [3]string{"21.4", "1008", "46"}, Plate: map[string]string{"capacity": "200", "division": "0.1"}, Capture: b.Capture,
			Standard: func(_ procedure.Run, role procedure.Role) procedure.Standard { return demo.Fitting(role, monday) }}
		run, events, err := w.Work(p, procedure.RunOpened{Procedure: p.ID, Revision: p.Revision, Hash: procedures.Hash(p), Lab: demo.Lab(), Device: procedure.Device{ID: "d", Tag: "TEST-1", Maker: "Velloway", Model: "test", Family: family}})
		return heard{run.View(w.At), said(p, events)}, err
	}
	require.FailNow(t, "no procedure for "+family)
	return heard{}, nil
}

// heard is a run, and everything it said on the way.
type heard struct {
	procedure.View
	words string
}

// said is everything a run says about its findings, each time a phase is closed, and at its end.
func said(p procedure.Procedure, events []procedure.Event) string {
	var words []string
	run := procedure.NewRun(p)
	for _, e := range events {
		run = run.Apply(e)
		if kind := e.Fact.Kind(); kind != "PhaseClosed" && kind != "RunSigned" {
			continue
		}
		view := run.View(e.At)
		for _, f := range view.Findings {
			if f.Seen != nil {
				words = append(append(words, f.Seen.Words), f.Seen.Lines...)
			}
			words = append(words, f.Causes...)
			if f.Advice != nil {
				words = append(words, string(f.Advice.Decision)+": "+f.Advice.Why)
			}
		}
		words = append(words, string(view.Result))
	}
	return strings.Join(words, "\n")
}

// TestFaults is the table of fault and what the product says.
func TestFaults(t *testing.T) {
	for _, c := range []struct {
		family, kind, fault string
		result              procedure.Result
		says                string
	}{
		{"spirometer", "syringe-bench", "", procedure.Conforms, "leave"},
		{"spirometer", "syringe-bench", "BTPS", procedure.Fails, "as much as body conditions left on would give"},
		{"spirometer", "syringe-bench", "LEAK", procedure.Fails, "One direction is off"},
		{"spirometer", "syringe-bench", "FOULED", procedure.Fails, "Only the fast strokes are off"},
		{"spirometer", "syringe-bench", "ZERO", procedure.Fails, "Flow at rest"},
		{"metabolic-cart", "cart-gas", "", procedure.Conforms, "At hard work: VO₂"},
		{"metabolic-cart", "cart-gas", "HUMID", procedure.Fails, "Both gases are off in the same proportion"},
		{"metabolic-cart", "cart-gas", "BREATH", procedure.Fails, "Only room air is off"},
		{"metabolic-cart", "cart-gas", "EMPTY", procedure.Fails, "set-up mistake"},
		{"metabolic-cart", "syringe-bench", "BTPS", procedure.Fails, "Volume"},
		{"breath-monitor", "co-bench", "", procedure.Conforms, "leave"},
		{"breath-monitor", "co-bench", "OLD", procedure.ConformsAdjusted, "The cell has aged"},
		{"breath-monitor", "co-bench", "EMPTY", procedure.Fails, "set-up mistake"},
		{"breath-monitor", "co-bench", "ALCOHOL", procedure.ConformsAdjusted, "Air the monitor for half an hour"},
		{"collection-bag-meter", "bag-rack", "", procedure.ConformsAdjusted, "subtract it, do not adjust the meter"},
		{"collection-bag-meter", "bag-rack", "LEAK", procedure.Fails, "taps, leaks"},
		{"collection-bag-meter", "bag-rack", "WORN", procedure.Fails, "The meter is off by"},
		{"capnograph", "gas-bench", "", procedure.Conforms, "leave"},
		{"capnograph", "gas-bench", "LEAK", procedure.Fails, "A leak at the adapter"},
		{"capnograph", "finger-simulator", "CURVE", procedure.Fails, "The wrong simulator curve"},
	} {
		t.Run(c.family+" "+c.fault, func(t *testing.T) {
			var faults []string
			if c.fault != "" {
				faults = append(faults, c.fault)
			}
			v, err := rehearse(t, c.family, c.kind, faults...)
			require.NoError(t, err)
			assert.Equal(t, procedure.Signed, v.Status)
			assert.Equal(t, c.result, v.Result, v.words)
			assert.Contains(t, v.words, c.says)
		})
	}
}

// TestFaultsOfTechnique are those that never give a reading: the words say what to do better.
func TestFaultsOfTechnique(t *testing.T) {
	for _, c := range []struct{ family, kind, fault, says string }{
		{"spirometer", "syringe-bench", "BANG", "a bang at the end stop"},
		{"spirometer", "syringe-bench", "HURRY", "no pause"},
		{"capnograph", "gas-bench", "EMPTY", "no breath seen"},
	} {
		t.Run(c.family+" "+c.fault, func(t *testing.T) {
			_, err := rehearse(t, c.family, c.kind, c.fault)
			var unsteady *rehearsal.Unsteady
			require.True(t, errors.As(err, &unsteady), "%v", err)
			assert.Contains(t, unsteady.Why, c.says)
		})
	}
}

// TestABadStrokeIsShownAndNotCounted: one bang among good strokes changes no reading.
func TestABadStrokeIsShownAndNotCounted(t *testing.T) {
	v, err := rehearse(t, "spirometer", "syringe-bench", "SLIP")
	require.NoError(t, err)
	assert.Equal(t, procedure.Conforms, v.Result, v.words)
	assert.Contains(t, v.Measures[1].Points[0].Readings[0].Detail, "3 strokes that count, of 4 made")
}

// TestASlowAnalyserSaysHowSlow: the response time is kept with the reading.
func TestASlowAnalyserSaysHowSlow(t *testing.T) {
	v, err := rehearse(t, "metabolic-cart", "cart-gas", "SLOW")
	require.NoError(t, err)
	var seconds float64
	_, err = fmt.Sscanf(v.Measures[1].Points[1].Readings[0].Detail, "response from 10 to 90 %% in %f s", &seconds)
	require.NoError(t, err, v.Measures[1].Points[1].Readings[0].Detail)
	assert.InDelta(t, 6.6, seconds, 0.6, "ln 9 of its lag")
}

// TestEveryStandInSaysWhatItIs holds the simulated instruments to what the bench relies on.
func TestEveryStandInSaysWhatItIs(t *testing.T) {
	require.GreaterOrEqual(t, len(standin.Kinds()), 3)
	for _, kind := range standin.Kinds() {
		m := kind.New(demo.World())
		assert.Contains(t, m.IDN(), "stand-in", kind.ID)
		assert.NotEmpty(t, m.Channels(), kind.ID)
		assert.True(t, m.Rate() >= 1 && m.Rate() <= 100, kind.ID)
		for _, fault := range m.Controls().Faults {
			c, err := standin.ParseCommand("SIMulate:FAULt " + fault.Code + ",ON")
			require.NoError(t, err)
			_, known, err := m.Command(c)
			assert.True(t, known && err == nil, "%s: %s", kind.ID, fault.Code)
		}
	}
}
