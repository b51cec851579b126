package capture_test

import (
	"context"
	"northneedle/internal/capture"
	"testing"
	"time"

	"northneedle/core/person"
	"northneedle/core/run"
	"northneedle/internal/definition"
	"northneedle/internal/demo"
	"northneedle/internal/instrument"
	"northneedle/internal/ledger"
	"northneedle/internal/sim"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

var monday = time.Date(2026, 3, 2, 9, 0, 0, 0, time.UTC)

// connected is a bench with one simulated instrument, linked.
func connected(t *testing.T, kind string) *capture.Driver {
	t.Helper()
	ctx, cancel := context.WithCancel(context.Background())
	for _, k := range sim.Kinds() {
		if k.ID != kind {
			continue
		}
		model := k.New(demo.World())
		clock := capture.Faster(speed)
		server, err := sim.ServeAt(ctx, "127.0.0.1:0", model, clock)
		require.NoError(t, err)
		b, links := capture.Connect(ctx, clock,
			[]ledger.Instrument{{ID: k.ID, Name: k.Name, Kind: k.ID, Address: server.Address(),
				Channels: model.Channels()}}, instrument.Timing{Silence: 300 * time.Millisecond,
				Retry: 50 * time.Millisecond, Answer: time.Second})
		t.Cleanup(func() { cancel(); links(); server.Wait() })
		require.Eventually(t, func() bool { return b.Links()[0].State == instrument.Alive }, 10*time.Second,
			5*time.Millisecond)
		return b
	}
	cancel()
	require.FailNow(t, "no such instrument")
	return nil
}

// speed is how many seconds of the simulated instruments pass in one.
const speed = 10

// begun is a run of a family with its standards bound.
func begun(t *testing.T, family string) run.Run {
	t.Helper()
	all, err := definition.Shipped()
	require.NoError(t, err)
	for _, p := range all {
		if p.Family != family {
			continue
		}
		r := run.NewRun(p)
		r.ID = "run"
		carry := func(c run.Command) {
			events, err := r.Decide("c", c, run.Order{At: monday,
				By: person.Person{ID: "idris", Role: person.Technician}})
			require.NoError(t, err)
			for _, e := range events {
				r = r.Apply(e)
			}
		}
		carry(run.OpenRun{RunOpened: run.RunOpened{Procedure: p.ID, Device: run.Device{Tag: "TEST-1", Family: family},
			Lab: demo.Lab()}})
		for _, role := range p.Roles {
			carry(run.BindStandard{Role: role.ID, Standard: demo.Fitting(role, monday)})
		}
		return r
	}
	require.FailNow(t, "no procedure")
	return run.Run{}
}

func TestAPointIsSetReadAndTaken(t *testing.T) {
	b, r := connected(t, "co-bench"), begun(t, "breath-monitor")
	watch, err := b.Set(context.Background(), r, "co", "gas")
	require.NoError(t, err)
	require.Eventually(t, func() bool { return watch.Look().Steady }, 40*time.Second, 50*time.Millisecond)
	frame := watch.Look()
	require.NotNil(t, frame.Value)
	assert.InDelta(t, 49.6, *frame.Value, 4)
	var c run.CaptureReading
	watch.Take(&c)
	assert.True(t, c.Steady)
	assert.Equal(t, "co-bench", c.Link)
	require.Len(t, c.Values, 1)
	assert.LessOrEqual(t, len(c.Trace), 801)
	assert.NotEmpty(t, c.Trace)

	// The same point again goes on with its trace; another begins anew.
	again, err := b.Set(context.Background(), r, "co", "gas")
	require.NoError(t, err)
	assert.NotEmpty(t, again.Look().Traces[0].Samples)
	air, err := b.Set(context.Background(), r, "co", "clean-air")
	require.NoError(t, err)
	assert.False(t, air.Look().Steady, "what came before says nothing about it")
}

func TestALostLinkGivesNoReading(t *testing.T) {
	b, r := connected(t, "co-bench"), begun(t, "breath-monitor")
	watch, err := b.Set(context.Background(), r, "co", "gas")
	require.NoError(t, err)
	_, err = b.Tell(context.Background(), "co-bench", "SIMulate:LINK SILENT,2")
	require.NoError(t, err)
	require.Eventually(t, func() bool { return watch.Look().Status.State == instrument.Silent }, 5*time.Second,
		10*time.Millisecond)
	frame := watch.Look()
	assert.Contains(t, frame.Why, "typed", "the way out is named")
	var c run.CaptureReading
	watch.Take(&c)
	assert.Empty(t, c.Values)
	assert.False(t, c.Steady)
}

func TestWhatTheBenchCannotRead(t *testing.T) {
	b, run := connected(t, "co-bench"), begun(t, "breath-monitor")
	_, err := b.Set(context.Background(), run, "nothing", "gas")
	assert.Error(t, err)
	_, err = b.Set(context.Background(), begun(t, "spirometer"), "volume", "slow-injected")
	assert.ErrorContains(t, err, "type what the device shows")
	_, err = b.Tell(context.Background(), "syringe-bench", "SIMulate:FAULt BANG,ON")
	assert.ErrorContains(t, err, "no simulated instrument")
}
