package infusionpump_test

import (
	"math"
	"slices"
	"testing"

	"northneedle/core/procedure"
	"northneedle/core/reference"
	"northneedle/core/signal"
	"northneedle/core/uncertainty"
	"northneedle/families/infusionpump"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func TestATrumpetNarrows(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		flow := make([]float64, 120)
		for i := range flow {
			flow[i] = rapid.Float64Range(5, 15).Draw(t, "flow")
		}
		curve, err := infusionpump.TrumpetCurve(flow, 0.5, 10, []float64{1, 5, 30, 60})
		require.NoError(t, err)
		for i := range curve.WindowsMin {
			require.GreaterOrEqual(t, curve.Max[i], curve.Mean-1e-9, "some stretch is at least the mean")
			require.LessOrEqual(t, curve.Min[i], curve.Mean+1e-9)
		}
		require.InDelta(t, curve.Mean, curve.Max[3], 1e-9, "the longest window is the whole")
	})
}

func TestAGramIsNotAMillilitre(t *testing.T) {
	flow := func(plate map[string]float64, readings ...float64) (procedure.Outcome, error) {
		return infusionpump.Catalogue.Methods["delivered-flow"].Evaluate(procedure.Input{Target: 100, Unit: "mL/h",
			Shown: "mL/h", Readings: readings, Resolution: 0.01, Ambient: room, Plate: plate,
			With:      map[string]float64{"minutes": 10},
			Certified: []reference.Certified{{Quantity: "mass", From: 0, To: 2, Unit: "kg", U: 5e-6, K: 2}}})
	}
	out, err := flow(map[string]float64{"water_temperature": 24, "evaporation": 0.1}, 99.5)
	require.NoError(t, err)
	want, err := infusionpump.Weighing{
		MassEndG:          99.6,
		Minutes:           60,
		WaterTemperatureC: 24,
		AirTemperatureC:   21.4,
		PressureHPa:       1008,
		HumidityPercent:   46,
	}.Delivered()
	require.NoError(t, err)
	assert.InDelta(t, want.VolumeML, out.Indicated, 1e-9, "evaporation added back, then density and buoyancy")
	assert.InDelta(t, 1.004, out.UnitsPerReading, 0.0006, "about 0.4 % at 24 °C")
	assert.Equal(t, 100.0, out.Reference)
	for _, warm := range []float64{34, 35} { // the density is known up to 35 °C: there it is looked at from below
		out, err := flow(map[string]float64{"water_temperature": warm}, 99.5)
		require.NoError(t, err)
		water := out.Terms[slices.IndexFunc(out.Terms, func(term uncertainty.Term) bool { return term.Width == 1 })]
		assert.InDelta(t, 0.035, math.Abs(*water.Sensitivity), 0.003, "at %g °C a kelvin moves the volume by 0.035 %%", warm)
	}
	_, err = flow(nil, 99.5)
	assert.ErrorContains(t, err, "one gram is not one millilitre")
}

// mass is a trace of an even flow in g/h, in drops where a drop is given.
func mass(perHour, drop, seconds float64) (trace []signal.Sample) {
	for t := 0.0; t <= seconds; t += 0.2 {
		m := perHour * t / 3600
		if drop > 0 {
			m = drop * math.Floor(m/drop)
		}
		trace = append(trace, signal.Sample{T: t, V: m})
	}
	return trace
}

