package economics_test

import (
	"testing"

	"northneedle/core/economics"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

var capnograph = economics.Case{
	Use:         economics.Decision,
	TUR:         4,
	LeastTUR:    3,
	PerYear:     1,
	Accredited:  380,
	InHouse:     90,
	Failures:    0.3,
	Repair:      400,
	Replacement: 3200,
	Remaining:   5,
	Life:        8,
}

func TestWhatToDoWithADevice(t *testing.T) {
	for name, c := range map[string]struct {
		change func(*economics.Case)
		take   string
		says   string
	}{
		"in house is enough": {func(*economics.Case) {}, "in house", "Accredited would cost"},
		"a customer demands": {func(c *economics.Case) { c.Demanded = true }, "accredited",
			"In house will not do: an accredited certificate is demanded"},
		"others rest on it": {func(c *economics.Case) { c.Use = economics.Reference }, "accredited",
			"itself a reference"},
		"the ratio is too low": {func(c *economics.Case) { c.TUR = 2 }, "accredited", "2.0 times the U of its reference; 3.0 are wanted"},
		"it only shows": {func(c *economics.Case) { c.TUR, c.Use = 1, economics.Indication }, "in house",
			"worth asking"},
		"it can be done without": {func(c *economics.Case) { c.Without = 150 }, "do without", "Do without it: 150 a year."},
		"without is dearer":      {func(c *economics.Case) { c.Without = 5000 }, "in house", "Doing without would cost 5000"},
		"it fails every month":   {func(c *economics.Case) { c.Failures = 12 }, "replace", "Replace it"},
		"its life is over":       {func(c *economics.Case) { c.Remaining = 0 }, "replace", "its life is over"},
	} {
		t.Run(name, func(t *testing.T) {
			it := capnograph
			c.change(&it)
			a, err := economics.Weigh(it)
			require.NoError(t, err)
			assert.Equal(t, c.take, a.Take, a.Sentence)
			assert.Contains(t, a.Sentence, c.says)
		})
	}
	for _, bad := range []func(*economics.Case){func(c *economics.Case) { c.Life = 0 },
		func(c *economics.Case) { c.Repair = -1 }, func(c *economics.Case) { c.Use = "" }} {
		it := capnograph
		bad(&it)
		_, err := economics.Weigh(it)
		assert.Error(t, err)
	}
}

func TestWhatIsTakenIsNeverDearerThanWhatWouldDo(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		price := func(name string) float64 { return rapid.Float64Range(0, 5000).Draw(t, name) }
		c := economics.Case{Use: rapid.SampledFrom([]economics.Use{economics.Reference, economics.Decision,
			economics.Indication}).Draw(t, "use"), Demanded: rapid.Bool().Draw(t, "demanded"),
			TUR: rapid.Float64Range(0, 10).Draw(t, "tur"), LeastTUR: 3,
			PerYear:    rapid.Float64Range(0, 4).Draw(t, "per year"),
			Accredited: price("accredited"), InHouse: price("in house"),
			Failures: rapid.Float64Range(0, 5).Draw(t, "failures"), Repair: price("repair"),
			Replacement: price("replacement"), Remaining: rapid.Float64Range(0, 10).Draw(t, "remaining"),
			Life: rapid.Float64Range(1, 15).Draw(t, "life")}
		a, err := economics.Weigh(c)
		require.NoError(t, err)
		taken := 0.0
		for _, o := range a.Options {
			if o.Name == a.Take {
				require.Empty(t, o.Not)
				taken = o.Yearly
			}
		}
		for _, o := range a.Options {
			require.True(t, o.Not != "" || taken <= o.Yearly)
		}
	})
}

func TestARecordFillsInWhatItKnowsAndSaysFromWhere(t *testing.T) {
	c, from := economics.Record{
		Risk:     4,
		Days:     365,
		TUR:      4.2,
		LeastTUR: 3,
		Failures: 3,
		Years:    2,
		Hours:    1.5,
		Hour:     60,
		Outside:  380,
		Paid:     3200,
	}.Case()
	require.Equal(t, economics.Decision, c.Use)
	require.InDelta(t, 1.0007, c.PerYear, 1e-4)
	require.InDelta(t, 1.5, c.Failures, 1e-12)
	require.InDelta(t, 90, c.InHouse, 1e-12)
	require.Zero(t, c.Replacement-3200)
	require.Len(t, from, 8, "each figure says where it comes from")

	young, from := economics.Record{Risk: 1, LeastTUR: 3, Failures: 1, Years: 0.1}.Case()
	require.Equal(t, economics.Indication, young.Use)
	require.Zero(t, young.Failures, "too short a record for a rate")
	require.Zero(t, young.TUR)
	require.Len(t, from, 2)

	reference, _ := economics.Record{Compares: true, Risk: 3}.Case()
	require.Equal(t, economics.Reference, reference.Use)
}
