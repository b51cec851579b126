package e2e_test

import (
	"bytes"
	"image"
	"image/color"
	"image/draw"
	"image/jpeg"
	"os"
	"testing"

	"northneedle/e2e/browser"

	"github.com/boombuler/barcode"
	"github.com/boombuler/barcode/qr"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// film writes a film of a label that is moved about before a camera.
func film(file, tag string) error {
	code, err := qr.Encode(tag, qr.M, qr.Auto)
	if err != nil {
		return err
	}
	if code, err = barcode.Scale(code, 260, 260); err != nil {
		return err
	}
	var frames bytes.Buffer
	for n := range 30 {
		frame := image.NewGray(image.Rect(0, 0, 640, 480))
		draw.Draw(frame, frame.Bounds(), image.NewUniform(color.Gray{Y: 200}), image.Point{}, draw.Src)
		at := image.Pt(150+2*n, 90+n)
		draw.Draw(frame, code.Bounds().Inset(-30).Add(at), image.White, image.Point{}, draw.Src)
		draw.Draw(frame, code.Bounds().Add(at), code, image.Point{}, draw.Src)
		if err := jpeg.Encode(&frames, frame, nil); err != nil {
			return err
		}
	}
	return os.WriteFile(file, frames.Bytes(), 0o600)
}

// scanned holds a phone's camera before a label: its device opens. A finger that is drawn along the dock goes to the next
// run, and a page of a phone finds its way without any of the desk's.
func scanned(t *testing.T, s *server) {
	p := openPage(t, s, "Idris Vail")
	p.must(p.Hold(390, 844))
	p.must(p.Tap("[aria-label='Scan a label']"))
	p.see("Ostrel C2 capnograph", "Fingerprint over time")
	at, err := browser.Eval[string](p.Page, "location.pathname")
	require.NoError(t, err)
	assert.Equal(t, "/equipment/MB-0417", at)
	p.picture("scanned")

	p.must(p.Tap("footer a"))
	p.see("Corners as found", "1/2")
	before, err := browser.Eval[string](p.Page, "location.pathname")
	require.NoError(t, err)
	p.must(p.Swipe("footer", -200))
	p.see("2/2")
	after, err := browser.Eval[string](p.Page, "location.pathname")
	require.NoError(t, err)
	assert.NotEqual(t, before, after)
	p.must(p.Swipe("footer", 200))
	p.see("1/2")

	p.must(p.Tap("nav[aria-label=Views] button"))
	p.fitsHere("the views' menu")
	p.must(p.Press("Rounds"))
	p.see("The year ahead")
	for _, trouble := range p.Troubles() {
		assert.Fail(t, trouble)
	}
}
