package quantity_test

import (
	"math"
	"testing"

	"northneedle/core/quantity"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func TestConvert(t *testing.T) {
	for _, c := range []struct {
		value    float64
		from, to string
		want     float64
	}{
		{760, "mm[Hg]", "hPa", 1013.250144354},
		{37, "Cel", "K", 310.15},
		{98.6, "[degF]", "Cel", 37},
		{1, "L/min", "mL/s", 1000.0 / 60},
		{5, "%{vol}", "[ppm]", 50000},
		{10, "cm[H2O]", "Pa", 980.665},
		{70, "kg", "[lb_av]", 154.323583529},
		{12, "{breath}/min", "/min", 12},
		{1, "m.s-2", "m/s2", 1},
		{30, "dB", "B", 3},
	} {
		got, err := quantity.Convert(c.value, c.from, c.to)
		require.NoError(t, err, c.from)
		assert.InEpsilon(t, c.want, got, 1e-9, "%g %s in %s", c.value, c.from, c.to)
	}
}

func TestConvertRefusesOtherDimensions(t *testing.T) {
	for _, c := range [][2]string{{"kg", "L"}, {"mm[Hg]", "%"}, {"dB", "%"}, {"dB[SPL]", "dB"}, {"[pH]", "1"},
		{"Cel", "Pa"}} {
		_, err := quantity.Convert(1, c[0], c[1])
		assert.ErrorContains(t, err, "different things", "%v", c)
	}
}

func TestUnitErrorsNameThePart(t *testing.T) {
	for code, part := range map[string]string{
		"":          "empty",
		"furlong/h": "furlong",
		"mL{x":      "not closed",
		"m[Hg":      "m[Hg",
		"/":         "names no unit",
		"s99":       "exponent",
	} {
		_, err := quantity.ParseUnit(code)
		assert.ErrorContains(t, err, part, code)
	}
}

func TestParseNumber(t *testing.T) {
	for text, want := range map[string]float64{"4.71": 4.71, "4,71": 4.71, " −0,5 ": -0.5, "+12": 12, "1e-3": 0.001} {
		got, err := quantity.ParseNumber(text)
		require.NoError(t, err, text)
		assert.Equal(t, want, got, text)
	}
	for text, words := range map[string]string{
		"":      "nothing was typed",
		"4,7.1": "both a comma and a point",
		"1.2.3": "more than one decimal mark",
		"abc":   "not a number",
		"Inf":   "not a number",
		"1e999": "not a number",
		"0x10":  "not a number",
	} {
		_, err := quantity.ParseNumber(text)
		assert.ErrorContains(t, err, words, text)
	}
}

func TestFormat(t *testing.T) {
	assert.Equal(t, "4.71", quantity.Format(4.7123, 0.01))
	assert.Equal(t, "−0.5", quantity.Format(-0.46, 0.5))
	assert.Equal(t, "0.0", quantity.Format(-0.04, 0.1))
	assert.Equal(t, "+0.31", quantity.FormatSigned(0.31, 0.01))
	assert.Equal(t, "0.00", quantity.FormatSigned(0.001, 0.01))
	assert.Equal(t, "120.05", quantity.Format(120.06, 0.05))
	assert.Equal(t, "not defined", quantity.Format(math.NaN(), 0.1))
}

func TestConversionRoundTrips(t *testing.T) {
	groups := [][]string{{"mm[Hg]", "kPa", "hPa", "cm[H2O]", "bar", "[psi]"}, {"kg", "g", "[lb_av]"},
		{"Cel", "K", "[degF]"}, {"%{vol}", "[ppm]", "1"}, {"L/min", "mL/h", "L/s"}}
	rapid.Check(t, func(t *rapid.T) {
		group := rapid.SampledFrom(groups).Draw(t, "group")
		a, b := rapid.SampledFrom(group).Draw(t, "from"), rapid.SampledFrom(group).Draw(t, "to")
		value := rapid.Float64Range(-1e4, 1e4).Draw(t, "value")
		there, err := quantity.Convert(value, a, b)
		require.NoError(t, err)
		back, err := quantity.Convert(there, b, a)
		require.NoError(t, err)
		require.InDelta(t, value, back, 1e-8*math.Max(1, math.Abs(value)))
	})
}

func FuzzParse(f *testing.F) {
	for _, seed := range []string{"5,02 %{vol}", "0.5 L/min", "-3", "1e5 m[Hg]", "7 s-2", "−1 [", "1 {", "..", "9 k",
		"1 m.[x]/{y}2"} {
		f.Add(seed)
	}
	f.Fuzz(func(t *testing.T, text string) {
		q, err := quantity.Parse(text)
		if err != nil {
			return
		}
		again, err := quantity.Parse(q.String())
		require.NoError(t, err, "%q was read as %q", text, q)
		require.Equal(t, q.Value, again.Value)
		require.True(t, q.Unit.Same(again.Unit))
	})
}

func TestParseTable(t *testing.T) {
	for text, want := range map[string][][]float64{
		"5,02\t4,71\r\n10,04\t9,40\n":    {{5.02, 4.71}, {10.04, 9.4}},
		"reference;shown\n1;2\n\n3;4;\n": {{1, 2}, {3, 4}},
		"  1 2  3\n 4   5 6 ":            {{1, 2, 3}, {4, 5, 6}},
	} {
		got, err := quantity.ParseTable(text, 2)
		require.NoError(t, err, text)
		assert.Equal(t, want, got)
	}
	for text, words := range map[string]string{
		"":           "no number",
		"a b\nc d":   "line 2, column 1",
		"1 2\n3":     "line 2 has 1 numbers",
		"1 2\n3 4 5": "the lines before it have 2",
		"1 2\n3 x":   "line 2, column 2",
		"1;2\n3;NaN": "line 2, column 2",
	} {
		_, err := quantity.ParseTable(text, 2)
		assert.ErrorContains(t, err, words, text)
	}
}

func FuzzParseTable(f *testing.F) {
	for _, seed := range []string{"1 2\n3 4", "a;b\n1;2", "1\t\t2", ";;;", "\r\r1 2"} {
		f.Add(seed)
	}
	f.Fuzz(func(t *testing.T, text string) {
		rows, err := quantity.ParseTable(text, 1)
		if err != nil {
			return
		}
		require.NotEmpty(t, rows)
		for _, row := range rows {
			require.Len(t, row, len(rows[0]))
			for _, v := range row {
				require.False(t, math.IsNaN(v) || math.IsInf(v, 0))
			}
		}
	})
}

func TestConcentrationsGoOverTheMolarMass(t *testing.T) {
	v, err := quantity.Concentration(100, "mg/dL", "mmol/L", "glucose")
	require.NoError(t, err)
	assert.InDelta(t, 5.551, v, 0.001)
	for _, analyte := range quantity.Analytes() {
		there, err := quantity.Concentration(3.7, "mmol/L", "mg/dL", analyte)
		require.NoError(t, err)
		back, err := quantity.Concentration(there, "mg/dL", "mmol/L", analyte)
		require.NoError(t, err)
		assert.InDelta(t, 3.7, back, 1e-12)
	}
	_, err = quantity.Concentration(1, "mg/dL", "mmol/L", "water of life")
	assert.ErrorContains(t, err, "not known")
	_, err = quantity.Concentration(1, "kPa", "mmol/L", "glucose")
	assert.Error(t, err)
}
