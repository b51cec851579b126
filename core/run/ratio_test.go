package run_test

import (
	"testing"

	"northneedle/core/procedure"

	"github.com/stretchr/testify/assert"
)

// The gas is certified to 0.05 (k = 2) and the limit is 0.4: 8 times. A display of coarser steps, which makes the run's own U
// larger, makes the reference no worse.
func TestTheRatioIsTheReferencesOwn(t *testing.T) {
	for _, step := range []float64{0.001, 0.01, 0.5} {
		d := small()
		m := d.Steps[4].(*procedure.Measure)
		m.Resolution, m.Tolerance = step, "±0.4"
		r := signed(t, d).run
		ratio, at := r.LeastRatio()
		assert.InDelta(t, 8, ratio, 0.01)
		assert.Equal(t, "Response gas", at)
	}
	none, at := open(t, small()).run.LeastRatio()
	assert.Zero(t, none)
	assert.Empty(t, at)
}
