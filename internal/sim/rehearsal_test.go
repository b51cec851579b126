package sim_test

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"northneedle/core/lookback"
	"northneedle/core/person"
	"northneedle/core/procedure"
	"northneedle/core/reference"
	"northneedle/core/run"
	"northneedle/core/runview"
	"northneedle/internal/capture"
	"northneedle/internal/definition"
	"northneedle/internal/demo"
	"northneedle/internal/sim"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

var monday = time.Date(2026, 3, 2, 9, 0, 0, 0, time.UTC)

// hands move the controls of the simulated device.
type hands struct {
	t     *testing.T
	bench *sim.Bench
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
	steps := map[string]float64{
		"gas-bench span":         0.5,
		"gas-bench zero":         0.02,
		"syringe-bench table":    0.015,
		"co-bench span":          1,
		"co-bench zero":          0.5,
		"bag-rack deadspace":     0.01,
		"chamber-probe trim":     0.05,
		"chamber-probe measured": 0.05,
		"balance factor":         0.1,
		"acoustic-bench table":   0.5,
	}[h.kind+" "+control]
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
func technician(truth sim.Truth) *sim.Technician {
	return &sim.Technician{Person: person.Person{ID: "idris", Name: "Idris Vail", Role: person.Technician},
		Reviewer: person.Person{ID: "tamsin", Name: "Tamsin Orrery", Role: person.Lead}, At: monday,
		Truth: truth, Room: [3]string{"21.4", "1008", "46"},
		Plate: map[string]string{"capacity": "200", "division": "0.1", "water_temperature": "22",
			"evaporation": "0.02"},
		Standard: func(_ run.Run, role reference.Role) reference.Standard { return demo.Fitting(role, monday) }}
}

// shipped is a procedure that ships, by its id.
func shipped(t *testing.T, id string) *procedure.Procedure {
	t.Helper()
	all, err := definition.Shipped()
	require.NoError(t, err)
	at := slices.IndexFunc(all, func(p *procedure.Procedure) bool { return p.ID == id })
	require.GreaterOrEqual(t, at, 0, id)
	return all[at]
}

func opened(p *procedure.Procedure) run.RunOpened {
	return run.RunOpened{
		Procedure: p.ID,
		Revision:  p.Revision,
		Hash:      p.Hash,
		Lab:       demo.Lab(),
		Device:    run.Device{ID: "d", Tag: "TEST-1", Maker: "Velloway", Model: "test", Family: p.Family},
	}
}

// rehearse works through a family's procedure with faults switched on, and things chosen
// ("calibration=two-point"), and gives the
// run, and the error where a reading never became one.
func rehearse(t *testing.T, name, kind string, faults ...string) (heard, error) {
	t.Helper()
	all, err := definition.Shipped()
	require.NoError(t, err)
	b := sim.NewBench(demo.World(), monday)
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
		r, events, err := w.Work(p, opened(p))
		return heard{runview.Of(r, w.At), said(p, events), r.FoundOut()}, err
	}
	require.FailNow(t, "no procedure for "+name)
	return heard{}, nil
}

// heard is a run, and everything it said on the way.
type heard struct {
	runview.View
	words string
	found []lookback.Level // what a look-back would begin with
}

