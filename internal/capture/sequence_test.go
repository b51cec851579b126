package capture_test

import (
	"context"
	"testing"
	"time"

	"northneedle/core/reference"
	"northneedle/core/run"
	"northneedle/internal/capture"
	"northneedle/internal/definition"
	"northneedle/internal/demo"
	"northneedle/internal/ledger"
	"northneedle/internal/sim"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// sound is an audiometer's run that has come to its first tone, with its bench.
func sound(t *testing.T) (*ledger.Ledger, *capture.Driver, run.Run) {
	t.Helper()
	l, err := ledger.Open(t.TempDir())
	require.NoError(t, err)
	t.Cleanup(func() { l.Close() })
	b := linked(t, capture.WallClock{Time: time.Now}, "acoustic-bench")
	all, err := definition.Shipped()
	require.NoError(t, err)
	for _, p := range all {
		if p.ID != "audiometer-calibration" {
			continue
		}
		w := &sim.Technician{Person: idris, At: time.Now().Add(-time.Hour), Truth: exact{},
			Room: [3]string{"21", "1008", "46"}, Until: "right",
			Standard: func(_ run.Run, role reference.Role) reference.Standard { return demo.Fitting(role, time.Now()) }}
		run, events, err := w.Work(p, run.RunOpened{
			Procedure: p.ID,
			Revision:  p.Revision,
			Hash:      p.Hash,
			Lab:       demo.Lab(),
			Device:    run.Device{ID: "d", Tag: "AU-1", Family: p.Family},
		})
		require.NoError(t, err)
		require.NoError(t, l.Take(p, events))
		return l, b, run
	}
	require.FailNow(t, "no audiometer")
	return nil, nil, run.Run{}
}

// exact is a device that shows what is expected.
type exact struct{}

func (exact) Read(_, _ string, expected float64) float64 { return expected }
func (exact) Turn(string, string, float64)               {}

func TestItReadsByItselfAndCanBeStopped(t *testing.T) {
	l, b, r := sound(t)
	told := make(chan string, 100)
	s := capture.NewSequencer(l, b, func(run string, _ int) { told <- run })
	t.Cleanup(s.Close)
	require.NoError(t, s.Start(r.ID, idris))
	require.NoError(t, s.Start(r.ID, idris), "again changes nothing")
	require.Eventually(t, func() bool { return s.States()[0].Read >= 2 }, 30*time.Second, 50*time.Millisecond, "%+v",
		s.States())
	s.Stop(r.ID)
	state := s.States()[0]
	assert.False(t, state.Running || state.Alarm)
	assert.Equal(t, "stopped by hand", state.Why)
	assert.Equal(t, r.ID, <-told)
	now, err := l.Run(r.ID)
	require.NoError(t, err)
	require.Len(t, now.Readings, len(r.Readings)+state.Read)
	last := now.Readings[len(now.Readings)-1]
	assert.Equal(t, run.Linked, last.Source)
	assert.Equal(t, "Idris Vail", last.By.Name)
}

func TestItStopsByItselfWhenSomethingIsReallyWrong(t *testing.T) {
	l, b, run := sound(t)
	err := b.Simulate(context.Background(), "acoustic-bench", "SIMulate:FAULt TIPPED,ON")
	require.NoError(t, err)
	s := capture.NewSequencer(l, b, func(string, int) {})
	t.Cleanup(s.Close)
	require.NoError(t, s.Start(run.ID, idris))
	require.Eventually(t, func() bool { return !s.States()[0].Running }, 30*time.Second, 50*time.Millisecond)
	state := s.States()[0]
	assert.True(t, state.Alarm)
	assert.Contains(t, state.Why, "Right 250 Hz is far out. Look at the set-up before going on")
	assert.Equal(t, 1, state.Read, "it stopped on the first tone")
}
