package exchange_test

import (
	"bytes"
	"encoding/json"
	"reflect"
	"testing"
	"time"

	"northneedle/core/adjust"
	"northneedle/core/conformity"
	"northneedle/core/procedure"
	"northneedle/internal/exchange"
	"northneedle/internal/ledger"
	"northneedle/procedures"

	"github.com/stretchr/testify/require"
)

// handedOut is a small run as JSON, from a ledger of its own, and the run itself.
func handedOut(t testing.TB) ([]byte, procedure.Run) {
	t.Helper()
	l, err := ledger.Open(t.TempDir())
	require.NoError(t, err)
	defer l.Close()
	p := procedure.Procedure{ID: "tiny", Revision: 1, Title: "Tiny", Family: "gas-monitor", Cautions: []string{"Care."}, Steps: []procedure.Step{{Act: "Open", Opens: "Gas open"}, {Act: "Shut", Closes: []string{"Gas open"}}}, Next: procedure.Next{Months: 1}}.Settled()
	lab := procedure.Lab{Name: "Workshop", Rule: conformity.Rule{Kind: conformity.Simple}, Policy: adjust.Policy{School: adjust.MeasureOnly, MaxRounds: 1}, Review: procedure.ReviewNever}
	open := procedure.OpenRun{RunOpened: procedure.RunOpened{Procedure: "tiny", Revision: 1, Hash: procedures.Hash(p), Device: procedure.Device{ID: "d", Tag: "MB-1", Family: "gas-monitor"}, Lab: lab}}
	order := procedure.Order{At: now, By: procedure.Person{ID: "idris", Name: "Idris Vail", Role: procedure.Technician}}
	run, err := l.Begin(p, procedures.Hash(p), ledger.Command{ID: "opening", Do: open, Order: order})
	require.NoError(t, err)
	for _, c := range []procedure.Command{procedure.AnswerCheck{Step: "cautions", Answer: procedure.Fine}, procedure.AddNote{Text: `a <note> & "more"`}, procedure.DoStep{Step: "open"}, procedure.DoStep{Step: "shut"}, procedure.SignRun{Statement: "Checked."}} {
		order.At = order.At.Add(time.Second)
		run, err = l.Carry(run.ID, ledger.Command{ID: "c-" + order.At.Format(time.RFC3339), Expect: run.Seq, Do: c, Order: order})
		require.NoError(t, err)
	}
	rows, err := l.Rows(run.ID)
	require.NoError(t, err)
	text, err := exchange.RunJSON(run, rows, now)
	require.NoError(t, err)
	return text, run
}

func TestARunIsReadBackHoweverItsFileIsLaidOut(t *testing.T) {
	text, run := handedOut(t)
	var compact bytes.Buffer
	require.NoError(t, json.Compact(&compact, text))
	var any map[string]any
	require.NoError(t, json.Unmarshal(text, &any))
	reordered, err := json.MarshalIndent(any, "\t", "   ")
	require.NoError(t, err)
	for _, file := range [][]byte{text, compact.Bytes(), reordered} {
		back, err := exchange.ReadRun(file)
		require.NoError(t, err)
		require.Equal(t, run.Seq, back.Run.Seq)
		require.Equal(t, run.Notes, back.Run.Notes)
		require.Equal(t, run.Signature.Result, back.Run.Signature.Result)
	}
}

// Whatever is done to a file: it is refused, or it is still the same run.
func FuzzReadRun(f *testing.F) {
	text, run := handedOut(f)
	f.Add(text, 0, byte('x'))
	for at := 50; at < len(text); at += 97 {
		f.Add(text, at, byte('7'))
	}
	f.Add([]byte(`{"format": "northneedle-run/1", "events": [{}]}`), 3, byte('{'))
	f.Add([]byte(`{"format": "northneedle-run/1", "events": [{"seq": 1, "kind": "RunOpened", "by": null, "data": null}]}`), 0, byte('{'))
	f.Fuzz(func(t *testing.T, file []byte, at int, put byte) {
		file = bytes.Clone(file)
		if len(file) > 0 {
			file[((at%len(file))+len(file))%len(file)] = put
		}
		back, err := exchange.ReadRun(file)
		if err != nil {
			return
		}
		if back.Run.ID == run.ID && !reflect.DeepEqual(back.Run.Notes, run.Notes) {
			t.Fatalf("another note was read under the same chain: %v", back.Run.Notes)
		}
	})
}
