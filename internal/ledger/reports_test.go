package ledger_test

import (
	"context"
	"fmt"
	"math/rand/v2"
	"northneedle/internal/ledger"
	"testing"
	"time"

	"northneedle/core/conformity"
	"northneedle/core/duty"
	"northneedle/core/run"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// What the engine adds up is what adding up by hand gives, whatever stands in the record.
// imported is how records are taken in.
var imported = ledger.Act{Kind: "records imported", By: ledger.Nobody, At: now}

func TestReportsAddUpWhatStandsInTheRecord(t *testing.T) {
	l, err := ledger.Open(t.TempDir())
	require.NoError(t, err)
	defer l.Close()
	random := rand.New(rand.NewPCG(7, 11))
	from, until := now.AddDate(-1, 0, 0), now
	models := []string{"C2 capnograph", "V7 ventilator", "P1 pump"}
	type sum struct{ runs, inside int }
	found := map[string]sum{}
	work := map[string]int{}
	timely, overdue := 0, 0
	var records []any
	for i := range 60 {
		id := fmt.Sprintf("d%02d", i)
		model := models[random.IntN(len(models))]
		a := &ledger.Asset{
			ID:     id,
			Tag:    "T-" + id,
			Maker:  "Ostrel",
			Model:  model,
			Family: model[3:],
			Status: []string{ledger.InUse, ledger.OutOfUse, ledger.Gone}[random.IntN(3)],
			Risk:   1 + random.IntN(5),
		}
		due := now.AddDate(0, 0, random.IntN(60)-30)
		act := &ledger.Activity{
			ID:      "a" + id,
			AssetID: id,
			Title:   "Verification",
			Duty:    duty.Duty{ID: "v", Title: "Verification", Months: 12},
			DueOn:   due,
			Risk:    a.Risk,
			Active:  random.IntN(5) > 0,
		}
		if act.Active && due.Before(until) && a.Status != ledger.Gone {
			overdue++
		}
		records = append(records, a, act)
		for r := range random.IntN(4) {
			at := now.AddDate(0, 0, -random.IntN(700))
			rn := &ledger.Run{
				ID:        fmt.Sprintf("r%s-%d", id, r),
				AssetID:   id,
				Tag:       a.Tag,
				Maker:     "Ostrel",
				Model:     model,
				Family:    a.Family,
				Procedure: "p" + a.Family,
				Title:     "Verification",
				Status:    run.Signed,
				EndedAt:   &at,
				OpenedAt:  at,
				Paper:     true,
			}
			if random.IntN(10) == 0 {
				rn.ReplacedBy = "another"
			}
			records = append(records, rn)
			out, points := false, random.IntN(4)
			for p := range points {
				zone := []conformity.Zone{conformity.Inside, conformity.InsideDoubtful, conformity.Outside,
					conformity.OutsideDoubtful}[random.IntN(4)]
				phase := []run.Phase{run.AsFound, run.AsFound, run.AsLeft}[random.IntN(3)]
				if p == 0 {
					phase = run.AsFound
				}
				out = out || phase == run.AsFound && (zone == conformity.Outside || zone == conformity.OutsideDoubtful)
				records = append(records, &ledger.Result{
					RunID:   rn.ID,
					AssetID: id,
					At:      at,
					Measure: "m",
					Point:   fmt.Sprint(p),
					Phase:   phase,
					Zone:    zone,
				})
			}
			if at.Before(from) || !at.Before(until) {
				continue
			}
			work[rn.Procedure]++
			if points > 0 && rn.ReplacedBy == "" {
				s := found[rn.Device()]
				s.runs++
				if !out {
					s.inside++
				}
				found[rn.Device()] = s
			}
		}
		on := now.AddDate(0, 0, -random.IntN(500))
		note := &ledger.ActivityNote{
			ID:         "n" + id,
			ActivityID: act.ID,
			AssetID:    id,
			At:         on,
			Kind:       []string{ledger.NoteDone, ledger.NoteFailed, ledger.NoteDeferred}[random.IntN(3)],
		}
		if random.IntN(3) > 0 {
			note.DueOn = &due
		}
		if note.DueOn != nil && note.Kind != ledger.NoteDeferred && !on.Before(from) && on.Before(until) {
			timely++
		}
		records = append(records, note)
	}
	require.NoError(t, l.TakeIn(context.Background(), imported, records, nil, func(int) {}))

	gotModels, err := l.FoundByModel(from, until)
	require.NoError(t, err)
	require.Len(t, gotModels, len(found))
	for _, m := range gotModels {
		assert.Equal(t, found[m.Device], sum{m.Runs, m.Inside}, m.Device)
	}
	gotWork, err := l.WorkBetween(from, until)
	require.NoError(t, err)
	for _, w := range gotWork {
		assert.Equal(t, work[w.Procedure], w.Runs, w.Procedure)
	}
	require.Len(t, gotWork, len(work))
	gotDone, err := l.DoneBetween(from, until)
	require.NoError(t, err)
	assert.Len(t, gotDone, timely)
	gotOverdue, err := l.OverdueRisks(until)
	require.NoError(t, err)
	assert.Len(t, gotOverdue, overdue)
}

func TestWhatWasTakenInIsCountedAsTheRunsHereAre(t *testing.T) {
	l, err := ledger.Open(t.TempDir())
	require.NoError(t, err)
	defer l.Close()
	at := now.AddDate(0, -1, 0)
	require.NoError(t, l.TakeIn(context.Background(), imported, []any{
		&ledger.Asset{ID: "d", Tag: "MB-1", Maker: "Ostrel", Model: "C2", Status: ledger.InUse},
		&ledger.Run{ID: "r", AssetID: "d", Procedure: "p", Status: run.Signed, EndedAt: &at, Paper: true},
		&ledger.Result{RunID: "r", AssetID: "d", Phase: run.AsFound, Zone: conformity.Inside},
		&ledger.Result{RunID: "r", AssetID: "d", Phase: run.AsFound, Zone: conformity.Outside},
		&ledger.Result{RunID: "r", AssetID: "d", Phase: run.AsLeft, Zone: conformity.Outside},
	}, nil, func(int) {}))
	row, err := l.RunRow("r")
	require.NoError(t, err)
	assert.Equal(t, 2, row.Found)
	assert.Equal(t, 1, row.FoundOut)
	seen, err := l.VerifiedOf("Ostrel", "C2", "p")
	require.NoError(t, err)
	require.Len(t, seen, 1)
	assert.False(t, seen[0].FoundIn)
	assert.WithinDuration(t, at, seen[0].At, time.Millisecond)
}
