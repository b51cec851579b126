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
	waits := func() bool { return s.States()[0].Move == "Coupler under the right earphone" }
	require.Eventually(t, waits, 10*time.Second, 10*time.Millisecond, "the hand comes first")
	_, held := b.Holder("acoustic-bench")
	assert.False(t, held, "nothing is set before")
	assert.Equal(t, r.ID, <-told, "the page is told")
	moved(t, l, r)
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
	assert.Equal(t, "right", now.Readings[len(r.Readings)].Origin.Settings["ear"])
	last := now.Readings[len(now.Readings)-1]
	assert.Equal(t, run.Linked, last.Source)
	assert.Equal(t, "Idris Vail", last.By.Name)
}

// moved says for Idris that what the next point needs is moved.
func moved(t *testing.T, l *ledger.Ledger, r run.Run) {
	t.Helper()
	m, p := r.NextPoint(time.Now())
	_, err := l.Carry(r.ID, ledger.Command{ID: "moved-" + p.ID, Expect: r.Seq,
		Do: run.MoveByHand{Measure: m.ID, Point: p.ID}, Order: run.Order{At: time.Now(), By: idris}})
	require.NoError(t, err)
}

// A point that is left out while it is being read is not waited for.
func TestWhatIsLeftOutIsNotWaitedFor(t *testing.T) {
	l, b, r := sound(t)
	moved(t, l, r)
	s := capture.NewSequencer(l, b, func(string, int) {})
	t.Cleanup(s.Close)
	require.NoError(t, b.Simulate(context.Background(), "acoustic-bench", "SIMulate:LINK GARBAGE,600")) // nothing will stand
	require.NoError(t, s.Start(r.ID, idris))
	require.Eventually(t, func() bool { return s.States()[0].Now == "Right 125 Hz" }, 10*time.Second, 10*time.Millisecond)
	now, err := l.Run(r.ID)
	require.NoError(t, err)
	_, err = l.Carry(r.ID, ledger.Command{ID: "left-out", Expect: now.Seq,
		Do:    run.OmitPoint{Measure: "right", Point: "right-125", Reason: "the tone is broken"},
		Order: run.Order{At: time.Now(), By: idris}})
	require.NoError(t, err)
	require.Eventually(t, func() bool { return s.States()[0].Now == "Right 250 Hz" }, 10*time.Second, 10*time.Millisecond)
}

func TestItStopsByItselfWhenSomethingIsReallyWrong(t *testing.T) {
	l, b, run := sound(t)
	err := b.Simulate(context.Background(), "acoustic-bench", "SIMulate:FAULt TIPPED,ON")
	require.NoError(t, err)
	s := capture.NewSequencer(l, b, func(string, int) {})
	t.Cleanup(s.Close)
	moved(t, l, run)
	require.NoError(t, s.Start(run.ID, idris))
	require.Eventually(t, func() bool { return !s.States()[0].Running }, 30*time.Second, 50*time.Millisecond)
	state := s.States()[0]
	assert.True(t, state.Alarm)
	assert.Contains(t, state.Why, "Right 125 Hz is far out. Look at the set-up before going on")
	assert.Equal(t, 1, state.Read, "it stopped on the first tone")
}
