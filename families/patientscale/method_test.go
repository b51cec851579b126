package patientscale_test

import (
	"fmt"
	"math"
	"northneedle/core/procedure"
	"northneedle/core/reference"
	"northneedle/families/patientscale"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// loads are a scale's points, with an error in kg by the load, and by corner.
func loads(e func(load float64) float64, corners [4]float64, empty float64) procedure.FindingInput {
	at := func(label string, load, err float64, with map[string]float64) procedure.JudgedPoint {
		return procedure.JudgedPoint{
			Label:        label,
			Reference:    load,
			Error:        err,
			U:            0.01,
			ErrorToLimit: err / 0.1,
			With:         with,
		}
	}
	c := procedure.FindingInput{Points: []procedure.JudgedPoint{at("10 %", 20, e(20), nil), at("25 %", 50, e(50), nil),
		at("50 %", 100, e(100), nil), at("empty", 0, empty, map[string]float64{"empty": 1})}}
	for i, name := range []string{"front left", "front right", "rear right", "rear left"} {
		c.Points = append(c.Points, at(name, 66, corners[i]+e(66), map[string]float64{"corner": 1}))
	}
	return c
}

func TestWhatLoadsLookLike(t *testing.T) {
	share := func(percent float64) func(float64) float64 {
		return func(load float64) float64 { return load * percent / 100 }
	}
	ridge := map[string]float64{
		"adjusted_latitude": 56.2,
		"adjusted_height":   10,
		"used_latitude":     56.2,
		"used_height":       1240,
	}
	moved, err := patientscale.Moved(patientscale.Spot{LatitudeDeg: 56.2, HeightM: 10},
		patientscale.Spot{LatitudeDeg: 56.2, HeightM: 1240})
	require.NoError(t, err)
	for name, x := range map[string]struct {
		c           procedure.FindingInput
		plate       map[string]float64
		shape       string
		investigate bool
	}{
		"a corner": {loads(share(0), [4]float64{0, 0, 0.4, 0.01}, 0), nil, "corner", true},
		"zero":     {loads(share(0), [4]float64{}, 0.2), nil, "zero", true},
		"gravity":  {loads(share(moved), [4]float64{}, 0), ridge, "gravity", false},
		"span":     {loads(share(0.3), [4]float64{}, 0), ridge, "span", false},
		"no reason": {loads(func(load float64) float64 { return 0.03 * (load/50 - 1) }, [4]float64{}, 0), nil, "load",
			false},
	} {
		t.Run(name, func(t *testing.T) {
			x.c.Plate = x.plate
			seen, ok := patientscale.Catalogue.Patterns["load"].Diagnose(x.c)
			require.True(t, ok)
			assert.Equal(t, x.shape, seen.Shape, seen.Words)
			assert.Equal(t, x.investigate, seen.Investigate)
		})
	}
}

func TestTheBestWeightsOfAKitAreTaken(t *testing.T) {
	kit := func(masses ...float64) (all []reference.Certified) {
		for _, m := range masses {
			all = append(all, reference.Certified{
				Quantity: "mass",
				Piece:    fmt.Sprintf("%g kg", m),
				Value:    m,
				Unit:     "kg",
				U:        1e-5,
				K:        2,
			})
		}
		return all
	}
	load := func(target float64, masses ...float64) procedure.Outcome {
		out, err := patientscale.Catalogue.Methods["weights"].Evaluate(procedure.Input{
			Target:    target,
			Unit:      "kg",
			Shown:     "kg",
			Certified: kit(masses...),
		})
		require.NoError(t, err)
		return out
	}
	assert.Equal(t, "Load 2 × 5 kg", load(10, 6, 5, 5).Do, "the heaviest first would end at 11 kg")
	assert.Equal(t, "Load 20 kg + 5 kg", load(25, 20, 10, 10, 5, 5).Do)
	assert.Equal(t, "Load 2 × 20 kg + 10 kg", load(50, 20, 20, 20, 20, 20, 10, 5, 5, 2, 2, 1).Do,
		"no more pieces than it takes")
	rapid.Check(t, func(rt *rapid.T) {
		masses := rapid.SliceOfN(rapid.SampledFrom([]float64{0.5, 1, 2, 3, 5, 7, 10, 20}), 1, 8).Draw(rt, "kit")
		target := rapid.Float64Range(0, 60).Draw(rt, "target")
		best := math.Inf(1)
		for subset := range 1 << len(masses) {
			sum := 0.0
			for i, m := range masses {
				if subset&(1<<i) != 0 {
					sum += m
				}
			}
			best = math.Min(best, math.Abs(sum-target))
		}
		require.InDelta(rt, best, math.Abs(load(target, masses...).Reference-target), 1e-3, "no subset comes nearer")
	})
}

// A piece that was found light makes every load lighter that it was in, by what it is light; which pieces were loaded stays
// as it was, also where another of the kit would come nearer now.
func TestAPieceFoundLightIsStillThePieceThatWasLoaded(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		masses := rapid.SliceOfNDistinct(rapid.SampledFrom([]float64{0.5, 1, 2, 3, 5, 7, 10, 20}), 2, 8,
			rapid.ID[float64]).Draw(t, "kit")
		var kit []reference.Certified
		for _, m := range masses {
			kit = append(kit, reference.Certified{Quantity: "mass", Piece: fmt.Sprintf("%g kg", m), Value: m, Unit: "kg",
				U: 1e-5, K: 2})
		}
		which := rapid.IntRange(0, len(kit)-1).Draw(t, "which")
		by := rapid.Float64Range(-400, 400).Draw(t, "by") // g
		if math.Abs(by) < 1 {
			return
		}
		found := reference.ReferenceError{Standard: "s", Quantity: "mass", Piece: kit[which].Piece, Error: by, U: 0.1, Unit: "g",
			Remove: true}
		known, err := found.Lines(kit)
		require.NoError(t, err)
		in := procedure.Input{Target: rapid.Float64Range(0, 40).Draw(t, "load"), Unit: "kg", Shown: "kg"}
		evaluate := func(kit []reference.Certified) procedure.Outcome {
			in.Certified = kit
			out, err := patientscale.Catalogue.Methods["weights"].Evaluate(in)
			require.NoError(t, err)
			return out
		}
		before, after := evaluate(kit), evaluate(known)
		require.Equal(t, before.Do, after.Do)
		part := 0.0
		if slices.Contains(strings.Split(strings.TrimPrefix(before.Do, "Load "), " + "), kit[which].Piece) {
			part = by / 1000
		}
		require.InDelta(t, before.Reference+part, after.Reference, 1e-9)
	})
}

