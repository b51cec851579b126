package photometer_test

import (
	"math"
	"northneedle/families/photometer"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestADilutionPlanChoosesPipettesAndKnowsTheRealLevel(t *testing.T) {
	pipettes := []photometer.Pipette{{Tag: "PP-1", From: 10, To: 100, U: 0.8}, {Tag: "PP-2", From: 100, To: 1000, U: 4},
		{Tag: "PP-0", From: 2, To: 20, U: 0.2}}
	plan, err := photometer.DilutionPlan(5.61, 1000, 10, 5, []float64{1, 2, 4, 6}, pipettes)
	require.NoError(t, err)
	require.Len(t, plan, 5)
	assert.Zero(t, plan[0].Level, "a blank comes first")
	for i, c := range plan[1:] {
		share, err := photometer.EffectiveLevel(c.Multiple, 1000, 10)
		require.NoError(t, err)
		assert.InDelta(t, 5.61*share, c.Level, 1e-12)
		assert.Equal(t, []string{"PP-0", "PP-0", "PP-1", "PP-1"}[i], c.SampleBy)
		assert.Equal(t, "PP-2", c.ReagentBy)
	}
	assert.InDelta(t, 100*math.Hypot(1000./1010*0.2/10, 4./1010), plan[1].UPercent, 1e-9)
	assert.Less(t, plan[4].UPercent, plan[3].UPercent, "a larger volume is pipetted better")
	for words, bad := range map[string][]photometer.Pipette{"no pipette covers": {{Tag: "PP-2", From: 100, To: 1000,
		U: 4}}, "needs a range": {{Tag: "PP-9"}}} {
		_, err := photometer.DilutionPlan(5.61, 1000, 10, 5, []float64{1}, bad)
		assert.ErrorContains(t, err, words)
	}
}
