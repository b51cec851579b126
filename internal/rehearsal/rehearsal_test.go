package rehearsal_test

import (
	"errors"
	"fmt"
	"slices"
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
	steps := map[string]float64{"gas-bench span": 0.5, "gas-bench zero": 0.02, "syringe-bench table": 0.015, "co-bench span": 1, "co-bench zero": 0.5, "bag-rack deadspace": 0.01, "chamber-probe trim": 0.05, "chamber-probe measured": 0.05, "balance factor": 0.1, "acoustic-bench table": 0.5}[h.kind+" "+control]
	if steps == 0 { // a routine of the device
		steps = 1
	}
	_, entry, _ := strings.Cut(point, "/")
	command := fmt.Sprintf("SIMulate:PRESs %s,%.0f", strings.ToUpper(control), change/steps)
	if entry != "" {
		command += "," + entry
	}
	require.NoError(h.t, h.bench.Tell(h.kind, command))
}

// technician works by hand, without instruments.
func technician(truth demo.Truth) *demo.Technician {
	return &demo.Technician{Person: procedure.Person{ID: "idris", Name: "Idris Vail", Role: procedure.Technician}, Reviewer: procedure.Person{ID: "tamsin", Name: "Tamsin Orrery", Role: procedure.Lead}, At: monday,
		Truth: truth, Room: [3]string{"21.4", "1008", "46"}, Plate: map[string]string{"capacity": "200", "division": "0.1", "water_temperature": "22", "evaporation": "0.02"},
		Standard: func(_ procedure.Run, role procedure.Role) procedure.Standard { return demo.Fitting(role, monday) }}
}

func opened(p procedure.Procedure) procedure.RunOpened {
	return procedure.RunOpened{Procedure: p.ID, Revision: p.Revision, Hash: procedures.Hash(p), Lab: demo.Lab(), Device: procedure.Device{ID: "d", Tag: "TEST-1", Maker: "Velloway", Model: "test", Family: p.Family}}
}

