package paper_test

import (
	"bytes"
	"encoding/json"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"northneedle/core/runview"
	"northneedle/internal/paper"
	"northneedle/internal/seal"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A certificate proves itself: any byte that is not as it was issued is found, and on which page or in which part of the data.
func TestACertificateProvesItself(t *testing.T) {
	l, rows := history(t)
	s, err := seal.New(t.TempDir(), "")
	require.NoError(t, err)
	other, err := seal.New(t.TempDir(), "")
	require.NoError(t, err)
	open := func(keys ...seal.Public) func(string) ([]byte, string, error) {
		return func(signed string) ([]byte, string, error) { return seal.Open(signed, keys) }
	}
	r, err := l.Run(rows[0].ID)
	require.NoError(t, err)
	view := runview.Of(r, r.Signature.At)
	issue := paper.Issue{Head: "h", Link: "https://needle.example/bench/" + r.ID, Sign: s.Sign,
		Checkpoint: &paper.Point{N: 7, Event: 40}}
	pdf, err := paper.Certificate(view, issue)
	require.NoError(t, err)
	again, err := paper.Certificate(view, issue)
	require.NoError(t, err)
	require.Equal(t, pdf, again, "the same content gives the same bytes, its signatures too")

	genuine := paper.Check(pdf, open(other.Public, s.Public))
	assert.Equal(t, paper.Genuine, genuine.Finding, genuine.Where)
	assert.Equal(t, paper.Number(view), genuine.Proof.Number)
	assert.Equal(t, r.ID, genuine.Proof.Run)
	assert.Equal(t, s.Public.ID, genuine.Key)
	assert.Equal(t, paper.NotOurs, paper.Check(pdf, open(other.Public)).Finding, "of another workshop")
	assert.Equal(t, paper.NotOurs, paper.Check([]byte("no paper"), open(s.Public)).Finding)

	folder := t.TempDir()
	file := filepath.Join(folder, "c.pdf")
	require.NoError(t, os.WriteFile(file, pdf, 0o600))
	out, err := exec.Command("qpdf", "--check", file).CombinedOutput()
	require.NoError(t, err, string(out))
	assert.NotContains(t, string(out), "WARNING")

	// qpdf rewrites the file with its streams uncompressed: pages and data stay the same, the bytes do not.
	laid := filepath.Join(folder, "laid.pdf")
	require.NoError(t, exec.Command("qpdf", "--qdf", "--object-streams=disable", "--normalize-content=n", file, laid).Run())
	anew, err := os.ReadFile(laid)
	require.NoError(t, err)
	assert.Equal(t, paper.Rewritten, paper.Check(anew, open(s.Public)).Finding)

	altered := func(text []byte) paper.Checked {
		mended := filepath.Join(folder, "mended.pdf")
		fix := exec.Command("fix-qdf")
		fix.Stdin = bytes.NewReader(text)
		fixed, err := fix.Output()
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(mended, fixed, 0o600))
		return paper.Check(fixed, open(s.Public))
	}
	shown := regexp.MustCompile(`(?s)\((?:[^()\\]|\\.){6,}\) ?Tj`).FindIndex(anew)
	require.NotNil(t, shown)
	page := bytes.Clone(anew)
	page[shown[0]+4] ^= 1
	onPage := altered(page)
	assert.Equal(t, paper.Altered, onPage.Finding)
	assert.Contains(t, strings.Join(onPage.Where, " "), "Page 1 does not show")
	assert.NotContains(t, strings.Join(onPage.Where, " "), "data")

	data, err := json.Marshal(view.Device.Serial)
	require.NoError(t, err)
	require.Positive(t, bytes.Count(anew, data))
	inData := altered(bytes.Replace(anew, data, []byte(strings.Replace(string(data), view.Device.Serial[:1], "X", 1)), 1))
	assert.Equal(t, []string{"In the data inside, “device” is not as it was issued."}, inData.Where)
	both := altered(bytes.Replace(page, data, []byte(strings.Replace(string(data), view.Device.Serial[:1], "X", 1)), 1))
	assert.Len(t, both.Where, 2)

	for at := 0; at < len(pdf); at += max(1, len(pdf)/300) { // one bit anywhere
		flipped := bytes.Clone(pdf)
		flipped[at] ^= 4
		require.NotEqual(t, paper.Genuine, paper.Check(flipped, open(s.Public)).Finding, "byte %d", at)
	}
	longer := append(bytes.Clone(pdf), "% and more\n"...)
	assert.NotEqual(t, paper.Genuine, paper.Check(longer, open(s.Public)).Finding)
	drawnOver := bytes.Replace(pdf, []byte("%Seal "), []byte("9 0 obj<</x 1>>endobj\n%Seal "), 1)
	assert.NotEqual(t, paper.Genuine, paper.Check(drawnOver, open(s.Public)).Finding)
}

// FuzzCheckAPaper holds the check to its word on any file: it ends, and nothing but what was signed is genuine.
func FuzzCheckAPaper(f *testing.F) {
	f.Add([]byte("%PDF-1.3\n%Seal a.b.c\nstartxref\n9\n%%EOF\n"))
	f.Add([]byte("startxref\n9\n%%EOF\n%Seal a.b.c\nstartxref\n9\n%%EOF\n"))
	f.Fuzz(func(t *testing.T, file []byte) {
		checked := paper.Check(file, func(signed string) ([]byte, string, error) { return seal.Open(signed, nil) })
		require.Equal(t, paper.NotOurs, checked.Finding)
	})
}
