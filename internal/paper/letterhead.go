package paper

import (
	"bytes"
	"image"
	_ "image/jpeg" // a logo may be one
	_ "image/png"

	"codeberg.org/go-pdf/fpdf"
)

// The room for a logo at the top right, in mm.
const logoWide, logoHigh = 38.0, 17.0

// logo puts a lab's picture at the top right. One that cannot be read is left out: it was checked when it was taken.
func (s *sheet) logo(picture []byte) {
	size, kind, err := image.DecodeConfig(bytes.NewReader(picture))
	if err != nil || size.Width == 0 || size.Height == 0 {
		return
	}
	wide, high := logoWide, logoWide*float64(size.Height)/float64(size.Width)
	if high > logoHigh {
		wide, high = logoHigh*float64(size.Width)/float64(size.Height), logoHigh
	}
	options := fpdf.ImageOptions{ImageType: map[string]string{"png": "PNG", "jpeg": "JPG"}[kind]}
	s.RegisterImageOptionsReader("logo", options, bytes.NewReader(picture))
	s.ImageOptions("logo", margin+width-wide, 11, wide, high, false, options, 0, "")
}