// said is everything a run says about its findings, each time a phase is closed, and at its end.
func said(p *procedure.Procedure, events []run.Event) string {
	var words []string
	r := run.NewRun(p)
	for _, e := range events {
		r = r.Apply(e)
		if kind := run.KindOf(e.Fact); kind != "PhaseClosed" && kind != "RunSigned" {
			continue
		}
		view := runview.Of(r, e.At)
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
		result              run.Result
		says                string
		back                string // the worst that a look-back begins with; empty: none opens
	}{
		{"spirometer", "syringe-bench", "", run.Conforms, "leave", ""},
		{"spirometer", "syringe-bench", "BTPS", run.Fails, "as much as body conditions left on would give", "Volume fastest, injected"},
		{"spirometer", "syringe-bench", "LEAK", run.Fails, "One direction is off", "Volume slow, withdrawn"},
		{"spirometer", "syringe-bench", "FOULED", run.Fails, "Only the fast strokes are off", "Volume fast, withdrawn"},
		{"metabolic-cart", "cart-gas", "", run.Conforms, "At hard work: VO₂", ""},
		{"metabolic-cart", "cart-gas", "HUMID", run.Fails, "Both gases are off in the same proportion", "O₂ second gas"},
		{"metabolic-cart", "cart-gas", "BREATH", run.Fails, "Only room air is off", "CO₂ room air"},
		{"metabolic-cart", "cart-gas", "DRIFTED", run.ConformsAdjusted, "gas calibration by its menu", "O₂ second gas"},
		{"metabolic-cart", "cart-gas", "EMPTY", run.Fails, "set-up mistake", "CO₂ gas"},
		{"metabolic-cart", "syringe-bench", "BTPS", run.Fails, "Volume", "Volume fast"},
		{"breath-monitor", "co-bench", "", run.Conforms, "leave", ""},
		{"breath-monitor", "co-bench", "OLD", run.ConformsAdjusted, "The cell has aged", "CO gas"},
		{"breath-monitor", "co-bench", "EMPTY", run.Fails, "set-up mistake", "CO gas"},
		{"breath-monitor", "co-bench", "ALCOHOL", run.ConformsAdjusted, "Air the monitor for half an hour", "CO gas"},
		{"collection-bag-meter", "bag-rack", "", run.Conforms, "subtract it, do not adjust the meter", ""},
		{"collection-bag-meter", "bag-rack", "LEAK", run.Fails, "taps, leaks", "Volume finding"},
		{"collection-bag-meter", "bag-rack", "OPEN", run.Fails, "bag open", "Volume finding"},
		{"collection-bag-meter", "bag-rack", "WORN", run.Fails, "The meter's gain is off by", "Volume finding"},
		{"flow-analyser", "flow-analyser", "", run.Conforms, "leave", ""},
		{"flow-analyser", "flow-analyser", "DRIFTED", run.ConformsAdjusted,
			"zero by its menu with nothing connected, once", "Pressure at rest nothing connected"},
		{"flow-analyser", "flow-analyser", "TUBE", run.Fails, "A tube is connected", "Pressure at rest nothing connected"},
		{"flow-analyser", "flow-analyser", "CELL", run.Fails, "replace it before the date", "Oxygen pure oxygen"},
		{"ventilator-pre-use", "flow-analyser", "", run.Conforms, "leave", ""},
		{"ventilator-pre-use", "flow-analyser", "LEAK", run.Fails, "A joint, the water trap", "Leak pressure held at 40"},
		{"ventilator-performance", "flow-analyser", "", run.Conforms, "Nothing in the errors points to the set-up", ""},
		{"ventilator-performance", "flow-analyser", "CONDITION", run.Fails,
			"the analyser set to STPD, not to BTPS as recorded", "Tidal volume 500 mL at PEEP 15"},
		{"ventilator-performance", "flow-analyser", "MIXTURE", run.Fails, "while", ""},
		{"ventilator-performance", "flow-analyser", "DRIFTED", run.Fails, "the analyser was not zeroed", "Tidal volume 50 mL"},
		{"ventilator-performance", "flow-analyser", "LEAK", run.Fails, "More is lost the higher the pressure", "Tidal volume 500 mL at PEEP 15"},
		{"ventilator-performance", "flow-analyser", "WEAK", run.Fails, "It looks like the analyser set to STPD", "Tidal volume 800 mL"},
		{"ventilator-performance", "flow-analyser", "MIXER", run.Fails, "O₂ 40 % is off by itself", "O₂ 100 %"},
		{"ventilator-performance", "flow-analyser", "MUTE", run.Fails, "without alarms the ventilator leaves use", "Time to alarm disconnection"},
		{"infusion-pump", "balance", "", run.Conforms, "leave", ""},
		{"infusion-pump", "balance", "SET", run.ConformsAdjusted, "the wrong set is selected", "Stage 1, 25 mL/h for 10 min"},
		{"infusion-pump", "balance", "EVAPORATION", run.Fails, "Only low rates are off", "Flow 10 mL/h"},
		{"infusion-pump", "balance", "BUBBLE", run.Fails, "far beyond anything an adjustment", "Stage 2, 400 mL/h for 3 min"},
		{"infusion-pump", "balance", "DEAF", run.Fails, "the alarm is muted", "Occlusion pressure at 100 mL/h"},
		{"audiometer", "acoustic-bench", "", run.Conforms,
			"lowest hearing level that can honestly be tested here is about 0 dB HL", ""},
		{"audiometer", "acoustic-bench", "TIPPED", run.Fails, "far beyond anything an adjustment", "Right 1 kHz"},
		{"audiometer", "acoustic-bench", "CABLE", run.Fails, "Nearly every frequency of the right ear is off", "Right 1 kHz"},
		{"audiometer", "acoustic-bench", "RESONANCE", run.ConformsAdjusted, "Only Left 3 kHz is off", "Left 3 kHz"},
		{"audiometer", "acoustic-bench", "STEP", run.Fails, "1 step is wrong", "Step 60 dB"},
		{"audiometer", "acoustic-bench", "LOUD", run.Fails, "room noise, not the attenuator", "Step 30 dB"},
		{"audiometer", "acoustic-bench", "LOUD steps=5-loud", run.Conforms, "can honestly be tested here is about 25 dB HL", ""},
		{"audiometer", "acoustic-bench", "RESONANCE mode=only", run.Fails, "Only Left 3 kHz is off", "Left 3 kHz"},
		{"audiometer", "acoustic-bench", "bone=mastoid", run.Conforms, "leave", ""},
		{"audiometer", "acoustic-bench", "transducer=circum-ear", run.Fails, "far beyond anything an adjustment", "Left 125 Hz"},
		{"audiometer", "acoustic-bench", "transducer=insert-2cc", run.Fails, "far beyond anything an adjustment", "Left 125 Hz"},
		{"audiometer", "acoustic-bench", "DISTORTED", run.Fails, "it is the earphone", "Distortion acoustic"},
		{"photometer", "photometer", "", run.Conforms, "leave", ""},
		{"photometer", "photometer", "LAMP", run.Fails, "without any reagent", "Absorbance filter 1.5"},
		{"photometer", "photometer", "STRAY", run.Fails, "The curve bends at the top", "Glucose 6 × calibrator"},
		{"photometer", "photometer", "AGED", run.Fails, "Read another lot, or the controls, before anything is calibrated by this one", "Glucose 1 × calibrator"},
		{"photometer", "photometer", "STALE", run.Fails, "The reagent alone has too much colour", "Reagent blank reagent"},
		{"photometer", "photometer", "SPILL", run.Fails, "The levels scatter", "Glucose 4 × calibrator"},
		{"photometer", "photometer", "COLOUR", run.Fails, "A one-point calibration does not mend it; two points do", "Glucose 1 × calibrator"},
		{"photometer", "photometer", "COLOUR calibration=two-point", run.ConformsAdjusted,
			"two-point calibration by its menu, water then calibrator, once", "Glucose 1 × calibrator"},
		{"photometer", "photometer", "AGED calibration=levels", run.Fails, "Every level alike", "Glucose 1 × calibrator"},
		{"audiometer", "acoustic-bench", "STEP steps=10", run.Fails, "1 step is wrong", "Step 60 dB"},
		{"blood-gas-checks", "blood-gas", "", run.Conforms, "mmol/L bicarbonate", ""},
		{"blood-gas-checks", "blood-gas", "SENSOR", run.Fails, "The electronic reference fails too", "pCO₂, electronic level 1"},
		{"blood-gas-checks", "blood-gas", "BUBBLE", run.Fails, "towards room air", "pO₂, liquid level 1"},
		{"blood-gas-checks", "blood-gas", "CARTRIDGE", run.Fails, "the cartridge lot, or its handling", "pH, liquid level 1"},
		{"blood-gas-electronic", "blood-gas", "", run.Conforms, "inside its range", ""},
		{"blood-gas-electronic", "blood-gas", "SENSOR", run.Fails, "The electronic reference fails too", "pCO₂, electronic level 1"},
		{"blood-gas-haemoglobin", "blood-gas", "", run.Conforms, "leave", ""},
		{"blood-gas-haemoglobin", "blood-gas", "FILM", run.ConformsAdjusted,
			"haemoglobin calibration by its menu, once", "Haemoglobin calibrator"},
		{"warm-chamber", "chamber-probe", "", run.ConformsAdjusted, "all zones together", "Lower zone 6"},
		{"warm-chamber", "chamber-probe", "trim=measured", run.ConformsAdjusted, "as measured in zone 2", "Lower zone 6"},
		{"warm-chamber", "chamber-probe", "lid=one", run.ConformsAdjusted, "°C too", "Lower zone 6"},
		{"warm-chamber", "chamber-probe", "LID", run.Fails, "no trim can fix this", "Lower zone 6"},
		{"warm-chamber", "chamber-probe", "SEAT", run.ConformsAdjusted, "not seated in one compartment", "Upper zone 1"},
		{"warm-chamber", "chamber-probe", "DRAUGHT", run.ConformsAdjusted, "a draught or the lid", "Upper zone 4"},
		{"electrical-safety", "safety-tester", "part=CF parts=two insulation=yes", run.Conforms, "none has jumped", ""},
		{"electrical-safety", "safety-tester", "CABLE part=CF parts=one", run.Fails, "Another mains cable first; then the joint", "Protective earth casing to plug"},
		{"electrical-safety", "safety-tester", "FILTER insulation=yes", run.Fails, "Moisture or the mains filter", "Equipment leakage device"},
		{"electrical-safety", "safety-tester", "FILTER class=II method=alternative", run.Fails, "The leakage is too high", "Equipment leakage device"},
		{"electrical-safety", "safety-tester", "SHIELD part=CF parts=two", run.Fails, "Another lead first", "Applied-part leakage part 1"},
		{"electrical-safety", "safety-tester", "SHIELD part=BF parts=two", run.Conforms, "none has jumped", ""},
		{"chemistry-glucose", "chemistry-analyser", "", run.Conforms, "Both controls are inside", ""},
		{"chemistry-glucose", "chemistry-analyser", "cuvettes_used=two", run.Conforms, "Factor", ""},
		{"chemistry-urea", "chemistry-analyser", "", run.Conforms, "Both controls are inside", ""},
		{"chemistry-uric-acid", "chemistry-analyser", "", run.Conforms, "Absorbance of the calibrator over the water's", ""},
		{"chemistry-alt", "chemistry-analyser", "", run.Conforms, "Speed of the calibrator", ""},
		{"chemistry-glucose", "chemistry-analyser", "LOT", run.Fails, "off in the same proportion", "Controls level 2"},
		{"chemistry-uric-acid", "chemistry-analyser", "LOT", run.Fails, "Repeat with another lot", "Controls level 2"},
		{"chemistry-alt", "chemistry-analyser", "LOT", run.Fails, "off in the same proportion", "Controls level 2"},
		{"chemistry-glucose", "chemistry-analyser", "TURNED", run.Fails, "the wrong way round", "Reagent blank cuvette 1"},
		{"chemistry-urea", "chemistry-analyser", "EXPIRED", run.Fails, "an old reagent", "Reagent blank cuvette 1"},
		{"chemistry-glucose", "chemistry-analyser", "UNMIXED cuvettes_used=two", run.Fails, "not mixed, or a bubble", "Controls level 2"},
		{"chemistry-uric-acid", "chemistry-analyser", "COLD", run.Fails, "Nothing is calibrated before the cell is at its temperature", "Cell temperature shown"},
		{"chemistry-urea", "chemistry-analyser", "SPOILED", run.Fails, "Only Controls level 2 is off", "Controls level 2"},
		{"chemistry-uric-acid", "chemistry-analyser", "EXCHANGED", run.Fails, "exchanged", "Calibration of uric acid"},
		{"chemistry-cell", "chemistry-analyser", "", run.Conforms, "leave", ""},
		{"chemistry-cell", "chemistry-analyser", "LAMP", run.Fails, "The lamp has aged", "Absorbance filter 1.5"},
		{"chemistry-cell", "chemistry-analyser", "COLD", run.Fails, "lid, heater, or the room", "Cell against the probe cell"},
		{"capnograph", "gas-bench", "", run.Conforms, "leave", ""},
		{"capnograph", "gas-bench", "LEAK", run.Fails, "A leak at the adapter", "CO₂ 10 %"},
		{"capnograph", "finger-simulator", "CURVE", run.Fails, "The wrong simulator curve", "SpO₂ 70 %"},
	} {
		t.Run(c.family+" "+c.fault, func(t *testing.T) {
			var faults []string
			faults = append(faults, strings.Fields(c.fault)...)
			v, err := rehearse(t, c.family, c.kind, faults...)
			require.NoError(t, err)
			assert.Equal(t, run.Signed, v.Status)
			assert.Equal(t, c.result, v.Result, v.words)
			assert.Contains(t, v.words, c.says)
			first := ""
			if len(v.found) > 0 {
				first = v.found[0].Label
			}
			assert.Equal(t, c.back, first, "what a look-back begins with")
		})
	}
}

