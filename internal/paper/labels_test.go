package paper_test

import (
	"bytes"
	"image/png"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"northneedle/internal/paper"

	"github.com/makiuchi-d/gozxing"
	"github.com/makiuchi-d/gozxing/qrcode"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestLabels(t *testing.T) {
	day := time.Date(2026, 3, 2, 0, 0, 0, 0, time.UTC)
	label := paper.Label{
		Tag:    "MB-0417",
		Device: "Ostrel C2 capnograph",
		Lab:    "Hallowmere Sound Health Service, biomedical workshop",
		Code:   "http://localhost/equipment/MB-0417",
		Done:   &day,
		Due:    &day,
	}
	pages := func(n, first int, single bool) int {
		labels := make([]paper.Label, n)
		for i := range labels {
			labels[i] = label
		}
		pdf, err := paper.Labels(labels, single, first, untold)
		require.NoError(t, err)
		require.True(t, bytes.HasPrefix(pdf, []byte("%PDF")))
		return bytes.Count(pdf, []byte("/Type /Page\n"))
	}
	assert.Equal(t, 1, pages(24, 0, false))
	assert.Equal(t, 2, pages(24, 1, false), "a begun sheet is used up first")
	assert.Equal(t, 3, pages(3, 0, true))
	_, err := paper.Labels(nil, false, 0, untold)
	assert.Error(t, err)
	_, err = paper.Labels([]paper.Label{label}, false, 24, untold)
	assert.ErrorContains(t, err, "1 to 24")
	label.Code = string(make([]byte, 4000))
	_, err = paper.Labels([]paper.Label{label}, false, 0, untold)
	assert.ErrorContains(t, err, "MB-0417", "what does not fit into a code is said")
}

// The code that is printed is read back from the paper as a scanner would: rendered, and decoded.
func TestThePrintedCodeSaysWhatItShould(t *testing.T) {
	for _, says := range []string{"MB-0417", "https://needle.example:8360/equipment/MB-0417"} {
		pdf, err := paper.Labels([]paper.Label{{Tag: "MB-0417", Device: "Ostrel C2", Lab: "Hallowmere", Code: says}},
			true, 0, untold)
		require.NoError(t, err)
		file := filepath.Join(t.TempDir(), "label.pdf")
		require.NoError(t, os.WriteFile(file, pdf, 0o600))
		picture, err := exec.Command("pdftoppm", "-png", "-r", "200", "-singlefile", file, strings.TrimSuffix(file,
			".pdf")).CombinedOutput()
		require.NoError(t, err, string(picture))
		rendered, err := os.Open(strings.TrimSuffix(file, ".pdf") + ".png")
		require.NoError(t, err)
		defer rendered.Close()
		img, err := png.Decode(rendered)
		require.NoError(t, err)
		bitmap, err := gozxing.NewBinaryBitmapFromImage(img)
		require.NoError(t, err)
		code, err := qrcode.NewQRCodeReader().Decode(bitmap, nil)
		require.NoError(t, err)
		assert.Equal(t, says, code.GetText())
	}
}

func untold(int) error { return nil }
