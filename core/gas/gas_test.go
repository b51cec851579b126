package gas_test

import (
	"math"
	"testing"

	"northneedle/core/gas"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

var names = []string{"ATP", "ATPS", "ATPD", "BTPS", "STPD", "STPD20", "STPD21", "ATPD20", "ATPD21"}

func condition(t *rapid.T, label string) gas.Condition {
	c, err := gas.Named(rapid.SampledFrom(names).Draw(t, label), rapid.Float64Range(5, 40).Draw(t, "celsius"),
		rapid.Float64Range(500, 1100).Draw(t, "hPa"), rapid.Float64Range(0, 1).Draw(t, "humidity"))
	require.NoError(t, err)
	return c
}

func TestConversionsRoundTrip(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		a, b, c := condition(t, "a"), condition(t, "b"), condition(t, "c")
		there, err := gas.Factor(a, b)
		require.NoError(t, err)
		back, err := gas.Factor(b, a)
		require.NoError(t, err)
		require.InDelta(t, 1, there*back, 1e-12)
		on, err := gas.Factor(b, c)
		require.NoError(t, err)
		direct, err := gas.Factor(a, c)
		require.NoError(t, err)
		require.InEpsilon(t, direct, there*on, 1e-12, "the way round does not matter")
	})
}

func TestVapourRisesWithTemperature(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		low := rapid.Float64Range(0, 49).Draw(t, "celsius")
		a, err := gas.SaturationPressure(low)
		require.NoError(t, err)
		b, err := gas.SaturationPressure(low + rapid.Float64Range(0.01, 1).Draw(t, "more"))
		require.NoError(t, err)
		require.Greater(t, b, a)
	})
}

func TestBodySaturatedIsAlwaysTheLess(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		percent, hpa := rapid.Float64Range(0.1, 100).Draw(t, "percent"), rapid.Float64Range(500, 1100).Draw(t, "hPa")
		dry, err := gas.PartialPressure(percent, hpa, gas.AmbientDry)
		require.NoError(t, err)
		wet, err := gas.PartialPressure(percent, hpa, gas.BodySaturated)
		require.NoError(t, err)
		require.Less(t, wet, dry)
	})
}

func TestLossesOfACylinder(t *testing.T) {
	c := gas.Cylinder{WaterVolumeL: 2, GaugeBar: 60, ReserveBar: 5}
	losses := c.Losses([]gas.Gauged{{Bar: 60}, {Bar: 50, MeteredL: 19}, {Bar: 30, MeteredL: 10},
		{Bar: 29.5, MeteredL: 3}}, 1)
	require.Len(t, losses, 3)
	assert.False(t, losses[0].Flagged, "within one reading of the gauge")
	assert.True(t, losses[1].Flagged)
	assert.InDelta(t, 29.5, losses[1].LostL, 0.1)
	assert.InDelta(t, 39.5, losses[1].UsedL, 0.1)
	assert.Negative(t, losses[2].LostL, "more was metered than left it")
	assert.False(t, losses[2].Flagged)
	assert.Empty(t, c.Losses(nil, 1))
	assert.Zero(t, gas.Cylinder{WaterVolumeL: 2, GaugeBar: 3, ReserveBar: 5}.Usable(), "the reserve is not used")
}

func TestGasRefusesNonsense(t *testing.T) {
	good := gas.Condition{TemperatureC: 20, PressureHPa: 1000, RelativeHumidity: 0.5}
	for name, bad := range map[string]gas.Condition{
		"kPa":         {20, 100, 0.5},
		"percent":     {20, 1000, 50},
		"hot":         {60, 1000, 0.5},
		"no number":   {math.NaN(), 1000, 0.5},
		"no pressure": {20, math.NaN(), 0.5},
	} {
		_, err := gas.Factor(bad, good)
		assert.ErrorContains(t, err, "from:", name)
		_, err = gas.Factor(good, bad)
		assert.ErrorContains(t, err, "to:", name)
	}
	for name, err := range map[string]error{
		"above 100 %": failed(gas.PartialPressure(101, 1000, gas.AmbientDry)),
		"a basis":     failed(gas.PartialPressure(5, 1000, "dry")),
		"a name":      failed(gas.Named("NTP", 20, 1000, 0.5)),
		"no flow":     failed(gas.Cylinder{WaterVolumeL: 2, GaugeBar: 60}.Minutes(0)),
		"water":       failed(gas.WaterDensity(80)),
		"air":         failed(gas.AirDensity(20, 1000, 120)),
		"fractions":   failed(gas.Exchange{VE: 8, TemperatureC: 20, PressureHPa: 1000, FIO2: 20.93, FEO2: 16}.Uptake()),
		"no uptake":   failed(gas.Exchange{VE: 8, TemperatureC: 20, PressureHPa: 1000, FIO2: 0.2, FEO2: 0.2}.Uptake()),
		"no room":     failed(gas.Exchange{VE: 8, TemperatureC: 99, PressureHPa: 1000, FIO2: 0.2, FEO2: 0.16}.Uptake()),
	} {
		assert.Error(t, err, name)
	}
}

func failed[T any](_ T, err error) error { return err }

func TestMixturesAreBetweenTheirGases(t *testing.T) {
	for _, name := range gas.Mixtures() {
		v, err := gas.Viscosity(name)
		require.NoError(t, err)
		assert.True(t, v > 14 && v < 23, "%s: %g µPa·s", name, v)
		same, err := gas.Misread(name, name)
		require.NoError(t, err)
		assert.Equal(t, 1.0, same)
	}
	air, err := gas.Viscosity("air")
	require.NoError(t, err)
	assert.InDelta(t, 18.2, air, 0.15, "of air at 20 °C")
	_, err = gas.Misread("xenon", "air")
	assert.ErrorContains(t, err, "xenon")
}

func TestCarboxyhaemoglobinRisesWithCarbonMonoxide(t *testing.T) {
	before := -1.0
	for _, ppm := range []float64{0, 6, 20, 50, 200, 500} {
		share, err := gas.Carboxyhaemoglobin(ppm, 1013.25)
		require.NoError(t, err)
		assert.Greater(t, share, before)
		before = share
	}
	at10, _ := gas.Carboxyhaemoglobin(10, 1013.25)
	assert.InDelta(t, 1.55, at10, 0.15, "about 0.16 % a ppm at low levels")
	_, err := gas.Carboxyhaemoglobin(-1, 1013)
	assert.Error(t, err)
}
