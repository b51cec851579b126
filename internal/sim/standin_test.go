package sim

import (
	"math"
	"slices"
	"testing"

	"northneedle/core/signal"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// watch runs a model and returns a channel's trace.
func watch(m Model, channel string, seconds float64) (trace []signal.Sample) {
	for t := 0.0; t < seconds; t += 0.04 {
		m.Step(0.04)
		trace = append(trace, signal.Sample{T: t, V: m.Value(channel)})
	}
	return trace
}

func tell(t *testing.T, m Model, lines ...string) {
	t.Helper()
	for _, line := range lines {
		c, err := ParseCommand(line)
		require.NoError(t, err)
		_, ok, err := m.Command(c)
		require.NoError(t, err)
		require.True(t, ok, line)
	}
}

func plateau(g *GasBench) signal.Capnogram { return signal.Breaths(watch(g, "CO2", 35), 5, 1, 0.3) }

func TestGasBenchFaultsHaveTheirSymptoms(t *testing.T) {
	g := NewGasBench(map[string]float64{"HG-22": 5})
	tell(t, g, "SOURce:GAS HG-22", "SIMulate:DEVice MB-0417")
	healthy := plateau(g)
	assert.InEpsilon(t, 5*storied["MB-0417"].gain, healthy.Plateau, 0.01)

	tell(t, g, "SIM:PRES SPAN,10")
	assert.InEpsilon(t, healthy.Plateau*1.05, plateau(g).Plateau, 0.01, "ten presses of half a percent")
	tell(t, g, "SIM:PRES SPAN,-10", "SIM:FAULT LEAK,ON")
	assert.Less(t, plateau(g).Plateau, 0.8*healthy.Plateau, "a leak reads low")
	tell(t, g, "SIM:FAULT LEAK,OFF", "SIM:FAULT TRAP,ON")
	assert.Greater(t, plateau(g).Rise, 2*healthy.Rise, "a blocked trap rises slowly")
	tell(t, g, "SIM:FAULT TRAP,OFF", "SIM:FAULT EMPTY,ON")
	assert.Contains(t, plateau(g).Why, "no breath", "an empty cylinder gives no breath")
}

func TestFingerFollowsAndAWrongCurveBendsTheLowEnd(t *testing.T) {
	f := NewFinger()
	tell(t, f, "SOURce:SPO2 70", "SOURce:PULSe 120")
	watch(f, "SPO2", 10)
	assert.InDelta(t, 70, f.Value("SPO2"), 1)
	assert.InDelta(t, 120, f.Value("PULSE"), 1)
	tell(t, f, "SIMulate:FAULt CURVE,ON")
	watch(f, "SPO2", 10)
	assert.Greater(t, f.Value("SPO2"), 73.0)
	c, err := ParseCommand("SOURce:SPO2 40")
	require.NoError(t, err)
	_, _, err = f.Command(c)
	assert.ErrorContains(t, err, "out of range")
}

func TestTheSameSeedGivesTheSameTrace(t *testing.T) {
	a, b := NewGasBench(map[string]float64{"HG-22": 5}), NewGasBench(map[string]float64{"HG-22": 5})
	assert.Equal(t, watch(a, "CO2", 3), watch(b, "CO2", 3))
}

// known are headers that some simulated instrument knows, for the fuzzing to begin with.
var known = []string{"SOURce:GAS", "SOURce:BREath", "SOURce:SPO2", "SOURce:PULSe", "SOURce:EAR", "SOURce:TONE",
	"SOURce:DIAL", "SOURce:BAND", "SOURce:PATH", "SOURce:FILL", "SOURce:RATE", "SOURce:LINE",
	"SOURce:SAMPLE", "SOURce:PROBE", "SOURce:LID", "SIMulate:LAG", "SOURce:MODE", "SOURce:VT", "SOURce:PEEP",
	"SOURce:RATIO", "SOURce:PRESSURE", "SOURce:O2", "SOURce:ALARM", "SOURce:FILTER", "SOURce:CUVETTE", "SOURce:STROKE",
	"SOURce:TEST", "SOURce:METHOD", "SOURce:STAGE"}

// Whatever is sent to a simulated, it answers, and what it shows stays a number.
func FuzzCommands(f *testing.F) {
	for _, seed := range []string{"*IDN?", "SOURce:GAS HG-22", "SIM:PRES SPAN,+3", "?", " ", "SUBS", "SIM:LINK DROP,8",
		"SOUR:BRE NaN", "SIM:DEV ", "SIM:FAULT ,"} {
		f.Add(seed, "SOURce:GAS AIR")
	}
	for _, header := range known {
		for _, argument := range []string{"NaN", "Inf", "-Inf", "0", "-1", "1e308", "", "volume", "right"} {
			f.Add(header+" "+argument, "SIMulate:DEVice MB-1")
		}
	}
	f.Fuzz(func(t *testing.T, first, second string) {
		for _, kind := range Kinds() {
			m := kind.New(around)
			for _, line := range []string{first, second} {
				c, err := ParseCommand(line)
				if err != nil {
					continue
				}
				if _, ok, err := m.Command(c); err != nil {
					require.True(t, ok, "%s: %q is refused, so it is known", kind.ID, line)
				}
			}
			for range 50 {
				m.Step(1 / float64(m.Rate()))
			}
			for _, channel := range m.Channels() {
				v := m.Value(channel)
				require.False(t, math.IsNaN(v) || math.IsInf(v, 0), "%s %s shows %v after %q, %q", kind.ID, channel, v,
					first, second)
			}
		}
	})
}

// around is what the simulated instruments find around them here.
var around = World{Cylinders: map[string]map[string]float64{"HG-22": {"CO2": 5.02}, "HG-24": {"O2": 16.01, "CO2": 4.03},
	"HG-25": {"CO": 49.6}}}

// uses are how each simulated instrument is driven, one thing after another, so that every fault has
// its occasion to show.
var uses = map[string][][]string{
	"acoustic-bench": {{"SOUR:EAR right", "SOUR:TONE 1000", "SOUR:DIAL 60", "SOUR:BAND 1000"}, {"SOUR:BAND 2000"},
		{"SOUR:EAR left", "SOUR:TONE 3000", "SOUR:BAND 3000"}, {"SOUR:DIAL 70"}},
	"bag-rack":         {{"SOUR:FILL 1"}, {"SOUR:FILL 3"}, {"SOUR:FILL 5"}},
	"balance":          {{"SOUR:RATE 100"}, {"SOUR:RATE 100", "SOUR:LINE closed"}},
	"blood-gas":        {{"SOUR:SAMPLE electronic-1"}, {"SOUR:SAMPLE control-1"}, {"SOUR:SAMPLE haemoglobin"}},
	"co-bench":         {{"SOUR:GAS HG-25"}, {"SOUR:GAS AIR"}},
	"cart-gas":         {{"SOUR:GAS HG-24"}, {"SOUR:GAS AIR"}},
	"chamber-probe":    {{"SOUR:PROBE 3-lower", "SOUR:LID opened"}, {"SOUR:PROBE 6-lower"}},
	"finger-simulator": {{"SOUR:SPO2 70", "SOUR:PULS 60"}},
	"flow-analyser": {{"SOUR:MODE volume", "SOUR:VT 500", "SOUR:RATE 15", "SOUR:O2 60"}, {"SOUR:MODE pressure"},
		{"SOUR:MODE off", "SOUR:GAS oxygen"}, {"SOUR:GAS air"}, {"SOUR:MODE hold"},
		{"SOUR:MODE volume", "SOUR:ALARM disconnect"}, {"SOUR:ALARM pressure"}, {"SOUR:ALARM volume"},
		{"SOUR:ALARM oxygen"}},
	"gas-bench":  {{"SOUR:GAS HG-22", "SOUR:BRE 12"}, {"SOUR:GAS AIR"}},
	"photometer": {{"SOUR:FILTER 1"}, {"SOUR:FILTER 0", "SOUR:CUVETTE 0"}, {"SOUR:CUVETTE 1"}, {"SIM:PRES ONE-POINT,1", "SOUR:CUVETTE 2"}},
	"chemistry-analyser": {{"SOUR:TEST glucose", "SOUR:CUVETTE calibrator1", "SOUR:STAGE blank"}, {"SOUR:CUVETTE calibrator1", "SOUR:STAGE read"},
		{"SOUR:CUVETTE control1"}, {"SOUR:CUVETTE control2"}, {"SOUR:TEST uric-acid", "SOUR:CUVETTE water", "SOUR:STAGE second"},
		{"SOUR:CUVETTE filter1"}},
	"safety-tester": {{"SOUR:TEST earth"}, {"SOUR:TEST insulation"}, {"SOUR:TEST leakage", "SOUR:METHOD alternative"},
		{"SOUR:TEST applied1"}},
	"syringe-bench": {{"SOUR:STROKE 0.5"}, {"SOUR:STROKE 8"}},
}

// shows is all that a simulated instrument shows while it is used.
func shows(t *testing.T, kind Kind, fault string) (all []float64) {
	m := kind.New(around)
	tell(t, m, "SIM:DEV MB-0417")
	if fault != "" {
		tell(t, m, "SIM:FAULT "+fault+",ON")
	}
	for _, lines := range uses[kind.ID] {
		tell(t, m, lines...)
		for range 90 * m.Rate() {
			m.Step(1 / float64(m.Rate()))
			for _, channel := range m.Channels() {
				all = append(all, m.Value(channel))
			}
		}
	}
	return all
}

// A command that is refused changes nothing.
func TestWhatIsRefusedChangesNothing(t *testing.T) {
	for _, kind := range Kinds() {
		m, untouched := kind.New(around), kind.New(around)
		for _, line := range uses[kind.ID][0] {
			tell(t, m, line)
			tell(t, untouched, line)
		}
		refused := 0
		for _, header := range append(known, "SIMulate:PRESs", "SIMulate:FAULt", "SIMulate:DEVice") {
			for _, argument := range []string{"", "NaN", "-1e9", "NOWHERE", "1e9"} {
				c, err := ParseCommand(header + " " + argument)
				require.NoError(t, err)
				if _, ok, err := m.Command(c); ok && err == nil { // it was taken: on both
					_, _, err = untouched.Command(c)
					require.NoError(t, err)
				} else if err != nil {
					refused++
				}
			}
		}
		assert.NotZero(t, refused, kind.ID)
		for _, channel := range m.Channels() {
			assert.True(t, slices.Equal(watch(untouched, channel, 20), watch(m, channel, 20)), "%s %s", kind.ID,
				channel)
		}
	}
}

// Every fault that can be switched on shows, and can be switched off again.
func TestEveryFaultShows(t *testing.T) {
	for _, kind := range Kinds() {
		t.Run(kind.ID, func(t *testing.T) {
			require.NotEmpty(t, uses[kind.ID])
			healthy := shows(t, kind, "")
			require.True(t, slices.Equal(healthy, shows(t, kind, "")), "the same twice")
			m := kind.New(around)
			require.NotEmpty(t, m.Controls().Faults)
			for _, fault := range m.Controls().Faults {
				assert.False(t, fault.On, fault.Code)
				assert.NotEmpty(t, fault.Word, fault.Code)
				assert.False(t, slices.Equal(healthy, shows(t, kind, fault.Code)), "%s does nothing", fault.Code)
				tell(t, m, "SIM:FAULT "+fault.Code+",ON", "SIM:FAULT "+fault.Code+",OFF")
			}
			for _, fault := range m.Controls().Faults {
				assert.False(t, fault.On, "%s cannot be switched off", fault.Code)
			}
		})
	}
}
