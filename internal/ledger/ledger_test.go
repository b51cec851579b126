package ledger_test

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"sync"
	"testing"
	"time"

	"northneedle/internal/definition"
	"northneedle/internal/ledger"

	"northneedle/core/adjust"
	"northneedle/core/conformity"
	"northneedle/core/person"
	"northneedle/core/procedure"
	"northneedle/core/run"
	"northneedle/core/runview"

	"github.com/glebarez/sqlite"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gorm.io/gorm"
)

var idris = person.Person{ID: "idris", Name: "Idris Vail", Role: person.Technician}
var now = time.Date(2026, 3, 2, 9, 0, 0, 123456789, time.Local)

func tiny(t testing.TB) *procedure.Procedure {
	t.Helper()
	text, err := os.ReadFile("../../testdata/tiny.yaml")
	require.NoError(t, err)
	p, err := definition.Read("tiny", text)
	require.NoError(t, err)
	return p
}

// begun opens a ledger with one run of five notes.
func begun(t *testing.T, folder string) (*ledger.Ledger, run.Run) {
	t.Helper()
	l, err := ledger.Open(folder)
	require.NoError(t, err)
	lab := run.Lab{Rule: conformity.Rule{Kind: conformity.Simple},
		Policy: adjust.Policy{School: adjust.MeasureOnly, MaxRounds: 1}, Review: procedure.ReviewNever}
	require.NoError(t, l.Save(&ledger.Asset{
		ID:     "d",
		Tag:    "MB-1",
		Family: "gas-monitor",
		Status: ledger.InUse,
	}, &ledger.Activity{ID: "a", AssetID: "d", Procedure: "tiny", DueOn: now, Active: true}))
	open := run.OpenRun{RunOpened: run.RunOpened{Procedure: "tiny", Revision: 1, Hash: tiny(t).Hash,
		Device: run.Device{ID: "d", Tag: "MB-1", Family: "gas-monitor"}, Lab: lab}}
	r, err := l.Begin(tiny(t), ledger.Command{ID: "opening", Do: open, Order: run.Order{At: now, By: idris}})
	require.NoError(t, err)
	for i := range 5 {
		r = carry(t, l, r, run.AddNote{Text: fmt.Sprintf("note %d", i)})
	}
	return l, r
}

func carry(t *testing.T, l *ledger.Ledger, r run.Run, c run.Command) run.Run {
	t.Helper()
	next, err := l.Carry(r.ID, ledger.Command{
		ID:     fmt.Sprintf("%s-%d", r.ID, r.Seq),
		Expect: r.Seq,
		Do:     c,
		Order:  run.Order{At: now, By: idris},
	})
	require.NoError(t, err)
	return next
}

func TestWhatWasRecordedIsThereAgain(t *testing.T) {
	folder := t.TempDir()
	l, r := begun(t, folder)
	r = carry(t, l, r, run.AnswerCheck{Step: "cautions", Answer: run.Fine})
	r = carry(t, l, r, run.DoStep{Step: "open"})
	ends, err := l.OpenItems()
	require.NoError(t, err)
	require.Len(t, ends, 1)
	require.NoError(t, l.Close())

	l, err = ledger.Open(folder)
	require.NoError(t, err)
	defer l.Close()
	again, err := l.Run(r.ID)
	require.NoError(t, err)
	assert.Equal(t, runview.Of(r, now), runview.Of(again, now))
	n, err := l.Verify()
	require.NoError(t, err)
	assert.Equal(t, r.Seq+2, n, "the run, what it runs by, and the device")

	again = carry(t, l, again, run.DoStep{Step: "shut"})
	again = carry(t, l, again, run.SignRun{Statement: "Fine."})
	ends, err = l.OpenItems()
	require.NoError(t, err)
	assert.Empty(t, ends)
	due, err := l.Activities("d")
	require.NoError(t, err)
	assert.Equal(t, "2026-04-02", due[0].DueOn.Format(time.DateOnly))
	before, err := l.RunRow(again.ID)
	require.NoError(t, err)
	differences, err := l.Rebuild()
	require.NoError(t, err)
	assert.Empty(t, differences)
	after, err := l.RunRow(again.ID)
	require.NoError(t, err)
	assert.Equal(t, before, after, "read models can be computed anew from the events")
}

