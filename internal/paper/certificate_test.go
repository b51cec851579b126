package paper_test

import (
	"bytes"
	"compress/zlib"
	"encoding/csv"
	"encoding/json"
	"errors"
	"io"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"
	"unicode/utf16"

	"northneedle/core/procedure"
	core "northneedle/core/run"
	"northneedle/core/runview"
	"northneedle/internal/definition"
	"northneedle/internal/demo"
	"northneedle/internal/exchange"
	"northneedle/internal/ledger"
	"northneedle/internal/paper"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

var monday = time.Date(2026, 3, 2, 9, 0, 0, 0, time.UTC)

// scenario is the ledger of the made-up health service, filled once.
var scenario = sync.OnceValues(func() ([]byte, error) {
	folder, err := os.MkdirTemp("", "northneedle")
	if err != nil {
		return nil, err
	}
	defer os.RemoveAll(folder)
	all, err := definition.Shipped()
	if err != nil {
		return nil, err
	}
	l, err := ledger.Open(folder)
	if err != nil {
		return nil, err
	}
	if err := errors.Join(demo.Fill(l, all, nil, "a long password", 1, monday), l.Close()); err != nil {
		return nil, err
	}
	return os.ReadFile(filepath.Join(folder, ledger.File))
})

// history is every signed run of the scenario, with the ledger that holds it.
func history(t *testing.T) (*ledger.Ledger, []ledger.Run) {
	t.Helper()
	file, err := scenario()
	require.NoError(t, err)
	folder := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(folder, ledger.File), file, 0o600))
	l, err := ledger.Open(folder)
	require.NoError(t, err)
	t.Cleanup(func() { l.Close() })
	rows, err := l.RunsIn(core.Signed, 1000)
	require.NoError(t, err)
	var kept []ledger.Run
	for _, r := range rows {
		if !r.Paper {
			kept = append(kept, r)
		}
	}
	require.NotEmpty(t, kept)
	return l, kept
}