func TestChangeoverReadsFinerThanTheDivision(t *testing.T) {
	// A scale of 0.1 kg that would show 50.03 shows 50.0 and changes after 20 g more.
	v, step, err := patientscale.Changeover("50,0 + 0,02", 0.1)
	require.NoError(t, err)
	assert.InDelta(t, 50.03, v, 1e-12)
	assert.InDelta(t, 0.01, step, 1e-12)
	for _, bad := range []string{"50.0 + 0.2", "50.0 + -0.01", "x + 0.01", "50.0 +", "+"} {
		_, _, err := patientscale.Changeover(bad, 0.1)
		assert.Error(t, err, bad)
	}
	typed := patientscale.Catalogue.Methods["weights"].Typed
	for _, plain := range []string{"+50.0", "50.0"} {
		_, own, err := typed(plain, 0.1)
		require.NoError(t, err)
		assert.False(t, own, "%s is an ordinary number", plain)
	}
	read, own, err := typed("50.0 + 0.02", 0.1)
	require.NoError(t, err)
	assert.True(t, own)
	assert.InDelta(t, 0.01, read.Step, 1e-12)
}

// A kit that is too small for the scale is said, point by point: no other load is taken for the one that is asked for.
func TestAKitThatIsTooSmallIsSaid(t *testing.T) {
	var kit []reference.Certified
	for _, kg := range []float64{20, 20, 20, 20, 20, 10, 5, 5, 2, 2, 1} {
		kit = append(kit, reference.Certified{Quantity: "mass", Piece: "piece", Value: kg, Unit: "kg", U: kg * 1.6e-5, K: 2})
	}
	at := func(capacity, target float64) error {
		_, err := patientscale.Catalogue.Methods["weights"].Evaluate(procedure.Input{Target: target, Unit: "kg", Shown: "[lb_av]",
			Certified: kit, Plate: map[string]float64{"capacity": capacity, "division": 0.1}})
		return err
	}
	for _, share := range []float64{0, 0.1, 0.25, 0.333, 0.5} {
		assert.NoError(t, at(200, share*200), "%g of 200 kg", share)
	}
	assert.NoError(t, at(600, 60))
	for _, target := range []float64{150, 300, 600} {
		assert.ErrorContains(t, at(600, target), "the kit carries 125 kg, and this point needs")
	}
	assert.ErrorContains(t, at(5, 0.5), "bring smaller pieces")
}
