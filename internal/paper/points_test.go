package paper

import (
	"math"
	"strconv"
	"strings"
	"testing"

	"northneedle/core/run"
	"northneedle/core/runview"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// Whoever subtracts the printed reference from the printed reading finds the printed error, to the last digit; and that
// is the true error but for the rounding.
func TestRowsAddUpAsPrinted(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		resolution := rapid.SampledFrom([]float64{0.001, 0.002, 0.01, 0.05, 0.1, 0.2, 0.5, 1, 5, 50}).Draw(t, "resolution")
		reference := rapid.Float64Range(-500, 500).Draw(t, "reference")
		indicated := reference + rapid.Float64Range(-20, 20).Draw(t, "error")
		if rapid.Bool().Draw(t, "one reading") {
			indicated = math.Round(indicated/resolution) * resolution
		}
		v := &runview.VerdictView{Verdict: run.Verdict{Reference: reference, Indicated: indicated, Error: indicated - reference}}
		r, s, e := figures(runview.MeasureView{Resolution: resolution}, v)
		number := func(text string) float64 {
			n, err := strconv.ParseFloat(strings.NewReplacer("−", "-", "+", "").Replace(text), 64)
			require.NoError(t, err)
			return n
		}
		require.InDelta(t, number(s)-number(r), number(e), 1e-9, "%s − %s = %s", s, r, e)
		require.InDelta(t, v.Error, number(e), 1.01*resolution/10)
	})
}