var shownStrings = regexp.MustCompile(`(?s)\(((?:\\.|[^\\)])*)\) ?Tj`)
var escapes = strings.NewReplacer(`\\`, `\`, `\(`, "(", `\)`, ")", `\r`, "\r")
var streams = regexp.MustCompile(`(?s)stream\r?\n(.*?)\r?\nendstream`)

// inside are the streams of a PDF, as far as they can be read.
func inside(pdf []byte) (all [][]byte) {
	for _, m := range streams.FindAllSubmatch(pdf, -1) {
		z, err := zlib.NewReader(bytes.NewReader(m[1]))
		if err != nil {
			continue
		}
		content, err := io.ReadAll(z)
		if err != nil &&
			!errors.Is(err, io.ErrUnexpectedEOF) { // its last byte may be one of the two before "endstream"
			continue
		}
		all = append(all, content)
	}
	return all
}

// text is what a PDF shows: the strings of its text operators.
func text(t *testing.T, pdf []byte) string {
	t.Helper()
	var all strings.Builder
	for _, content := range inside(pdf) {
		for _, shown := range shownStrings.FindAllSubmatch(content, -1) {
			clean := escapes.Replace(string(shown[1]))
			units := make([]uint16, 0, len(clean)/2)
			for i := 0; i+1 < len(clean); i += 2 {
				units = append(units, uint16(clean[i])<<8|uint16(clean[i+1]))
			}
			all.WriteString(string(utf16.Decode(units)) + "\n")
		}
	}
	return all.String()
}

func TestEveryRunHasItsCertificate(t *testing.T) {
	l, rows := history(t)
	families := map[string]bool{}
	for _, row := range rows {
		if families[row.Family+string(row.Result)] {
			continue
		}
		families[row.Family+string(row.Result)] = true
		run, err := l.Run(row.ID)
		require.NoError(t, err)
		v := runview.Of(run, monday)
		pdf, err := paper.Certificate(v, paper.Issue{Head: row.Head})
		require.NoError(t, err, row.Tag)
		again, err := paper.Certificate(v, paper.Issue{Head: row.Head})
		require.NoError(t, err)
		assert.Equal(t, pdf, again, "the same run gives the same paper")
		shown := text(t, pdf)
		assert.Equal(t, run.Procedure.Maintains, !strings.Contains(shown, "Reference standards used"), row.Tag)
		for _, words := range []string{row.Tag, paper.Number(v), "Please note", v.Signature.By.Name} {
			assert.Contains(t, shown, words, row.Tag)
		}
		if !v.Result.Passed() {
			assert.Contains(t, shown, "not to be used")
		}
		var data runview.View
		found := slices.ContainsFunc(inside(pdf), func(s []byte) bool { return json.Unmarshal(s, &data) == nil })
		require.True(t, found, "the data are in the paper")
		wanted, err := json.Marshal(v)
		require.NoError(t, err)
		given, err := json.Marshal(data)
		require.NoError(t, err)
		assert.JSONEq(t, string(wanted), string(given), "every figure that it rests on, unrounded")
		assert.Contains(t, shown, "page 1 of", "and how many pages there are")
		flat := strings.Join(strings.Fields(shown), " ")
		for i, s := range v.Steps {
			if s.Done && (s.Kind == procedure.StepCheck || s.Kind == procedure.StepAct) {
				assert.Contains(t, flat, s.Title, "every item stands on the paper of %s", row.Tag)
				v.Steps[i].Answer, v.Steps[i].Note = core.NA, "it has none"
			}
		}
		pdf, err = paper.Certificate(v, paper.Issue{Head: row.Head})
		require.NoError(t, err)
		assert.Contains(t, strings.Join(strings.Fields(text(t, pdf)), " "), ": does not apply: it has none", row.Tag)
	}
	assert.GreaterOrEqual(t, len(families), 6)
}

func TestNoCertificateWithoutASignature(t *testing.T) {
	_, err := paper.Certificate(runview.View{}, paper.Issue{})
	assert.ErrorContains(t, err, "not signed")
}

func TestAWholeRunLeavesInOpenFormats(t *testing.T) {
	l, rows := history(t)
	measured := slices.IndexFunc(rows, func(r ledger.Run) bool { return r.Found > 0 })
	r, err := l.Run(rows[measured].ID)
	require.NoError(t, err)
	events, err := l.Rows(r.ID)
	require.NoError(t, err)
	written, err := exchange.RunJSON(r, events, monday, nil)
	require.NoError(t, err)
	var record exchange.Record
	require.NoError(t, json.Unmarshal(written, &record))
	assert.Equal(t, exchange.Format, record.Format)
	require.Len(t, record.Events, r.Seq)

	// What left can be folded again: to the same run.
	var facts []core.Event
	for i, e := range record.Events {
		if i > 0 {
			assert.Equal(t, record.Events[i-1].Hash, e.Prev, "the chain goes with it")
		}
		fact, err := core.DecodeFact(e.Kind, e.Data)
		require.NoError(t, err)
		at, err := time.Parse(time.RFC3339Nano, e.At)
		require.NoError(t, err)
		event := core.Event{Run: r.ID, Seq: e.Seq, ID: e.ID, At: at.In(time.Local), Fact: fact}
		require.NoError(t, json.Unmarshal(e.By, &event.By))
		facts = append(facts, event)
	}
	kept, err := definition.Read("kept", []byte(record.Procedure))
	require.NoError(t, err)
	assert.Equal(t, r.Hash, kept.Hash, "the text is the identity")
	assert.Equal(t, runview.Of(r, monday), runview.Of(core.Fold(kept, facts), monday))

	table, err := exchange.PointsCSV(runview.Of(r, monday))
	require.NoError(t, err)
	lines, err := csv.NewReader(bytes.NewReader(table)).ReadAll()
	require.NoError(t, err)
	require.Greater(t, len(lines), 1)
	for _, line := range lines[1:] {
		reference, err := strconv.ParseFloat(line[7], 64)
		require.NoError(t, err)
		indicated, err := strconv.ParseFloat(line[8], 64)
		require.NoError(t, err)
		e, err := strconv.ParseFloat(line[9], 64)
		require.NoError(t, err)
		assert.InDelta(t, indicated-reference, e, 1e-6, "error is indicated − reference")
	}
}
