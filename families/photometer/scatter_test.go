package photometer_test

import (
	"math/rand/v2"
	"testing"

	"northneedle/core/procedure"
	"northneedle/families/photometer"

	"github.com/stretchr/testify/assert"
)

// levels are the points of a read-back, each off by a share.
func levels(off ...float64) procedure.FindingInput {
	var in procedure.FindingInput
	for i, multiple := range []float64{1, 2, 4, 6} {
		share, _ := photometer.EffectiveLevel(multiple, 1000, 10)
		level := 5.61 * share
		in.Points = append(in.Points, procedure.JudgedPoint{Label: "level", Measure: "levels", With: map[string]float64{"multiple": multiple},
			Reference: level, Error: level * off[i], U: 0.01 * level, ErrorToLimit: off[i] / 0.05, Pass: true})
	}
	return in
}

// Drops on the tip are scatter, whatever they add up to: what would be calibrated away with them is nothing of the analyser's.
func TestScatterIsLookedForBeforeAnOffset(t *testing.T) {
	read := photometer.Catalogue.Patterns["photometry"].Read
	assert.Equal(t, "scatter", read(levels(-0.121, 0, -0.08, -0.013)).Shape)
	random := rand.New(rand.NewPCG(3, 5))
	named := map[string]int{}
	for range 5000 {
		off := make([]float64, 4)
		for i := range off {
			off[i] = -0.14 * random.Float64()
		}
		d := read(levels(off...))
		named[d.Shape]++
		if d.Shape == "offset" || d.Shape == "factor" {
			continue
		}
		assert.True(t, d.Investigate || d.Shape == "none", d.Words)
	}
	assert.Less(t, named["offset"], 5000*2/100, "%v", named)
	// What is an offset, a factor or a bend is still named so.
	offset := levels(0, 0, 0, 0)
	for i := range offset.Points {
		offset.Points[i].Error = 0.42
	}
	assert.Equal(t, "offset", read(offset).Shape)
	suspect := read(levels(-0.09, -0.091, -0.09, -0.089))
	assert.Equal(t, "factor", suspect.Shape)
	assert.True(t, suspect.Investigate, "one calibrator that may have aged is not what one calibrates by")
	assert.Len(t, suspect.Lines, 4)
}