// TestFaultsOfTechnique are those that never give a reading: the words say what to do better.
func TestFaultsOfTechnique(t *testing.T) {
	for _, c := range []struct{ family, kind, fault, says string }{
		{"spirometer", "syringe-bench", "BANG", "a bang at the end stop"},
		{"spirometer", "syringe-bench", "HURRY", "no pause"},
		{"capnograph", "gas-bench", "EMPTY", "no breath for"},
		{"spirometer", "syringe-bench", "ZERO", "zero again: flow at rest +0.07 L/s"},
		{"infusion-pump", "balance", "TOUCHED", "nobody touches the cup"},
		{"chemistry-alt", "chemistry-analyser", "EXPIRED", "the reaction bends"},
		{"flow-analyser", "flow-analyser", "LOWFLOW", "flow too low: 4.0 L/min, 20 are needed: the cell is not flushed"},
	} {
		t.Run(c.family+" "+c.fault, func(t *testing.T) {
			_, err := rehearse(t, c.family, c.kind, c.fault)
			var unsteady *capture.Unsteady
			require.True(t, errors.As(err, &unsteady), "%v", err)
			assert.Contains(t, unsteady.Why, c.says)
		})
	}
}

// TestABadStrokeIsShownAndNotCounted: one bang among good strokes changes no reading.
func TestABadStrokeIsShownAndNotCounted(t *testing.T) {
	v, err := rehearse(t, "spirometer", "syringe-bench", "SLIP")
	require.NoError(t, err)
	assert.True(t, v.Result.Passed(), v.words)
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
	all, err := definition.Shipped()
	require.NoError(t, err)
	at := slices.IndexFunc(all, func(p *procedure.Procedure) bool { return p.Family == "patient-scale" })
	require.GreaterOrEqual(t, at, 0)
	work := func(plate map[string]string, shows func(measure, point string, expected float64) float64) heard {
		p := all[at]
		w := &sim.Technician{Person: person.Person{ID: "idris", Name: "Idris Vail", Role: person.Technician},
			Reviewer: person.Person{ID: "tamsin", Name: "Tamsin Orrery", Role: person.Lead},
			At:       monday, Truth: typed(shows), Room: [3]string{"21", "1008", "46"}, Plate: plate,
			Standard: func(_ run.Run, role reference.Role) reference.Standard { return demo.Fitting(role, monday) }}
		r, events, err := w.Work(p, run.RunOpened{
			Procedure: p.ID,
			Revision:  p.Revision,
			Hash:      p.Hash,
			Lab:       demo.Lab(),
			Device: run.Device{ID: "d", Tag: "TEST-1", Family: p.Family,
				Resolution: map[string]float64{"rising": 0.01, "falling": 0.01, "corners": 0.01,
					"repeatability": 0.01}},
		})
		require.NoError(t, err)
		return heard{runview.Of(r, w.At), said(p, events), r.FoundOut()}
	}
	plate := map[string]string{"capacity": "200", "division": "0.1"}
	healthy := work(plate, func(_, _ string, expected float64) float64 { return expected })
	assert.Equal(t, run.Conforms, healthy.Result)

	corner := work(plate, func(measure, point string, expected float64) float64 {
		if measure == "corners" && point == "rear-left" {
			return expected + 0.6
		}
		return expected
	})
	assert.Equal(t, run.Fails, corner.Result)
	assert.Contains(t, corner.words, "Only Corners rear left is off")

	moved := map[string]string{
		"capacity":          "200",
		"division":          "0.1",
		"adjusted_latitude": "56",
		"adjusted_height":   "10",
		"used_latitude":     "56",
		"used_height":       "3400",
	}
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
	require.GreaterOrEqual(t, len(sim.Kinds()), 3)
	for _, kind := range sim.Kinds() {
		m := kind.New(demo.World())
		assert.Contains(t, m.IDN(), "simulated", kind.ID)
		assert.NotEmpty(t, m.Channels(), kind.ID)
		assert.True(t, m.Rate() >= 1 && m.Rate() <= 100, kind.ID)
		for _, fault := range m.Controls().Faults {
			c, err := sim.ParseCommand("SIMulate:FAULt " + fault.Code + ",ON")
			require.NoError(t, err)
			_, known, err := m.Command(c)
			assert.True(t, known && err == nil, "%s: %s", kind.ID, fault.Code)
		}
	}
}

