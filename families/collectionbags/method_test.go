package collectionbags_test

import (
	"northneedle/core/procedure"
	"northneedle/core/reference"
	"northneedle/families/collectionbags"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func TestAMetersCorrectionGivesTheDeliveredVolumeBack(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		dead := rapid.Float64Range(-0.5, 0.5).Draw(t, "dead space")
		gain := rapid.SampledFrom([]float64{1, 0.97, 1.04}).Draw(t, "gain")
		var delivered, shown []float64
		for i := range 4 {
			v := 3.0 * float64(i+1)
			delivered = append(delivered, v)
			shown = append(shown, v*gain+dead+0.002*float64(i%2))
		}
		c, err := collectionbags.MeterCorrection(delivered, shown)
		require.NoError(t, err)
		require.True(t, gain == 1 || c.GainFound)
		for i := range shown {
			volume, u, err := c.Apply(shown[i], 0, 0.001)
			require.NoError(t, err)
			require.InDelta(t, delivered[i], volume, 0.02)
			require.Positive(t, u)
		}
	})
	_, err := collectionbags.MeterCorrection([]float64{3, 6}, []float64{3.2, 6.2})
	assert.ErrorContains(t, err, "three volumes")
}

func TestFillsOfASyringe(t *testing.T) {
	syringe := reference.Certified{Quantity: "volume", Value: 3.001, Unit: "L", U: 0.012, K: 2}
	out, err := collectionbags.Catalogue.Methods["syringe-fills"].Evaluate(procedure.Input{
		Target:    9,
		Unit:      "L",
		Shown:     "L",
		Certified: []reference.Certified{syringe},
		Readings:  []float64{9.2},
	})
	require.NoError(t, err)
	assert.InDelta(t, 9.003, out.Reference, 1e-9)
	assert.InDelta(t, 3, *out.Terms[0].Sensitivity, 1e-9, "every stroke carries the same error")
	_, err = collectionbags.Catalogue.Methods["syringe-fills"].Evaluate(procedure.Input{
		Target:    1,
		Unit:      "L",
		Shown:     "L",
		Certified: []reference.Certified{syringe},
	})
	assert.ErrorContains(t, err, "less than one stroke")
	syringe.U = 0
	_, err = collectionbags.Catalogue.Methods["syringe-fills"].Evaluate(procedure.Input{
		Target:    9,
		Unit:      "L",
		Shown:     "L",
		Certified: []reference.Certified{syringe},
	})
	assert.ErrorContains(t, err, "no uncertainty")
}
