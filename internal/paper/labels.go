package paper

import (
	"bytes"
	"errors"
	"fmt"
	"image"
	"time"

	"codeberg.org/go-pdf/fpdf"
	"github.com/boombuler/barcode/qr"
)

// Label is what is stuck on a device.
type Label struct {
	Tag    string
	Device string
	Lab    string
	Code   string // what the square code says: a link to the device, or its tag
	Done   *time.Time
	Due    *time.Time
	Says   string // what its newest run says of it in a few words; empty where nothing
	Stop   string // why it must not be used; empty where it may
	Doubt  string // why it is in doubt; empty where it is not
}

// Sheets and single labels, in mm.
const (
	labelWide, labelHigh = 63.5, 33.9
	labelsAcross         = 3
	labelsDown           = 8
)

// Labels writes labels on sheets of three by eight on A4, beginning with the one at first
// (0 to 23), so that a begun sheet can be used up; or, single, each on a page of its own. told is told how many are written,
// and ends it with an error.
func Labels(labels []Label, single bool, first int, told func(done int) error) ([]byte, error) {
	if len(labels) == 0 {
		return nil, fmt.Errorf("there is no label to write")
	}
	if first < 0 || first >= labelsAcross*labelsDown {
		return nil, fmt.Errorf("a sheet has %d labels: begin at 1 to %d", labelsAcross*labelsDown,
			labelsAcross*labelsDown)
	}
	f := fpdf.New("P", "mm", "A4", "")
	if single {
		f = fpdf.NewCustom(&fpdf.InitType{OrientationStr: "P", UnitStr: "mm",
			Size: fpdf.SizeType{Wd: labelWide, Ht: labelHigh}})
	}
	s := begin(f, "Labels", time.Time{})
	s.SetMargins(0, 0, 0)
	s.SetAutoPageBreak(false, 0)
	left, top := (210-labelsAcross*labelWide)/2, (297-labelsDown*labelHigh)/2
	for i, l := range labels {
		at := (first + i) % (labelsAcross * labelsDown)
		if i == 0 || single || at == 0 {
			s.AddPage()
		}
		x, y := 0.0, 0.0
		if !single {
			x, y = left+float64(at%labelsAcross)*labelWide, top+float64(at/labelsAcross)*labelHigh
		}
		if err := errors.Join(s.label(l, x, y), told(i+1)); err != nil {
			return nil, err
		}
	}
	var out bytes.Buffer
	err := s.Output(&out)
	return out.Bytes(), err
}

// label writes one, with its upper left corner at x and y.
func (s *sheet) label(l Label, x, y float64) error {
	code, err := qr.Encode(l.Code, qr.M, qr.Auto)
	if err != nil {
		return fmt.Errorf("the code of %s could not be made: %w", l.Tag, err)
	}
	const side = 22.0
	s.squares(code, x+3, y+5, side)
	text := func(dy float64, style string, size float64, c colour, words string) {
		s.font(style, size, c)
		s.SetXY(x+side+5, y+dy)
		s.CellFormat(labelWide-side-8, 4, s.fit(words, labelWide-side-8), "", 0, "L", false, 0, "")
	}
	text(3.5, "B", 13, ink, l.Tag)
	text(8.5, "", 7, ink, l.Device)
	day := func(t *time.Time) string {
		if t == nil {
			return "–"
		}
		return t.Format(time.DateOnly)
	}
	why := func(words string) {
		s.font("", 5.8, ink)
		s.SetXY(x+side+5, y+17)
		lines := s.SplitText(words, labelWide-side-8)
		for _, line := range lines[:min(5, len(lines))] {
			s.SetX(x + side + 5)
			s.CellFormat(labelWide-side-8, 2.4, line, "", 2, "L", false, 0, "")
		}
	}
	if l.Stop != "" {
		text(12.5, "B", 9, vermilion, "◆ NOT TO BE USED")
		why(l.Stop)
	} else if l.Doubt != "" {
		text(12.5, "B", 9, vermilion, "◇ IN DOUBT")
		why("Verify first. " + l.Doubt)
	} else {
		text(14, "", 7, grey, "verified")
		text(17, "B", 10, ink, day(l.Done))
		text(21.5, "", 7, grey, "next due")
		text(24.5, "B", 10, ink, day(l.Due))
		s.font("", 5.5, ink)
		s.SetXY(x+3, y+labelHigh-5.4)
		s.CellFormat(labelWide-6, 3, s.fit(l.Says, labelWide-6), "", 0, "L", false, 0, "")
	}
	s.font("", 5.5, grey)
	s.SetXY(x+3, y+labelHigh-3.3)
	s.CellFormat(labelWide-6, 3, s.fit(l.Lab, labelWide-6), "", 0, "L", false, 0, "")
	return nil
}

// fit cuts words to a width.
func (s *sheet) fit(words string, wide float64) string {
	if s.GetStringWidth(words) <= wide-2 {
		return words
	}
	runes := []rune(words)
	for len(runes) > 1 && s.GetStringWidth(string(runes)+"…") > wide-2 {
		runes = runes[:len(runes)-1]
	}
	return string(runes) + "…"
}

// squares draws a square code's dark modules, those that lie above each other as one.
func (s *sheet) squares(code image.Image, x, y, side float64) {
	n := code.Bounds().Dx()
	each := side / float64(n)
	s.draw(ink, 0)
	for i := range n {
		dark := func(k int) bool {
			r, _, _, _ := code.At(i, k).RGBA()
			return k < n && r == 0
		}
		for k := 0; k < n; k++ {
			from := k
			for dark(k) {
				k++
			}
			if k > from {
				s.Rect(x+float64(i)*each, y+float64(from)*each, each+0.01, float64(k-from)*each+0.01, "F")
			}
		}
	}
}