// rehearse works through a family's procedure with faults switched on, and things chosen
// ("calibration=two-point"), and gives the
// run, and the error where a reading never became one.
func rehearse(t *testing.T, name, kind string, faults ...string) (heard, error) {
	t.Helper()
	all, err := procedures.Shipped()
	require.NoError(t, err)
	b := rehearsal.New(demo.World())
	plate := map[string]string{"capacity": "200", "division": "0.1", "water_temperature": "22", "evaporation": "0.02"}
	for _, fault := range faults {
		if field, value, entry := strings.Cut(fault, "="); entry {
			plate[field] = value
			continue
		}
		require.NoError(t, b.Tell(kind, "SIMulate:FAULt "+fault+",ON"))
	}
	for _, p := range all {
		if p.Family != name && p.ID != name {
			continue
		}
		w := technician(hands{t: t, bench: b, kind: kind})
		w.Plate, w.Capture = plate, b.Capture
		run, events, err := w.Work(p, opened(p))
		return heard{run.View(w.At), said(p, events)}, err
	}
	require.FailNow(t, "no procedure for "+name)
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
		{"spirometer", "syringe-bench", "ZERO", procedure.ConformsAdjusted, "Flow at rest"},
		{"metabolic-cart", "cart-gas", "", procedure.Conforms, "At hard work: VO₂"},
		{"metabolic-cart", "cart-gas", "HUMID", procedure.Fails, "Both gases are off in the same proportion"},
		{"metabolic-cart", "cart-gas", "BREATH", procedure.Fails, "Only room air is off"},
		{"metabolic-cart", "cart-gas", "DRIFTED", procedure.ConformsAdjusted, "gas calibration by its menu"},
		{"metabolic-cart", "cart-gas", "EMPTY", procedure.Fails, "set-up mistake"},
		{"metabolic-cart", "syringe-bench", "BTPS", procedure.Fails, "Volume"},
		{"breath-monitor", "co-bench", "", procedure.Conforms, "leave"},
		{"breath-monitor", "co-bench", "OLD", procedure.ConformsAdjusted, "The cell has aged"},
		{"breath-monitor", "co-bench", "EMPTY", procedure.Fails, "set-up mistake"},
		{"breath-monitor", "co-bench", "ALCOHOL", procedure.ConformsAdjusted, "Air the monitor for half an hour"},
		{"collection-bag-meter", "bag-rack", "", procedure.ConformsAdjusted, "subtract it, do not adjust the meter"},
		{"collection-bag-meter", "bag-rack", "LEAK", procedure.Fails, "taps, leaks"},
		{"collection-bag-meter", "bag-rack", "OPEN", procedure.Fails, "bag open"},
		{"collection-bag-meter", "bag-rack", "WORN", procedure.Fails, "The meter is off by"},
		{"flow-analyser", "flow-analyser", "", procedure.Conforms, "leave"},
		{"flow-analyser", "flow-analyser", "DRIFTED", procedure.ConformsAdjusted, "zero by its menu with nothing connected, once"},
		{"flow-analyser", "flow-analyser", "TUBE", procedure.Fails, "A tube is connected"},
		{"flow-analyser", "flow-analyser", "CELL", procedure.Fails, "replace it before the date"},
		{"ventilator-pre-use", "flow-analyser", "", procedure.Conforms, "leave"},
		{"ventilator-pre-use", "flow-analyser", "LEAK", procedure.Fails, "A joint, the water trap"},
		{"ventilator-performance", "flow-analyser", "", procedure.Conforms, "Nothing in the errors points to the set-up"},
		{"ventilator-performance", "flow-analyser", "CONDITION", procedure.Fails, "the analyser set to STPD, not to BTPS as recorded"},
		{"ventilator-performance", "flow-analyser", "MIXTURE", procedure.Fails, "while"},
		{"ventilator-performance", "flow-analyser", "DRIFTED", procedure.Fails, "the analyser was not zeroed"},
		{"ventilator-performance", "flow-analyser", "LEAK", procedure.Fails, "More is lost the higher the pressure"},
		{"ventilator-performance", "flow-analyser", "WEAK", procedure.Fails, "No gas condition or mixture explains it"},
		{"ventilator-performance", "flow-analyser", "MIXER", procedure.Fails, "O₂ 40 % is off by itself"},
		{"ventilator-performance", "flow-analyser", "MUTE", procedure.Fails, "without alarms the ventilator leaves use"},
		{"infusion-pump", "balance", "", procedure.Conforms, "leave"},
		{"infusion-pump", "balance", "SET", procedure.ConformsAdjusted, "the wrong set is selected"},
		{"infusion-pump", "balance", "EVAPORATION", procedure.Fails, "Only low rates are off"},
		{"infusion-pump", "balance", "BUBBLE", procedure.Fails, "far beyond anything an adjustment"},
		{"infusion-pump", "balance", "DEAF", procedure.Fails, "the alarm is muted"},
		{"audiometer", "acoustic-bench", "", procedure.Conforms, "lowest hearing level that can honestly be tested here is about 0 dB HL"},
		{"audiometer", "acoustic-bench", "TIPPED", procedure.Fails, "far beyond anything an adjustment"},
		{"audiometer", "acoustic-bench", "CABLE", procedure.Fails, "Nearly every frequency of the right ear is off"},
		{"audiometer", "acoustic-bench", "RESONANCE", procedure.ConformsAdjusted, "Only Left 3 kHz is off"},
		{"audiometer", "acoustic-bench", "STEP", procedure.Fails, "1 step is wrong"},
		{"audiometer", "acoustic-bench", "LOUD", procedure.Fails, "room noise, not the attenuator"},
		{"audiometer", "acoustic-bench", "DISTORTED", procedure.Fails, "it is the earphone"},
		{"photometer", "photometer", "", procedure.Conforms, "leave"},
		{"photometer", "photometer", "LAMP", procedure.Fails, "without any reagent"},
		{"photometer", "photometer", "STRAY", procedure.Fails, "The curve bends at the top"},
		{"photometer", "photometer", "AGED", procedure.ConformsAdjusted, "Every level alike"},
		{"photometer", "photometer", "SPILL", procedure.Fails, "The levels scatter"},
		{"photometer", "photometer", "COLOUR", procedure.Fails, "A one-point calibration does not mend it; two points do"},
		{"photometer", "photometer", "COLOUR calibration=two-point", procedure.ConformsAdjusted, "two-point calibration by its menu, water then calibrator, once"},
		{"photometer", "photometer", "AGED calibration=levels", procedure.ConformsAdjusted, "calibration by its menu at every level, once"},
		{"audiometer", "acoustic-bench", "STEP steps=10", procedure.Fails, "1 step is wrong"},
		{"blood-gas-checks", "blood-gas", "", procedure.Conforms, "mmol/L bicarbonate"},
		{"blood-gas-checks", "blood-gas", "SENSOR", procedure.Fails, "The electronic reference fails too"},
		{"blood-gas-checks", "blood-gas", "BUBBLE", procedure.Fails, "towards room air"},
		{"blood-gas-checks", "blood-gas", "CARTRIDGE", procedure.Fails, "the cartridge lot, or its handling"},
		{"blood-gas-electronic", "blood-gas", "", procedure.Conforms, "inside its range"},
		{"blood-gas-electronic", "blood-gas", "SENSOR", procedure.Fails, "The electronic reference fails too"},
		{"blood-gas-haemoglobin", "blood-gas", "", procedure.Conforms, "leave"},
		{"blood-gas-haemoglobin", "blood-gas", "FILM", procedure.ConformsAdjusted, "haemoglobin calibration by its menu, once"},
		{"warm-chamber", "chamber-probe", "", procedure.ConformsAdjusted, "all zones together"},
		{"warm-chamber", "chamber-probe", "trim=measured", procedure.ConformsAdjusted, "as measured in zone 1"},
		{"warm-chamber", "chamber-probe", "LID", procedure.Fails, "no trim can fix this"},
		{"warm-chamber", "chamber-probe", "SEAT", procedure.ConformsAdjusted, "not seated in one compartment"},
		{"warm-chamber", "chamber-probe", "DRAUGHT", procedure.ConformsAdjusted, "a draught or the lid"},
		{"capnograph", "gas-bench", "", procedure.Conforms, "leave"},
		{"capnograph", "gas-bench", "LEAK", procedure.Fails, "A leak at the adapter"},
		{"capnograph", "finger-simulator", "CURVE", procedure.Fails, "The wrong simulator curve"},
	} {
		t.Run(c.family+" "+c.fault, func(t *testing.T) {
			var faults []string
			faults = append(faults, strings.Fields(c.fault)...)
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
		{"infusion-pump", "balance", "TOUCHED", "nobody touches the cup"},
		{"flow-analyser", "flow-analyser", "LOWFLOW", "flow too low: 4.0 L/min, 8 are needed: the cell is not flushed"},
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

// TestAScaleByHand types what a scale shows: one corner off, moved to another gravity, and healthy.
func TestAScaleByHand(t *testing.T) {
	all, err := procedures.Shipped()
	require.NoError(t, err)
	at := slices.IndexFunc(all, func(p procedure.Procedure) bool { return p.Family == "patient-scale" })
	require.GreaterOrEqual(t, at, 0)
	work := func(plate map[string]string, shows func(measure, point string, expected float64) float64) heard {
		p := all[at]
		w := &demo.Technician{Person: procedure.Person{ID: "idris", Name: "Idris Vail", Role: procedure.Technician}, Reviewer: procedure.Person{ID: "tamsin", Name: "Tamsin Orrery", Role: procedure.Lead},
			At: monday, Truth: typed(shows), Room: [3]string{"21", "1008", "46"}, Plate: plate,
			Standard: func(_ procedure.Run, role procedure.Role) procedure.Standard { return demo.Fitting(role, monday) }}
		run, events, err := w.Work(p, procedure.RunOpened{Procedure: p.ID, Revision: p.Revision, Hash: procedures.Hash(p), Lab: demo.Lab(), Device: procedure.Device{ID: "d", Tag: "TEST-1", Family: p.Family, Resolution: map[string]float64{"rising": 0.01, "falling": 0.01, "corners": 0.01, "repeatability": 0.01}}})
		require.NoError(t, err)
		return heard{run.View(w.At), said(p, events)}
	}
	plate := map[string]string{"capacity": "200", "division": "0.1"}
	healthy := work(plate, func(_, _ string, expected float64) float64 { return expected })
	assert.Equal(t, procedure.Conforms, healthy.Result)

	corner := work(plate, func(measure, point string, expected float64) float64 {
		if measure == "corners" && point == "rear-left" {
			return expected + 0.6
		}
		return expected
	})
	assert.Equal(t, procedure.Fails, corner.Result)
	assert.Contains(t, corner.words, "Only Corners rear left is off")

	moved := map[string]string{"capacity": "200", "division": "0.1", "adjusted_latitude": "56", "adjusted_height": "10", "used_latitude": "56", "used_height": "3400"}
	span := 1 - 0.00107 // what this place's gravity makes of it
	gravity := work(moved, func(_, _ string, expected float64) float64 { return span * expected })
	assert.Contains(t, gravity.words, "It was adjusted elsewhere: that is the whole of it", gravity.words)
}

// typed is a device read from its display.
type typed func(measure, point string, expected float64) float64

func (f typed) Read(measure, point string, expected float64) float64 {
	return f(measure, point, expected)
}
func (typed) Turn(string, string, float64) {}

// TestABlockedTrapRisesSlowly: the rise time is kept with the reading.
func TestABlockedTrapRisesSlowly(t *testing.T) {
	rise := func(faults ...string) (seconds float64) {
		v, err := rehearse(t, "capnograph", "gas-bench", faults...)
		require.NoError(t, err)
		_, after, found := strings.Cut(v.Measures[0].Points[1].Readings[0].Detail, "rise time ")
		require.True(t, found)
		_, err = fmt.Sscanf(after, "%f s", &seconds)
		require.NoError(t, err)
		return seconds
	}
	assert.Greater(t, rise("TRAP"), 2.5*rise())
}

// TestABubbleIsSeenWhileItIsWeighed: a flow that stands still for a while is said with its reading.
func TestABubbleIsSeenWhileItIsWeighed(t *testing.T) {
	v, err := rehearse(t, "infusion-pump", "balance", "BUBBLE")
	require.NoError(t, err)
	assert.Contains(t, v.Measures[0].Points[1].Readings[0].Detail, "a bubble?")
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

// TestAScaleThatShowsPounds reads in pounds, loads kilograms, and is held to limits of its
// own division.
func TestAScaleThatShowsPounds(t *testing.T) {
	all, err := procedures.Shipped()
	require.NoError(t, err)
	p := all[slices.IndexFunc(all, func(p procedure.Procedure) bool { return p.Family == "patient-scale" })]
	w := &demo.Technician{Person: procedure.Person{ID: "idris", Name: "Idris Vail", Role: procedure.Technician}, At: monday, Truth: hands{t: t}, Room: [3]string{"21.4", "1008", "46"}, Plate: map[string]string{"capacity": "200", "division": "0.1"},
		Standard: func(_ procedure.Run, role procedure.Role) procedure.Standard { return demo.Fitting(role, monday) }}
	device := procedure.Device{ID: "d", Tag: "TEST-1", Family: p.Family, Settings: map[string]string{"unit.mass": "[lb_av]"}}
	run, _, err := w.Work(p, procedure.RunOpened{Procedure: p.ID, Revision: p.Revision, Hash: procedures.Hash(p), Lab: demo.Lab(), Device: device})
	require.NoError(t, err)
	v := run.View(w.At)
	require.Equal(t, procedure.Conforms, v.Result)
	half := v.Measures[0].Points[3]
	assert.Equal(t, "lb", v.Measures[0].Shown)
	assert.InDelta(t, 100/0.45359237, half.Found.Reference, 0.01)
	assert.InDelta(t, 0.2/0.45359237, *half.Found.High, 1e-6, "two divisions at a thousand of them")
	assert.Contains(t, half.Do, "20 kg")
}