func TestARunOfAnotherSequenceIsStale(t *testing.T) {
	l, r := begun(t, t.TempDir())
	defer l.Close()
	_, err := l.Carry(r.ID, ledger.Command{
		ID:     "late",
		Expect: 3,
		Do:     run.AddNote{Text: "x"},
		Order:  run.Order{At: now, By: idris},
	})
	var stale *ledger.Stale
	require.True(t, errors.As(err, &stale))
	assert.Equal(t, r.Seq, stale.Seq)
	assert.Len(t, stale.Since, r.Seq-3)
	_, err = l.Carry("nowhere", ledger.Command{ID: "x", Do: run.AddNote{Text: "x"}})
	assert.ErrorIs(t, err, ledger.ErrNotFound)
	_, err = l.Carry(r.ID, ledger.Command{Do: run.AddNote{Text: "x"}})
	assert.ErrorContains(t, err, "needs an id")
}

func TestTheFirstBrokenEventIsNamed(t *testing.T) {
	for name, tamper := range map[string]struct{ sql, why string }{
		"a changed note": {`UPDATE events SET data = replace(data, 'note 2', 'note X') WHERE seq = 4`,
			"content was changed"},
		"a changed author": {`UPDATE events SET "by" = replace("by", 'Idris', 'Noor') WHERE seq = 4`,
			"content was changed"},
		"a missing event":     {`DELETE FROM events WHERE seq = 4`, "missing"},
		"a forged hash":       {`UPDATE events SET hash = 'abc' WHERE seq = 4`, "content was changed"},
		"a missing end":       {`DELETE FROM events WHERE seq = 6`, "5 are there"},
		"an event moved away": {`UPDATE events SET prev = 'abc' WHERE seq = 4`, "does not follow"},
	} {
		t.Run(name, func(t *testing.T) {
			folder := t.TempDir()
			l, run := begun(t, folder)
			require.NoError(t, l.Close())
			db, err := gorm.Open(sqlite.Open(filepath.Join(folder, ledger.File)), &gorm.Config{})
			require.NoError(t, err)
			require.NoError(t, db.Exec(tamper.sql).Error)
			raw, err := db.DB()
			require.NoError(t, err)
			require.NoError(t, raw.Close())

			l, err = ledger.Open(folder)
			require.NoError(t, err)
			defer l.Close()
			_, err = l.Verify()
			var broken *ledger.Broken
			require.True(t, errors.As(err, &broken), "%v", err)
			assert.Contains(t, err.Error(), tamper.why)
			assert.Equal(t, ledger.StreamOf(run.ID), broken.Stream)
		})
	}
}

// noted is a note on a run.
func noted(text string) run.Command { return run.AddNote{Text: text} }

// Someone may be registered at the command line while the server has the record open.
func TestTwoProgramsWriteOneChain(t *testing.T) {
	folder := t.TempDir()
	server, err := ledger.Open(folder)
	require.NoError(t, err)
	defer server.Close()
	command, err := ledger.Reopen(folder)
	require.NoError(t, err)
	defer command.Close()
	var all sync.WaitGroup
	for name, l := range map[string]*ledger.Ledger{"server": server, "command": command} {
		all.Go(func() {
			for n := range 30 {
				assert.NoError(t, l.Save(&ledger.Person{ID: fmt.Sprintf("%s-%d", name, n), Name: name, Active: true}))
			}
		})
	}
	all.Wait()
	events, err := server.Verify()
	require.NoError(t, err)
	require.Equal(t, 60, events)
	differs, err := command.Rebuild()
	require.NoError(t, err)
	require.Empty(t, differs)
	everyone, err := server.Everyone()
	require.NoError(t, err)
	require.Len(t, everyone, 60)
}