// TestAScaleThatShowsPounds reads in pounds, loads kilograms, and is held to limits of its
// own division.
func TestAScaleThatShowsPounds(t *testing.T) {
	all, err := definition.Shipped()
	require.NoError(t, err)
	p := all[slices.IndexFunc(all, func(p *procedure.Procedure) bool { return p.Family == "patient-scale" })]
	w := &sim.Technician{Person: person.Person{ID: "idris", Name: "Idris Vail", Role: person.Technician}, At: monday,
		Truth: hands{t: t}, Room: [3]string{"21.4", "1008", "46"},
		Plate:    map[string]string{"capacity": "200", "division": "0.1"},
		Standard: func(_ run.Run, role reference.Role) reference.Standard { return demo.Fitting(role, monday) }}
	device := run.Device{ID: "d", Tag: "TEST-1", Family: p.Family, Settings: map[string]string{"unit.mass": "[lb_av]"}}
	r, _, err := w.Work(p, run.RunOpened{
		Procedure: p.ID,
		Revision:  p.Revision,
		Hash:      p.Hash,
		Lab:       demo.Lab(),
		Device:    device,
	})
	require.NoError(t, err)
	v := runview.Of(r, w.At)
	require.Equal(t, run.Conforms, v.Result)
	half := v.Measures[0].Points[3]
	assert.Equal(t, "lb", v.Measures[0].Shown)
	assert.InDelta(t, 100/0.45359237, half.Found.Reference, 0.01)
	assert.InDelta(t, 0.2/0.45359237, *half.Found.High, 1e-6, "two divisions at a thousand of them")
	assert.Contains(t, half.Do, "20 kg")
}

