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
	steps := map[string]float64{"span": 0.5, "zero": 0.02, "table": 0.015}[control]
	_, entry, _ := strings.Cut(point, "/")
	command := fmt.Sprintf("SIMulate:PRESs %s,%.0f", strings.ToUpper(control), change/steps)
	if entry != "" {
		command += "," + entry
	}
	require.NoError(h.t, h.bench.Tell(h.kind, command))
}

// rehearse works through a family's procedure with faults switched on, and gives the
// run, and the error where a reading never became one.
func rehearse(t *testing.T, family, kind string, faults ...string) (procedure.View, error) {
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
		run, _, err := w.Work(p, procedure.RunOpened{Procedure: p.ID, Revision: p.Revision, Hash: procedures.Hash(p), Lab: demo.Lab(), Device: procedure.Device{ID: "d", Tag: "TEST-1", Maker: "Velloway", Model: "test", Family: family}})
		return run.View(w.At), err
	}
	require.FailNow(t, "no procedure for "+family)
	return procedure.View{}, nil
}

// said is everything a run says about its findings.
func said(v procedure.View) string {
	var words []string
	for _, f := range v.Findings {
		if f.Seen != nil {
			words = append(words, f.Seen.Words)
		}
		words = append(words, f.Causes...)
		for _, d := range f.Decisions {
			words = append(words, string(d.Decision)+": "+d.Why)
		}
	}
	return strings.Join(append(words, string(v.Result)), "\n")
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
			assert.Equal(t, c.result, v.Result, said(v))
			assert.Contains(t, said(v), c.says)
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
	assert.Equal(t, procedure.Conforms, v.Result, said(v))
	assert.Contains(t, v.Measures[1].Points[0].Readings[0].Detail, "3 strokes that count, of 4 made")
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
