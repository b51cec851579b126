package paper_test

import (
	"bytes"
	"fmt"
	"strings"
	"testing"
	"time"

	"northneedle/internal/paper"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// written is how many pages a document has, and what it says.
func written(t *testing.T, d paper.Document) (pages int, said string) {
	t.Helper()
	pdf, err := d.PDF()
	require.NoError(t, err)
	again, err := d.PDF()
	require.NoError(t, err)
	require.True(t, bytes.Equal(pdf, again), "the same document gives the same bytes")
	return bytes.Count(pdf, []byte("/Type /Page\n")), text(t, pdf)
}

func TestADocumentLosesNoRow(t *testing.T) {
	d := paper.Document{
		Title: "Inspection list",
		Under: "every device",
		Lab:   "Workshop",
		At:    time.Date(2026, 3, 2, 10, 0, 0, 0, time.UTC),
	}
	columns := []paper.Column{{Title: "device", Wide: 3}, {Title: "stands", Wide: 5},
		{Title: "risk", Wide: 1, Right: true}}
	long := paper.Section{Title: "Intensive care", Text: "Tick what was seen.", Columns: columns}
	for i := range 120 {
		long.Rows = append(long.Rows, []string{fmt.Sprintf("MB-%04d", i), strings.Repeat("valid until then; ", i%9),
			fmt.Sprint(1 + i%5)})
	}
	// One cell that is higher than a page goes on, and nothing of it is lost.
	words := make([]string, 900)
	for i := range words {
		words[i] = fmt.Sprintf("w%03d", i)
	}
	long.Rows = append(long.Rows, []string{"MB-9999", strings.Join(words, " "), "5"})
	d.Sections = []paper.Section{long, {Title: "Theatre", Columns: columns, Empty: "No device stands here."},
		{Title: "Words only", Text: "Nothing else."}}
	pages, said := written(t, d)
	assert.Greater(t, pages, 5)
	for _, row := range long.Rows {
		assert.Contains(t, said, row[0])
	}
	for _, w := range words {
		assert.Contains(t, said, w)
	}
	assert.Equal(t, pages, strings.Count(said, "written 2026-03-02 10:00"), "each page says what it is of, and when")
	assert.GreaterOrEqual(t, strings.Count(said, "stands"), pages-1, "the columns' titles stand on every page")
	assert.Contains(t, said, "No device stands here.")

	single, _ := written(t, paper.Document{Title: "Empty", Lab: "Workshop"})
	assert.Equal(t, 1, single)
}

// FuzzWords: whatever people type, there is a paper, and it says what can be written.
func FuzzWords(f *testing.F) {
	for _, words := range []string{"Ward 4, bay 😀", "µL ± 2 % CO₂", "\U00010000", "\xff\xfe", "\x00", "ab\u0301",
		"سلام", "(\\) Tj"} {
		f.Add(words)
	}
	f.Fuzz(func(t *testing.T, words string) {
		d := paper.Document{Title: words, Under: words, Lab: words, At: monday, Sections: []paper.Section{
			{Title: words, Text: words, Empty: words,
				Columns: []paper.Column{{Title: words, Wide: 1}, {Title: "last", Wide: 1}},
				Rows:    [][]string{{words, "kept"}}}}}
		_, said := written(t, d)
		assert.Contains(t, said, "kept")
		sheet, err := paper.Labels([]paper.Label{{Tag: "MB-0417", Device: words, Lab: words, Code: "MB-0417",
			Stop: words}}, false, 0, func(int) error { return nil })
		require.NoError(t, err)
		assert.Contains(t, text(t, sheet), "MB-0417")
	})
}
