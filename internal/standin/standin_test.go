package standin

import (
	"math"
	"testing"

	"northneedle/core/signal"
	"northneedle/internal/link"

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

func TestEveryStandInAnswersInLinesThatTheLinkReads(t *testing.T) {
	for _, k := range Kinds() {
		s := &Server{model: k.New(World{}), clients: map[*client]bool{}}
		for _, ask := range []string{"*IDN?", "SIMulate:CATalog?", "SIMulate:FAULt NONE,ON", "NONSENSE"} {
			answer, err := link.ParseLine(s.handle(&client{}, ask))
			require.NoError(t, err, "%s: %s", k.ID, ask)
			assert.NotEmpty(t, answer.Answer, "%s: %s", k.ID, ask)
		}
	}
}

func FuzzParseCommand(f *testing.F) {
	for _, seed := range []string{"*IDN?", "SOURce:GAS HG-22", "SIM:PRES SPAN,+3", "?", " ", "SUBS", "SIM:LINK DROP,8", "SOUR:BRE NaN", "SIM:DEV ", "SIM:FAULT ,"} {
		f.Add(seed)
	}
	g, finger := NewGasBench(map[string]float64{"HG-22": 5}), NewFinger()
	f.Fuzz(func(t *testing.T, line string) {
		c, err := ParseCommand(line)
		if err != nil {
			return
		}
		for _, m := range []Model{g, finger} {
			_, _, _ = m.Command(c)
			m.Step(0.04)
			for _, channel := range m.Channels() {
				require.False(t, math.IsNaN(m.Value(channel)) || math.IsInf(m.Value(channel), 0), "%s after %q", channel, line)
			}
		}
	})
}
