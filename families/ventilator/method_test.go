package ventilator_test

import (
	"fmt"
	"math"
	"testing"

	"northneedle/core/gas"
	"northneedle/core/procedure"
	"northneedle/core/reference"
	"northneedle/core/signal"
	"northneedle/families"
	"northneedle/families/ventilator"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

var Room = procedure.Ambient{TemperatureC: 21.4, PressureHPa: 1008, HumidityPercent: 46, Recorded: true}

func volumeAt(target, analyser string, readings ...float64) (procedure.Outcome, error) {
	return ventilator.Catalogue.Methods["ventilated-volume"].Evaluate(procedure.Input{Target: 500, Unit: "mL",
		Shown: "mL", Readings: readings, Resolution: 1, Ambient: Room,
		Certified: []reference.Certified{{Quantity: "volume", From: 20, To: 2000, Unit: "mL", U: 10, K: 2}},
		Choices:   map[string]string{"analyser_condition": analyser, "ventilator_condition": target}})
}

func TestAVolumeIsStatedWhereTheVentilatorStatesIt(t *testing.T) {
	dry, err := gas.Named("STPD", 0, 0, 0)
	require.NoError(t, err)
	factor, err := gas.Factor(dry, gas.BTPS(1008))
	require.NoError(t, err)
	out, err := volumeAt("BTPS", "STPD", 410, 412, 411)
	require.NoError(t, err)
	assert.InDelta(t, 411*factor, out.Reference, 1e-9)
	assert.Equal(t, 500.0, out.Indicated, "what was set, and not what was read")
	assert.InDelta(t, factor, out.UnitsPerReading, 1e-12)
	same, err := volumeAt("BTPS", "BTPS")
	require.NoError(t, err)
	assert.Equal(t, 1.0, same.UnitsPerReading)
	assert.Equal(t, 500.0, same.Reference, "before any reading: what should be measured")
	_, err = volumeAt("BTPS", "")
	assert.ErrorContains(t, err, "not recorded yet")
	_, err = volumeAt("BTPS", "NTP")
	assert.ErrorContains(t, err, "NTP")
}

// volumes are what an analyser read of 100 to 800 mL, by a function of what was set.
func volumes(read func(set, peep float64) float64) procedure.FindingInput {
	c := procedure.FindingInput{Ambient: Room, Choices: map[string]string{"analyser_condition": "BTPS",
		"ventilator_condition": "BTPS", "mixture_set": "air"}}
	for _, p := range [][2]float64{{100, 5}, {300, 5}, {500, 5}, {500, 15}, {800, 5}} {
		measured := read(p[0], p[1])
		c.Points = append(c.Points, procedure.JudgedPoint{
			Label:        fmt.Sprintf("%g mL", p[0]),
			Measure:      "vt",
			With:         map[string]float64{"peep": p[1]},
			Reference:    measured,
			Error:        p[0] - measured,
			U:            4,
			ErrorToLimit: (p[0] - measured) / (4 + 0.15*p[0]),
		})
	}
	return c
}

func TestWhatExplainsTheVolumes(t *testing.T) {
	misread, err := gas.Misread("heliox", "air")
	require.NoError(t, err)
	for name, c := range map[string]struct {
		read  func(set, peep float64) float64
		shape string
		words string
	}{
		"right": {func(set, _ float64) float64 { return set }, "none", "Nothing"},
		"condition": {func(set, _ float64) float64 { return 0.826 * set }, "condition",
			"the analyser set to STPD, not to BTPS as recorded"},
		"mixture": {func(set, _ float64) float64 { return misread * set }, "condition", "helium"},
		"factor": {func(set, _ float64) float64 { return 0.45 * set }, "factor",
			"No gas condition or mixture explains it"},
		"offset": {func(set, _ float64) float64 { return set + 20 }, "offset", "not zeroed"},
		"leak": {func(set, peep float64) float64 { return set - 0.008*set*(peep+set/100) }, "leak",
			"the higher the pressure"},
	} {
		t.Run(name, func(t *testing.T) {
			seen, ok := ventilator.Catalogue.Patterns["ventilation"].Diagnose(volumes(c.read))
			require.True(t, ok)
			assert.Equal(t, c.shape, seen.Shape, seen.Words)
			assert.Contains(t, fmt.Sprint(seen.Words, seen.Lines), c.words)
			assert.Equal(t, c.shape != "none" && c.shape != "factor", seen.Investigate)
		})
	}
	// A good ventilator read at another condition is not condemned for its own gain; what the analyser read back excludes is not
	// offered, and after it was read again nothing is.
	for _, gain := range []float64{0.9, 0.97, 1, 1.05, 1.12} {
		stpd := volumes(func(set, _ float64) float64 { return 0.826 * gain * set })
		outside := false
		for _, p := range stpd.Points {
			outside = outside || math.Abs(p.ErrorToLimit) > 1
		}
		seen, _ := ventilator.Catalogue.Patterns["ventilation"].Diagnose(stpd)
		if outside {
			assert.Equal(t, "condition", seen.Shape, "gain %g: %s", gain, seen.Words)
			assert.True(t, seen.Investigate)
		}
		stpd.Set = map[string]string{"condition": "BTPS", "mixture": "air"}
		seen, _ = ventilator.Catalogue.Patterns["ventilation"].Diagnose(stpd)
		assert.NotContains(t, fmt.Sprint(seen.Words, seen.Lines), "the analyser set to")
		stpd.Again = true
		if seen, _ = ventilator.Catalogue.Patterns["ventilation"].Diagnose(stpd); outside {
			assert.Equal(t, "factor", seen.Shape)
			assert.Contains(t, seen.Words, "read again under matched conditions")
		}
	}
	c := procedure.FindingInput{Ambient: Room}
	for i, set := range []float64{0, 5, 10, 20} {
		c.Points = append(c.Points, procedure.JudgedPoint{
			Label:        fmt.Sprint("PEEP ", set),
			Measure:      "peep",
			Reference:    set + 1.5,
			Error:        -1.5 + 0.01*float64(i),
			U:            0.3,
			ErrorToLimit: -0.7,
		})
	}
	seen, _ := ventilator.Catalogue.Patterns["ventilation"].Diagnose(c)
	assert.Equal(t, "offset", seen.Shape, seen.Words)
}

func look(kind string, with map[string]float64, traces map[string][]signal.Sample,
	channels ...string) procedure.LiveReading {
	r := families.Catalogue().Captures[kind]
	return r.Look(procedure.CaptureInput{
		Channels: channels,
		Traces:   traces,
		Rate:     10,
		Limit:    1,
		Count:    1,
		Seconds:  3,
		With:     with,
	}, 1)
}

func level(from, to, value float64) (trace []signal.Sample) {
	for t := from; t < to; t += 0.1 {
		trace = append(trace, signal.Sample{T: t, V: value})
	}
	return trace
}

func TestReadersOfTheFlowAnalyser(t *testing.T) {
	alarm := append(level(100, 106, 0), level(106, 108, 1)...)
	live := look("time-to-alarm", nil, map[string][]signal.Sample{"ALARM": alarm}, "ALARM")
	require.True(t, live.Steady)
	assert.InDelta(t, 6, *live.Value, 0.11)
	mute := look("time-to-alarm", map[string]float64{"patience": 30},
		map[string][]signal.Sample{"ALARM": level(0, 20, 0)}, "ALARM")
	assert.False(t, mute.Steady)
	assert.Contains(t, mute.Why, "no alarm for 19.9 s")
	gone := look("time-to-alarm", map[string]float64{"patience": 30},
		map[string][]signal.Sample{"ALARM": level(0, 31, 0)}, "ALARM")
	assert.True(t, gone.Steady && gone.Absent, "none is a reading too, once the patience is over")
	assert.False(t, live.Absent || mute.Absent)

	var falling []signal.Sample
	for t := 0.0; t < 12; t += 0.1 {
		falling = append(falling, signal.Sample{T: t, V: 40 * math.Exp(-t/9)})
	}
	leak := look("pressure-hold", map[string]float64{"compliance": 2, "pressure": 40, "hold": 8},
		map[string][]signal.Sample{"P": falling}, "P")
	require.True(t, leak.Steady, leak.Why)
	assert.InDelta(t, 2*40.0/9*60/1000, *leak.Value, 1e-6, "C · p ÷ τ at the test pressure, however far it fell")
	early := look("pressure-hold", map[string]float64{"compliance": 2, "hold": 8},
		map[string][]signal.Sample{"P": falling[:50]}, "P")
	assert.False(t, early.Steady)

	with := map[string]float64{"flow": 8, "seconds": 10}
	flushed := func(flow []signal.Sample) procedure.LiveReading {
		return look("flushed", with, map[string][]signal.Sample{"O2": level(0, 20, 99.5), "FLOW": flow}, "O2", "FLOW")
	}
	assert.True(t, flushed(level(0, 20, 15)).Steady)
	assert.Contains(t, flushed(level(0, 20, 4)).Why, "not flushed")
	assert.Contains(t, flushed(append(level(0, 15, 4), level(15, 20, 15)...)).Why, "flushing")

	co := look("carbon-monoxide", nil, map[string][]signal.Sample{"CO": level(0, 10, 50)}, "CO")
	require.Len(t, co.Facts, 1)
	assert.Contains(t, co.Facts[0].Text, "an estimate")
}

func TestAReaderOfItsOwnUnitsGivesTheDevices(t *testing.T) {
	r := ventilator.Catalogue.Captures["time-to-alarm"]
	live := r.Look(procedure.CaptureInput{Channels: []string{"A"},
		Traces: map[string][]signal.Sample{"A": append(level(0, 6, 0), level(6, 7, 1)...)}}, 1000)
	assert.InDelta(t, 6000, live.Values[0], 110, "seconds in, milliseconds out")
}
