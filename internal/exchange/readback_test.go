package exchange_test

import (
	"bytes"
	"encoding/json"
	"os"
	"reflect"
	"testing"
	"time"

	"northneedle/core/adjust"
	"northneedle/core/conformity"
	"northneedle/core/person"
	"northneedle/core/procedure"
	"northneedle/core/run"
	"northneedle/internal/definition"
	"northneedle/internal/exchange"
	"northneedle/internal/ledger"

	"github.com/stretchr/testify/require"
)

// handedOut is a small run as JSON, from a ledger of its own, and the run itself.
func handedOut(t testing.TB) ([]byte, run.Run) {
	t.Helper()
	l, err := ledger.Open(t.TempDir())
	require.NoError(t, err)
	defer l.Close()
	text, err := os.ReadFile("../../testdata/tiny.yaml")
	require.NoError(t, err)
	p, err := definition.Read("tiny", text)
	require.NoError(t, err)
	lab := run.Lab{
		Name:   "Workshop",
		Rule:   conformity.Rule{Kind: conformity.Simple},
		Policy: adjust.Policy{School: adjust.MeasureOnly, MaxRounds: 1},
		Review: procedure.ReviewNever,
	}
	open := run.OpenRun{RunOpened: run.RunOpened{Procedure: "tiny", Revision: 1, Hash: p.Hash,
		Device: run.Device{ID: "d", Tag: "MB-1", Family: "gas-monitor"}, Lab: lab}}
	order := run.Order{At: now, By: person.Person{ID: "idris", Name: "Idris Vail", Role: person.Technician}}
	r, err := l.Begin(p, ledger.Command{ID: "opening", Do: open, Order: order})
	require.NoError(t, err)
	for _, c := range []run.Command{run.AnswerCheck{Step: "cautions", Answer: run.Fine},
		run.AddNote{Text: `a <note> & "more"`}, run.DoStep{Step: "open"}, run.DoStep{Step: "shut"},
		run.SignRun{Statement: "Checked."}} {
		order.At = order.At.Add(time.Second)
		r, err = l.Carry(r.ID, ledger.Command{
			ID:     "c-" + order.At.Format(time.RFC3339),
			Expect: r.Seq,
			Do:     c,
			Order:  order,
		})
		require.NoError(t, err)
	}
	rows, err := l.Rows(r.ID)
	require.NoError(t, err)
	text, err = exchange.RunJSON(r, rows, now, nil)
	require.NoError(t, err)
	return text, r
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
	f.Add([]byte(`{"format": "northneedle-run/2", "events": [{}]}`), 3, byte('{'))
	f.Add([]byte(`{"format": "northneedle-run/2", "events": [{"seq": 1, "kind": "RunOpened", "by": null, "data": null}]}`), 0, byte('{'))
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
