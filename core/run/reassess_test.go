package run_test

import (
	"math"
	"slices"
	"testing"

	"northneedle/core/run"

	"northneedle/core/adjust"
	"northneedle/core/procedure"
	"northneedle/core/reference"
	"northneedle/core/runview"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func TestAReferenceThatWasOffChangesWhatRestedOnIt(t *testing.T) {
	r := signed(t, small()).run // read 5.02 against a certified 5.00
	known := reference.ReferenceError{Standard: "s1", Quantity: "CO2", Error: -0.45, U: 0.06, Unit: "%{vol}", Remove: true}
	seen, err := r.Reassess(known)
	require.NoError(t, err)
	require.Len(t, seen, 1, "room air did not rest on the cylinder")
	p := seen[0]
	assert.Equal(t, "gas", p.Point)
	assert.InDelta(t, 0.02, p.Before.Error, 1e-9)
	assert.InDelta(t, 0.47, p.After.Error, 1e-9, "there was less in it: the device reads too high")
	assert.True(t, p.Changed)
	assert.Contains(t, runview.ReassessedWords(p), "was accepted, is not accepted")

	known.Remove = false
	wide, err := r.Reassess(known)
	require.NoError(t, err)
	require.Len(t, wide, 1)
	assert.InDelta(t, p.Before.Error, wide[0].After.Error, 1e-9, "the error stays; only U grows")
	assert.Greater(t, wide[0].After.U, 3*p.Before.U)

	other := known
	other.Standard = "s9"
	none, err := r.Reassess(other)
	require.NoError(t, err)
	assert.Empty(t, none, "it was not used")
	other = known
	other.Quantity = "O2"
	none, err = r.Reassess(other)
	require.NoError(t, err)
	assert.Empty(t, none, "another of its quantities")

	view := runview.Of(r, r.Signature.At)
	assert.Equal(t, run.Conforms, view.Result, "the record itself stays as it is")
}

func TestAsLeftIsReconsideredToo(t *testing.T) {
	b := open(t, small()).prepared().found("5.45")
	b.do(run.DecideFinding{Finding: "verdict", Decision: adjust.Adjust},
		run.MakeAdjustment{Finding: "verdict", Control: "span", Steps: -16})
	b.do(b.read("zero", "0.04"))
	b.do(b.read("gas", "5.01"))
	b.do(run.ClosePhase{Finding: "verdict"})
	seen, err := b.run.Reassess(reference.ReferenceError{
		Standard: "s1",
		Quantity: "CO2",
		Error:    0.3,
		U:        0.05,
		Unit:     "%{vol}",
		Remove:   true,
	})
	require.NoError(t, err)
	require.Len(t, seen, 2)
	assert.Equal(t, []run.Phase{run.AsFound, run.AsLeft}, []run.Phase{seen[0].Phase, seen[1].Phase})
	assert.True(t, seen[0].Changed, "as found it was right after all")
}

func TestWhatIsKnownMustBeSomething(t *testing.T) {
	good := reference.ReferenceError{Standard: "s", Quantity: "CO2", Error: 0.1, U: 0.1, Unit: "%{vol}"}
	require.NoError(t, good.Check())
	for name, spoil := range map[string]func(*reference.ReferenceError){
		"no reference":   func(k *reference.ReferenceError) { k.Standard = "" },
		"no quantity":    func(k *reference.ReferenceError) { k.Quantity = "" },
		"no error":       func(k *reference.ReferenceError) { k.Error = 0 },
		"no number":      func(k *reference.ReferenceError) { k.Error = math.NaN() },
		"no uncertainty": func(k *reference.ReferenceError) { k.U = 0 },
		"no unit":        func(k *reference.ReferenceError) { k.Unit = "furlong per" },
	} {
		k := good
		spoil(&k)
		assert.Error(t, k.Check(), name)
		_, err := signed(t, small()).run.Reassess(k)
		assert.Error(t, err, name)
	}
}

func TestTakingAnErrorOutMovesEveryPointByIt(t *testing.T) {
	r := signed(t, small()).run
	rapid.Check(t, func(t *rapid.T) {
		e := rapid.Float64Range(-1, 1).Draw(t, "error")
		if e == 0 {
			return
		}
		seen, err := r.Reassess(reference.ReferenceError{
			Standard: "s1",
			Quantity: "CO2",
			Error:    e,
			U:        0.05,
			Unit:     "%{vol}",
			Remove:   true,
		})
		require.NoError(t, err)
		for _, p := range seen {
			require.InDelta(t, p.Before.Error-e, p.After.Error, 1e-9)
		}
	})
}

func TestAnEstimateCoversEveryStep(t *testing.T) {
	h := procedure.DefaultHandlingTimes
	e := compiled(t, small()).Estimate(h)
	assert.InDelta(t, 5, e.Wait, 1e-9, "the warm-up")
	assert.InDelta(t, h.Bring+2*h.Step, e.Setup, 1e-9, "bring, cautions and the casing")
	assert.InDelta(t, h.Record+h.Step+2*h.Typed+h.Finding+2*h.Step+h.Sign, e.Finish, 1e-9)
	p := small()
	p.Steps = slices.Delete(p.Steps, 0, 2)
	without := compiled(t, p).Estimate(h)
	assert.Zero(t, without.Wait)
	assert.Zero(t, without.Finish, "without a wait it is one piece of work")
	assert.InDelta(t, e.Total()-5-h.Step, without.Total(), 1e-9)
}
