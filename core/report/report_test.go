package report_test

import (
	"math"
	"math/rand/v2"
	"testing"
	"time"

	"northneedle/core/report"

	"github.com/stretchr/testify/require"
)

// The bounds are those of the score test: at each bound the count lies exactly 1.96
// standard errors, as reckoned from the bound itself, from what the bound lets expect.
func TestAShareKnowsItsDoubt(t *testing.T) {
	for _, c := range []struct{ of, all int }{{8, 10}, {1, 1}, {0, 7}, {181, 263}, {2999, 3000}} {
		s, err := report.ShareOf(c.of, c.all)
		require.NoError(t, err)
		require.LessOrEqual(t, s.Low, s.Value)
		require.LessOrEqual(t, s.Value, s.High)
		for _, bound := range []float64{s.Low, s.High} {
			if bound <= 1e-12 || bound >= 1-1e-12 {
				continue
			}
			away := math.Abs(s.Value-bound) / math.Sqrt(bound*(1-bound)/float64(c.all))
			require.InDelta(t, 1.959964, away, 1e-6, "%d of %d at %g", c.of, c.all, bound)
		}
	}
	nothing, err := report.ShareOf(0, 0)
	require.NoError(t, err)
	require.Equal(t, report.Share{High: 1}, nothing, "of nothing nothing is known")
	_, err = report.ShareOf(3, 2)
	require.ErrorContains(t, err, "0 to 2")
}

// Nine in ten such intervals and more hold the share they were drawn from.
func TestTheBoundsHoldTheTruth(t *testing.T) {
	r := rand.New(rand.NewPCG(4, 7))
	held := 0
	const draws = 4000
	for range draws {
		p, n := 0.02+0.96*r.Float64(), 20+r.IntN(200)
		of := 0
		for range n {
			if r.Float64() < p {
				of++
			}
		}
		s, err := report.ShareOf(of, n)
		require.NoError(t, err)
		if s.Low <= p && p <= s.High {
			held++
		}
	}
	require.InDelta(t, 0.95, float64(held)/draws, 0.015)
}

func TestWhatIsDoneOnItsDayIsOnTime(t *testing.T) {
	due := time.Date(2026, 3, 10, 0, 0, 0, 0, time.UTC)
	at := func(days, hour int) report.Done {
		return report.Done{Due: due, On: due.AddDate(0, 0, days).Add(time.Duration(hour) * time.Hour)}
	}
	got := report.OnTime([]report.Done{at(-20, 9), at(0, 23), at(1, 0), at(6, 12), at(40, 8)})
	require.Equal(t, 2, got.Of)
	require.Equal(t, 5, got.All)
	require.Equal(t, 6, got.MedianLate)
	require.Equal(t, 40, got.WorstLate)
	require.Zero(t, report.OnTime(nil).All)
}

func TestOverdueByRisk(t *testing.T) {
	by := report.ByRisk([]report.Late{{5, 3}, {5, 40}, {2, 9}, {0, 1}})
	require.Equal(t, []report.Exposure{{5, 2, 40, 43}, {4, 0, 0, 0}, {3, 0, 0, 0}, {2, 1, 9, 9}, {1, 1, 1, 1}}, by)
}

func TestCost(t *testing.T) {
	p := report.Prices{Currency: "kr", Hour: 50, Litre: 0.2, Certificate: 300}
	require.NoError(t, p.Check())
	require.InDelta(t, 50*1.5+0.2*40+2*300, p.Cost(report.Spent{Hours: 1.5, Litres: 40, Certificates: 2}), 1e-12)
	require.ErrorContains(t, report.Prices{Litre: -1}.Check(), "a litre of gas")
	require.Error(t, report.Prices{Hour: math.Inf(1)}.Check())
}
