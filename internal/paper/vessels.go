package paper

import (
	"bytes"
	"fmt"
	"time"

	"codeberg.org/go-pdf/fpdf"
)

// VesselLabel is what is stuck on a cuvette or a tube.
type VesselLabel struct {
	What string // what is in it
	Of   string // what is measured, and the lot
	For  string // the device and the day
}

// A sheet of small labels on A4, in mm.
const (
	vesselWide, vesselHigh = 38.1, 21.2
	vesselsAcross          = 5
	vesselsDown            = 13
)

// Vessels writes small labels on sheets of five by thirteen on A4.
func Vessels(labels []VesselLabel) ([]byte, error) {
	if len(labels) == 0 {
		return nil, fmt.Errorf("there is no label to write")
	}
	s := begin(fpdf.New("P", "mm", "A4", ""), "Labels of cuvettes", time.Time{})
	s.SetMargins(0, 0, 0)
	s.SetAutoPageBreak(false, 0)
	left, top := (210-vesselsAcross*vesselWide)/2, (297-vesselsDown*vesselHigh)/2
	for i, l := range labels {
		at := i % (vesselsAcross * vesselsDown)
		if at == 0 {
			s.AddPage()
		}
		x, y := left+float64(at%vesselsAcross)*vesselWide, top+float64(at/vesselsAcross)*vesselHigh
		line := func(dy float64, style string, size float64, c colour, words string) {
			s.font(style, size, c)
			s.SetXY(x+3, y+dy)
			s.CellFormat(vesselWide-6, 4, s.fit(words, vesselWide-6), "", 0, "L", false, 0, "")
		}
		line(3, "B", 11, ink, l.What)
		line(8.5, "", 7, ink, l.Of)
		line(13, "", 6, grey, l.For)
	}
	var out bytes.Buffer
	err := s.Output(&out)
	return out.Bytes(), err
}
