package reference_test

import (
	"testing"
	"time"

	"northneedle/core/reference"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// Two years after a certificate of 5.10 ± 0.05 (k = 2) that allows 0.02 a year, a laboratory finds it with U = 0.03: it may be
// off by 2 × 0.02 + √(0.05² + 0.03²) = 0.0983.
func TestWhatWasFoundIsHeldAgainstTheCertificateOfBefore(t *testing.T) {
	on := time.Date(2024, 3, 1, 0, 0, 0, 0, time.UTC)
	before := []reference.Certified{
		{Quantity: "CO2", Value: 5.1, Unit: "%{vol}", U: 0.05, K: 2, DriftPerYear: 0.02},
		{Quantity: "mass", Piece: "10 kg A", Value: 10.0002, Unit: "kg", U: 0.00024, K: 3},
		{Quantity: "flow", From: 0, To: 10, Unit: "L/min", U: 0.1, K: 2},
	}
	later := on.AddDate(2, 0, 0).Add(12 * time.Hour)
	for _, c := range []struct {
		found   reference.AsFound
		by      float64
		allowed float64
		held    bool
	}{
		{reference.AsFound{Quantity: "CO2", Value: 5.02, U: 0.03}, -0.08, 0.0983, true},
		{reference.AsFound{Quantity: "CO2", Value: 4.99, U: 0.03}, -0.11, 0.0983, false},
		{reference.AsFound{Quantity: "mass", Piece: "10 kg A", Value: 10.0005, U: 0.00012}, 0.0003, 0.0002, false}, // k = 3 is brought to 2
	} {
		m, err := reference.Compare(c.found, before, on, later)
		require.NoError(t, err)
		assert.InDelta(t, c.by, m.By, 1e-9)
		assert.InDelta(t, c.allowed, m.Allowed, 5e-5)
		assert.Equal(t, c.held, m.Held, "%+v", c.found)
	}
	five, beyond := 5.0, 12.0
	for _, at := range []*float64{nil, &beyond} {
		_, err := reference.Compare(reference.AsFound{Quantity: "flow", At: at, Value: 5, U: 0.1}, before, on, later)
		assert.ErrorContains(t, err, "no range around what it should be")
	}
	m, err := reference.Compare(reference.AsFound{Quantity: "flow", At: &five, Value: 5.2, U: 0.1}, before, on, later)
	require.NoError(t, err)
	assert.InDelta(t, 0.2, m.By, 1e-9)
	assert.InDelta(t, 0.1414, m.Allowed, 5e-5, "no drift is stated")
	assert.False(t, m.Held)
}

// The longer ago and the less certain, the more it may have moved; and the unit it is stated in changes nothing.
func TestWhatAReferenceMayHaveMovedBy(t *testing.T) {
	on := time.Date(2024, 3, 1, 0, 0, 0, 0, time.UTC)
	rapid.Check(t, func(t *rapid.T) {
		line := reference.Certified{Quantity: "CO2", Value: rapid.Float64Range(1, 10).Draw(t, "value"), Unit: "%{vol}",
			U: rapid.Float64Range(0.001, 0.1).Draw(t, "u"), K: rapid.SampledFrom([]float64{2, 3}).Draw(t, "k"),
			DriftPerYear: rapid.Float64Range(0.001, 0.1).Draw(t, "drift")}
		found := reference.AsFound{Quantity: "CO2", Value: line.Value + rapid.Float64Range(-0.3, 0.3).Draw(t, "by"),
			U: rapid.Float64Range(0.001, 0.1).Draw(t, "u found")}
		days := rapid.IntRange(1, 2000).Draw(t, "days")
		m, err := reference.Compare(found, []reference.Certified{line}, on, on.AddDate(0, 0, days))
		require.NoError(t, err)
		longer, err := reference.Compare(found, []reference.Certified{line}, on, on.AddDate(0, 0, days+100))
		require.NoError(t, err)
		require.Greater(t, longer.Allowed, m.Allowed)
		require.GreaterOrEqual(t, m.Allowed, found.U)
		in := line
		in.Value, in.U, in.DriftPerYear = line.Value*1e4, line.U*1e4, line.DriftPerYear*1e4
		same, err := reference.Compare(reference.AsFound{Quantity: "CO2", Value: found.Value * 1e4, U: found.U * 1e4},
			[]reference.Certified{in}, on, on.AddDate(0, 0, days))
		require.NoError(t, err)
		require.InDelta(t, m.Allowed*1e4, same.Allowed, 1e-6)
	})
}
