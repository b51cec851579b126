package demo_test

import (
	"fmt"
	"hash/fnv"
	"testing"
	"time"

	"northneedle/core/reference"
	"northneedle/core/run"
	"northneedle/internal/definition"
	"northneedle/internal/demo"
	"northneedle/internal/ledger"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

var monday = time.Date(2026, 3, 2, 9, 0, 0, 0, time.UTC)

func filled(t *testing.T, seed uint64) *ledger.Ledger {
	t.Helper()
	l, err := ledger.Open(t.TempDir())
	require.NoError(t, err)
	t.Cleanup(func() { l.Close() })
	all, err := definition.Shipped()
	require.NoError(t, err)
	require.NoError(t, demo.Fill(l, all, nil, "a long password", seed, monday))
	return l
}

// story is what the scenario looks like in the lists.
type story struct {
	devices, standards, overdue, open, review, loose int
	said                                             []string
}

func told(t *testing.T, l *ledger.Ledger) (s story) {
	t.Helper()
	assets, err := l.Assets(ledger.AssetPage{Limit: 1000})
	require.NoError(t, err)
	standards, err := l.Standards("")
	require.NoError(t, err)
	overdue := 0
	counts, err := l.DueCounts(monday)
	require.NoError(t, err)
	for _, c := range counts {
		overdue += c.Activities
	}
	open, err := l.RunsIn(run.Open, 100)
	require.NoError(t, err)
	review, err := l.RunsIn(run.InReview, 100)
	require.NoError(t, err)
	loose, err := l.OpenItems()
	require.NoError(t, err)
	for _, r := range append(open, review...) {
		rows, err := l.Rows(r.ID)
		require.NoError(t, err)
		said := fnv.New64a()
		for _, e := range rows {
			said.Write([]byte(e.At + e.By + e.Data))
		}
		s.said = append(s.said, fmt.Sprintf("%s %x", r.Tag, said.Sum64()))
	}
	s.devices, s.standards, s.overdue, s.open, s.review, s.loose = len(assets), len(standards), int(overdue), len(open), len(review), len(loose)
	return s
}

func TestTheScenarioTellsItsStory(t *testing.T) {
	l := filled(t, 1)
	s := told(t, l)
	assert.GreaterOrEqual(t, s.devices, 90)
	assert.GreaterOrEqual(t, s.standards, 30)
	assert.Positive(t, s.overdue)
	assert.Equal(t, 2, s.open)
	assert.Equal(t, 1, s.review)
	assert.Positive(t, s.loose)
	n, err := l.Verify()
	require.NoError(t, err)
	assert.Greater(t, n, 3000, "the history is real runs, chained")

	standards, err := l.Standards("")
	require.NoError(t, err)
	bad, late := 0, 0
	for _, standard := range standards {
		assert.Empty(t, standard.Core().Check(), standard.Tag)
		if standard.Status == reference.Quarantined {
			bad++
		}
		if standard.Certificate.DueOn.Before(monday) {
			late++
		}
	}
	assert.Equal(t, 1, bad)
	assert.Equal(t, 2, late, "a simulator and a lot")
	book, err := l.Gauges("std-HG-23")
	require.NoError(t, err)
	assert.Equal(t, "valve found open in the morning", book[len(book)-1].Note)

	assert.Equal(t, s, told(t, filled(t, 1)), "the same seed tells the same")
}

func TestMadeUpMassesForMeasuring(t *testing.T) {
	l, err := ledger.Open(t.TempDir())
	require.NoError(t, err)
	defer l.Close()
	said := 0
	require.NoError(t, demo.Generate(l, 1200, 24000, 1, monday, func(string) { said++ }))
	assert.Equal(t, 2, said)
	page, err := l.Assets(ledger.AssetPage{Limit: 2000})
	require.NoError(t, err)
	assert.Len(t, page, 1200)
	runs, err := l.RunsOf("gen-000100", 100)
	require.NoError(t, err)
	require.Len(t, runs, 2)
	results, err := l.ResultsOf(runs[0].ID)
	require.NoError(t, err)
	assert.Len(t, results, 10)
}
