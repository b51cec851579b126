package exchange_test

import (
	"os"
	"path/filepath"
	"testing"
	"time"

	"northneedle/core/run"
	"northneedle/internal/definition"
	"northneedle/internal/demo"
	"northneedle/internal/ledger"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Every run of the demo's years came about by the rules, and is replayed by them, event for event.
func TestEveryRunIsReplayedByItsRules(t *testing.T) {
	folder := t.TempDir()
	l, err := ledger.Open(folder)
	require.NoError(t, err)
	defer l.Close()
	all, err := definition.Shipped()
	require.NoError(t, err)
	require.NoError(t, demo.Fill(l, all, nil, "a long password", 1, time.Date(2026, 3, 2, 9, 0, 0, 0, time.Local)))
	rows, err := l.RunsIn(run.Signed, 2000)
	require.NoError(t, err)
	count := map[string]int{}
	for _, row := range rows {
		if row.Paper {
			continue
		}
		r, err := l.Run(row.ID)
		require.NoError(t, err)
		events, err := l.Events(row.ID, 0)
		require.NoError(t, err)
		if err := run.Replay(r.Procedure, events); !assert.NoError(t, err, row.Procedure) {
			count["no"]++
			if count["no"] > 8 {
				break
			}
		}
		for _, e := range events {
			count[run.KindOf(e.Fact)]++
		}
	}
	t.Log(len(rows), count)
	_, _ = os.Stat, filepath.Join
}
