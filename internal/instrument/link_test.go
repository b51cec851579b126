package instrument_test

import (
	"context"
	"math"
	"testing"
	"time"

	"northneedle/internal/instrument"
	"northneedle/internal/sim"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

var quick = instrument.Timing{Silence: 300 * time.Millisecond, Retry: 50 * time.Millisecond, Answer: time.Second}

// connected starts a gas bench stand-in and a client of it.
func connected(t *testing.T) (*instrument.Client, *sim.Server) {
	t.Helper()
	ctx, cancel := context.WithCancel(context.Background())
	server, err := sim.Serve(ctx, "127.0.0.1:0", sim.NewGasBench(map[string]float64{"HG-22": 5.02}))
	require.NoError(t, err)
	client := instrument.Dial(ctx, "Gas bench", server.Address(), []string{"CO2"}, quick)
	t.Cleanup(func() {
		cancel()
		<-client.Done()
		server.Wait()
	})
	await(t, client, instrument.Alive)
	return client, server
}

func await(t *testing.T, c *instrument.Client, state instrument.State) {
	t.Helper()
	require.Eventually(t, func() bool { return c.Status().State == state }, 10*time.Second, 5*time.Millisecond,
		"the link was to be %s", state)
}

func TestALinkReadsAndSets(t *testing.T) {
	client, _ := connected(t)
	assert.Contains(t, client.Status().IDN, "simulated")
	ctx := context.Background()
	for command, want := range map[string]string{"SOUR:GAS HG-22": "OK", "source:breath 30": "OK",
		"SIM:DEV MB-0001": "OK"} {
		answer, err := client.Ask(ctx, command)
		require.NoError(t, err)
		assert.Equal(t, want, answer, command)
	}
	answer, err := client.Ask(ctx, "SOURce:GAS XX-1")
	require.NoError(t, err)
	assert.Contains(t, answer, "no cylinder XX-1")
	answer, err = client.Ask(ctx, "SYSTem:ERRor?")
	require.NoError(t, err)
	assert.Contains(t, answer, "-221")
	answer, err = client.Ask(ctx, "SYST:ERR?")
	require.NoError(t, err)
	assert.Contains(t, answer, "No error")
	require.Eventually(t, func() bool {
		high := math.Inf(-1)
		samples, _ := client.Samples("CO2", 0)
		for _, s := range samples {
			high = math.Max(high, s.V)
		}
		return high > 4.5 && high < 5.6
	}, 10*time.Second, 20*time.Millisecond, "the trace shows breaths of the gas")
}

func TestATroubledLinkSaysSoAndComesBack(t *testing.T) {
	client, _ := connected(t)
	for fault, state := range map[string]instrument.State{"DROP": instrument.Lost, "SILENT": instrument.Silent,
		"GARBAGE": instrument.Garbled} {
		_, before := client.Samples("CO2", 0)
		go client.Ask(context.Background(), "SIMulate:LINK "+fault+",1.5") // its answer may be lost with the link
		await(t, client, state)
		assert.Contains(t, client.Status().Words, "Gas bench")
		assert.Contains(t, client.Status().Words, "typed", "the way out is named")
		await(t, client, instrument.Alive)
		require.Eventually(t, func() bool { _, after := client.Samples("CO2", 0); return after > before },
			5*time.Second, 10*time.Millisecond, "samples come again")
	}
}

func TestAnInstrumentThatIsNotThere(t *testing.T) {
	ctx, cancel := context.WithCancel(context.Background())
	client := instrument.Dial(ctx, "Nothing", "127.0.0.1:1", nil, quick)
	await(t, client, instrument.Lost)
	_, err := client.Ask(ctx, "*IDN?")
	assert.ErrorContains(t, err, "not connected")
	cancel()
	<-client.Done()
}

func FuzzParseLine(f *testing.F) {
	for _, seed := range []string{"#S 12.350 CO2 4.713", "OK", "#S 1 2", "#S NaN CO2 1", "#X", "\x00", "#S 1e999 C 1",
		`0,"No error"`} {
		f.Add(seed)
	}
	f.Fuzz(func(t *testing.T, text string) {
		line, err := instrument.ParseLine(text)
		if err != nil || !line.Sample {
			return
		}
		require.False(t, math.IsNaN(line.Value) || math.IsInf(line.Value, 0))
		if math.Abs(line.T) > 1e9 || math.Abs(line.Value) > 1e9 {
			return
		}
		again, err := instrument.ParseLine(instrument.FormatSample(line.T, line.Channel, line.Value))
		require.NoError(t, err)
		require.InDelta(t, line.Value, again.Value, 1e-4*math.Max(1, math.Abs(line.Value)))
		require.Equal(t, line.Channel, again.Channel)
	})
}