// TestAnAnalyserThatShowsMilligrams: what is typed from the insert, the factor and the controls are in the device's own unit.
func TestAnAnalyserThatShowsMilligrams(t *testing.T) {
	all, err := definition.Shipped()
	require.NoError(t, err)
	p := all[slices.IndexFunc(all, func(p *procedure.Procedure) bool { return p.ID == "chemistry-glucose" })]
	b := sim.NewBench(demo.World(), monday)
	work := func(concentration string) (runview.View, error) {
		w := technician(hands{t: t, bench: b, kind: "chemistry-analyser"})
		w.Plate, w.Capture = map[string]string{}, b.Capture
		if concentration != "" {
			w.Plate["concentration"] = concentration
		}
		open := opened(p)
		open.Device.Settings = map[string]string{"unit.glucose": "mg/dL"}
		open.Device.Resolution = map[string]float64{"controls": 0.1}
		r, _, err := w.Work(p, open)
		return runview.Of(r, w.At), err
	}
	_, err = work("10.4") // as it stands in the register, in mmol/L
	require.ErrorContains(t, err, "10.4 mg/dL was typed, the register holds 187.4 mg/dL")
	v, err := work("187.4")
	require.NoError(t, err)
	assert.Equal(t, run.Conforms, v.Result)
	controls := v.Measures[3]
	require.Equal(t, "controls", controls.ID)
	assert.Equal(t, "mg/dL", controls.Shown)
	assert.InEpsilon(t, 5.1*18.0156, controls.Points[0].Found.Reference, 1e-6)
	assert.InEpsilon(t, 5.1*18.0156, controls.Points[0].Found.Indicated, 0.02)
	assert.Equal(t, "mg/dL", v.Findings[0].Seen.Figures[0].Unit)
}