func TestWeighing(t *testing.T) {
	with := map[string]float64{"minutes": 5, "settle": 20, "jump": 0.3}
	weigh := func(trace []signal.Sample) procedure.LiveReading {
		r := infusionpump.Catalogue.Captures["weighing"]
		return r.Look(procedure.CaptureInput{
			Channels:  []string{"M"},
			Traces:    map[string][]signal.Sample{"M": trace},
			Reference: 100,
			With:      with,
		}, 1)
	}
	even := weigh(mass(98, 0, 330))
	require.True(t, even.Steady, even.Why)
	assert.InDelta(t, 98, *even.Value, 0.1)
	trumpet, ok := even.Figures["trumpet"].(infusionpump.Trumpet)
	require.True(t, ok)
	assert.Equal(t, []float64{1, 2, 5}, trumpet.WindowsMin[:3])
	assert.InDelta(t, -2, trumpet.Mean, 0.05)
	assert.Empty(t, even.Curves, "not drawn where it is not asked for")
	with["curves"] = 1
	drawn := weigh(mass(98, 0, 330)).Curves
	require.Len(t, drawn, 2)
	assert.Equal(t, "Start-up curve", drawn[0].Title)
	assert.InDelta(t, 98, drawn[0].Lines[0].Values[0], 0.2)
	assert.Equal(t, trumpet.WindowsMin, drawn[1].At)
	assert.Equal(t, trumpet.Max, drawn[1].Lines[0].Values)
	with["division"] = 0.05 // of 2.5 g, 50 divisions, 1.67 g come in a minute
	coarse := weigh(mass(98, 0, 330))
	assert.Contains(t, coarse.Detail, "over 1 min not evaluated")
	assert.Equal(t, []float64{2, 5}, coarse.Curves[1].At)
	with["division"] = 0.2
	assert.Empty(t, weigh(mass(98, 0, 330)).Curves, "no window holds enough of it")
	delete(with, "division")
	assert.Contains(t, weigh(mass(98, 0.5, 330)).Detail, "over 1, 2 min not evaluated, fewer than ten drops")
	assert.Contains(t, weigh(mass(98, 0, 10)).Why, "starting up")
	assert.Contains(t, weigh(mass(98, 0, 100)).Why, "weighing:")
	drops := weigh(mass(98, 0.05, 330))
	assert.Equal(t, "50 mg", drops.Facts[1].Text, "the size of a drop is seen")
	bubble := mass(98, 0, 330)
	for i := range bubble {
		bubble[i].V -= 98.0 / 3600 * min(max(bubble[i].T-150, 0), 20) // nothing came for 20 s
	}
	assert.Contains(t, weigh(bubble).Detail, "a bubble?")
	assert.NotContains(t, even.Detail+drops.Detail, "bubble")
	quick := func(trace []signal.Sample) procedure.LiveReading {
		return infusionpump.Catalogue.Captures["weighing"].Look(procedure.CaptureInput{Channels: []string{"M"},
			Traces: map[string][]signal.Sample{"M": trace}, Reference: 999, With: map[string]float64{"minutes": 2, "jump": 0.3}}, 1)
	}
	lost := mass(999, 0, 130)
	lost = append(lost[:400:400], lost[410:]...) // two seconds, in which half a gram came
	assert.True(t, quick(lost).Steady, "samples that were lost are no jump: %s", quick(lost).Why)
	touched := mass(98, 0, 330)
	for i := 900; i < len(touched); i++ {
		touched[i].V += 0.8
	}
	assert.Contains(t, weigh(touched).Why, "jumped by 0.8")
}

func TestABolusIsWhatComesAfterTheRelease(t *testing.T) {
	look := func(released, bolus, seconds float64) procedure.LiveReading {
		var mass, pressure []signal.Sample
		for at := 0.0; at <= seconds; at += 0.2 {
			m, p := 5.0, 68.0
			if at >= released {
				m, p = 5+bolus, 0
			}
			mass, pressure = append(mass, signal.Sample{T: at, V: m}), append(pressure, signal.Sample{T: at, V: p})
		}
		return infusionpump.Catalogue.Captures["mass-gain"].Look(procedure.CaptureInput{
			Channels: []string{"MASS", "PRESSURE"},
			Traces:   map[string][]signal.Sample{"MASS": mass, "PRESSURE": pressure},
			Seconds:  4, Limit: 0.02, With: map[string]float64{"released": 10, "patience": 60},
		}, 1)
	}
	closed := look(99, 0.4, 20)
	assert.False(t, closed.Steady)
	assert.Contains(t, closed.Why, "waiting for the release", "a balance at rest is no bolus of nothing")
	assert.Contains(t, look(99, 0.4, 70).Why, "not released within")
	after := look(20, 0.4, 30)
	require.True(t, after.Steady, after.Why)
	assert.InDelta(t, 0.4, *after.Value, 1e-9)
	assert.False(t, look(20, 0.4, 22).Steady, "it has not stood long enough")
}

func TestWhatDeliveryLooksLike(t *testing.T) {
	c := func(low, high float64) procedure.FindingInput {
		at := func(name string, set, percent float64) procedure.JudgedPoint {
			return procedure.JudgedPoint{
				Label:        name,
				With:         map[string]float64{name: 1},
				Reference:    set,
				Error:        set * percent / 100,
				U:            0.01 * set,
				ErrorToLimit: percent / 5,
			}
		}
		return procedure.FindingInput{Points: []procedure.JudgedPoint{at("low", 25, low), at("high", 400, high)}}
	}
	for _, x := range []struct {
		low, high float64
		shape     string
	}{{0.5, 0.3, "none"}, {8, 8.5, "set"}, {-7, -0.5, "low"}, {0.4, -8, "mixed"}} {
		seen, ok := infusionpump.Catalogue.Patterns["delivery"].Diagnose(c(x.low, x.high))
		require.True(t, ok)
		assert.Equal(t, x.shape, seen.Shape, seen.Words)
	}
}

var room = procedure.Ambient{TemperatureC: 21.4, PressureHPa: 1008, HumidityPercent: 46, Recorded: true}
