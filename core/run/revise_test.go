package run_test

import (
	"encoding/json"
	"testing"

	"northneedle/core/run"
	"northneedle/core/runview"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func TestACertificateIsIssuedAnewWithOtherWordsOnly(t *testing.T) {
	b := signed(t, small())
	first := b.view()
	require.Equal(t, 1, first.Revision)
	b.refused(run.ReviseCertificate{Reason: "x", Remark: "y"}, "lead-only", "lead")
	b.who = tamsin
	b.refused(run.ReviseCertificate{Remark: "y"}, "reason-needed", "why")
	b.refused(run.ReviseCertificate{Reason: "again"}, "nothing-changed", "a new run that replaces this one")
	b.do(run.ReviseCertificate{Reason: "misread", Device: run.Corrected{Serial: "S-2", Place: "Ward 4"}})
	b.do(run.ReviseCertificate{Reason: "asked for", Device: run.Corrected{Place: "Ward 5"},
		Remark: "Seen by the owner."})
	v := b.view()
	assert.Equal(t, 3, v.Revision)
	assert.Equal(t, "S-2", v.Device.Serial)
	assert.Equal(t, "Ward 5", v.Device.Place)
	assert.Equal(t, []string{"place Ward 5, it said Ward 4", "remark added: Seen by the owner."},
		v.Revisions[1].Changes)
	assert.Equal(t, []string{"serial S-2, it said nothing", "place Ward 4, it said nothing"}, v.Revisions[0].Changes)
	for revision, serial := range map[int]string{1: "", 2: "S-2", 3: "S-2"} {
		seq, err := b.run.Issued(revision)
		require.NoError(t, err)
		then := runview.Of(run.Fold(b.run.Procedure, b.events[:seq]), b.now)
		assert.Equal(t, revision, then.Revision)
		assert.Equal(t, serial, then.Device.Serial)
	}
	for _, none := range []int{0, 4, -1} {
		_, err := b.run.Issued(none)
		assert.ErrorContains(t, err, "1 to 3")
	}

	running := open(t, small())
	running.who = tamsin
	running.refused(run.ReviseCertificate{Reason: "x", Remark: "y"}, "not-signed", "no certificate")
}

// Whatever is corrected, no reading, verdict, signature or due day moves.
func TestARevisionMovesNothingThatWasMeasured(t *testing.T) {
	plain := signed(t, small())
	was := plain.view()
	rapid.Check(t, func(rt *rapid.T) {
		r := plain.run
		words := rapid.StringOfN(rapid.RuneFrom([]rune("AB 9é\"<")), 0, 6, -1)
		for i := range rapid.IntRange(1, 4).Draw(rt, "revisions") {
			c := run.ReviseCertificate{Reason: words.Draw(rt, "reason"), Remark: words.Draw(rt, "remark"),
				Device: run.Corrected{Serial: words.Draw(rt, "serial"), Maker: words.Draw(rt, "maker"),
					Model: words.Draw(rt, "model"), Site: words.Draw(rt, "site"), Place: words.Draw(rt, "place")}}
			events, err := r.Decide(string(rune('a'+i)), c, run.Order{At: plain.now, By: tamsin})
			if err != nil {
				continue
			}
			for _, e := range events {
				raw, err := json.Marshal(e.Fact)
				require.NoError(rt, err)
				fact, err := run.DecodeFact(run.KindOf(e.Fact), raw)
				require.NoError(rt, err)
				require.Equal(rt, e.Fact, fact, "it survives the record")
				r = r.Apply(e)
			}
			require.Len(rt, r.Revisions, runview.Of(r, plain.now).Revision-1)
		}
		is := runview.Of(r, plain.now)
		require.Equal(rt, was.Measures, is.Measures)
		require.Equal(rt, was.Findings, is.Findings)
		require.Equal(rt, was.Signature, is.Signature)
		require.Equal(rt, was.Result, is.Result)
		require.Equal(rt, was.Next, is.Next)
	})
}

func TestARunThatReplacesAnotherSaysWhy(t *testing.T) {
	p := compiled(t, small())
	order := run.Order{At: start, By: idris}
	opened := open(t, small()).events[0].Fact.(run.RunOpened)
	opened.Replaces = "run-0"
	_, err := run.NewRun(p).Decide("c", run.OpenRun{RunOpened: opened}, order)
	require.ErrorContains(t, err, "why the signed run is replaced")
	opened.Reason = "the gas was left open"
	events, err := run.NewRun(p).Decide("c", run.OpenRun{RunOpened: opened}, order)
	require.NoError(t, err)
	assert.Equal(t, "run-0", runview.Of(run.Fold(p, events), start).Replaces)
}
