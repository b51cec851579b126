package sim_test

import (
	"slices"
	"testing"
	"time"

	"northneedle/core/reference"
	"northneedle/core/run"
	"northneedle/core/uncertainty"
	"northneedle/internal/demo"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestSeveralAudiometersShareOneCheck: the next audiometer's run within twelve hours does not repeat the analyser's
// check by the calibrator, and its U holds the error that the check found. A later run makes a check of its own.
func TestSeveralAudiometersShareOneCheck(t *testing.T) {
	p := shipped(t, "audiometer-calibration")
	work := func(after time.Duration, done []reference.Done) run.Run {
		w := technician(hands{t: t, fixed: map[string]float64{"reference/1-khz": 94.3}})
		w.At = monday.Add(after)
		w.Standard = func(_ run.Run, role reference.Role) reference.Standard {
			s := demo.Fitting(role, w.At)
			if role.ID == "analyser" {
				s.Prepared = done
			}
			return s
		}
		r, _, err := w.Work(p, opened(p))
		require.NoError(t, err)
		return r
	}
	tone := func(r run.Run) (*run.Verdict, int) {
		v, err := r.Judge(p.Measure("right"), p.Measure("right").Point("right-1000"), 0)
		require.NoError(t, err)
		return v, slices.IndexFunc(r.Readings, func(x run.Reading) bool { return x.Measure == "reference" })
	}
	first := work(0, nil)
	done := first.Done(first.Bound["analyser"].Standard.Tag)
	require.Len(t, done, 1)
	assert.True(t, done[0].Passed)
	assert.InDelta(t, 0.3, done[0].Found, 1e-9)
	assert.Empty(t, done[0].Settings, "how another audiometer was set says nothing of the analyser")
	assert.Empty(t, first.Done(first.Bound["coupler"].Standard.Tag), "it says nothing of the coupler")
	itself, read := tone(first)
	assert.GreaterOrEqual(t, read, 0)
	assert.True(t, slices.ContainsFunc(itself.Budget.Lines, func(p uncertainty.Line) bool {
		return p.Name == "Analyser, as its check found it" && p.Width == done[0].Found
	}), "%v", itself.Budget)
	shared, read := tone(work(4*time.Hour, done))
	assert.Negative(t, read, "it is not read again")
	assert.Equal(t, itself.U, shared.U)
	late := work(20*time.Hour, done)
	_, read = tone(late)
	assert.GreaterOrEqual(t, read, 0, "it counts for half a day")
	assert.Empty(t, late.Bound["analyser"].Standard.Prepared, "the paper does not name a check that counts no more")
}

// TestACircumauralEarphoneGoesToSixteenKilohertz: its own thresholds, limits and points come with the transducer, seated three
// times where the seating says most.
func TestACircumauralEarphoneGoesToSixteenKilohertz(t *testing.T) {
	p := shipped(t, "audiometer-calibration")
	w := technician(hands{t: t})
	w.Plate["transducer"] = "circum-ear"
	r, _, err := w.Work(p, opened(p))
	require.NoError(t, err)
	left := p.Measure("left-extended")
	require.Len(t, left.Points, 6)
	v, err := r.Judge(left, left.Point("left-16000"), 0)
	require.NoError(t, err)
	assert.InDelta(t, 10, *v.High, 1e-9)
	assert.Contains(t, v.Formula, "56 dB")
	assert.True(t, slices.ContainsFunc(v.Budget.Lines,
		func(l uncertainty.Line) bool { return l.Name == "Seating of the transducer" }))
	result, _ := r.Outcome()
	assert.Equal(t, run.Conforms, result)
	w = technician(hands{t: t})
	r, _, err = w.Work(p, opened(p))
	require.NoError(t, err)
	v, err = r.Judge(left, left.Point("left-16000"), 0)
	assert.True(t, v == nil && err == nil, "another transducer has no such point")
}
