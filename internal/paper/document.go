package paper

import (
	"bytes"
	"fmt"
	"time"

	"codeberg.org/go-pdf/fpdf"
	"github.com/go-fonts/dejavu/dejavusanscondensed"
	"github.com/go-fonts/dejavu/dejavusanscondensedbold"
)

// Document is a paper of tables: a report, a device's history, the inspection list of a site.
type Document struct {
	Title    string
	Under    string // a line below the title
	Lab      string
	At       time.Time // when it was written
	Sections []Section
}

// Section is a heading, words, and a table; a table without rows says Empty.
type Section struct {
	Title   string
	Text    string
	Columns []Column
	Rows    [][]string
	Empty   string
}

// Column of a table: Wide is its part of the width, against the other columns'.
type Column struct {
	Title string
	Wide  float64
	Right bool // numbers
}

// Measures of a table, in mm.
const (
	lineHigh = 4.2
	gutter   = 1.5 // between columns
)

// PDF writes the document on A4; columns' titles stand again on every page.
func (d Document) PDF() ([]byte, error) {
	s := begin(fpdf.New("P", "mm", "A4", ""), d.Title, d.At)
	s.SetMargins(margin, 14, margin)
	s.SetAutoPageBreak(false, 18)
	s.AliasNbPages("")
	s.SetFooterFunc(func() {
		s.SetY(-13)
		s.font("", 7, grey)
		s.CellFormat(width-20, 4, fmt.Sprintf("%s · %s · written %s", d.Lab, d.Title, d.At.Format("2006-01-02 15:04")),
			"", 0, "L", false, 0, "")
		s.CellFormat(20, 4, fmt.Sprintf("page %d of {nb}", s.PageNo()), "", 0, "R", false, 0, "")
	})
	s.AddPage()
	s.mark()
	s.SetXY(margin+11, 13.5)
	s.font("B", 15, ink)
	s.CellFormat(width-11, 6, s.fit(d.Title, width-11), "", 2, "L", false, 0, "")
	s.font("", 8.5, grey)
	s.CellFormat(width-11, 4.5, d.Under, "", 1, "L", false, 0, "")
	s.Ln(2.5)
	s.rule(ink, 0.5)
	for _, section := range d.Sections {
		s.section(section)
	}
	var out bytes.Buffer
	if err := s.Output(&out); err != nil {
		return nil, fmt.Errorf("%s could not be written: %w", d.Title, err)
	}
	return out.Bytes(), nil
}

// begin sets a paper's type, its title and its time: the same content gives the same bytes.
func begin(f *fpdf.Fpdf, title string, at time.Time) *sheet {
	s := &sheet{Fpdf: f}
	s.SetCatalogSort(true)
	s.AddUTF8FontFromBytes("needle", "", dejavusanscondensed.TTF)
	s.AddUTF8FontFromBytes("needle", "B", dejavusanscondensedbold.TTF)
	// The library would write the present time in place of no time.
	if at.IsZero() {
		at = time.Unix(0, 0).UTC()
	}
	s.SetCreationDate(at)
	s.SetModificationDate(at)
	s.SetTitle(title, true)
	return s
}

// bottom is how far down a page is written.
const bottom = 297 - 18.0

// room begins a new page where so much would not fit.
func (s *sheet) room(high float64) bool {
	if s.GetY()+high <= bottom {
		return false
	}
	s.AddPage()
	return true
}

func (s *sheet) section(c Section) {
	s.room(24)
	s.Ln(3)
	s.font("B", 10.5, ink)
	s.CellFormat(width, 5.5, c.Title, "", 1, "L", false, 0, "")
	if c.Text != "" {
		s.font("", 8.5, ink)
		s.MultiCell(width, lineHigh, c.Text, "", "L", false)
	}
	if len(c.Columns) == 0 {
		return
	}
	s.Ln(1)
	if len(c.Rows) == 0 {
		s.font("", 8.5, grey)
		s.CellFormat(width, lineHigh, c.Empty, "", 1, "L", false, 0, "")
		return
	}
	whole := 0.0
	for _, col := range c.Columns {
		whole += col.Wide
	}
	wide := make([]float64, len(c.Columns))
	for i, col := range c.Columns {
		wide[i] = width * col.Wide / whole
	}
	s.columnTitles(c.Columns, wide)
	for _, row := range c.Rows {
		s.row(c.Columns, wide, row)
	}
}

func (s *sheet) columnTitles(columns []Column, wide []float64) {
	s.font("", 7.5, grey)
	for i, col := range columns {
		s.CellFormat(wide[i]-gutter, lineHigh, s.fit(col.Title, wide[i]), "", 0, align(col), false, 0, "")
		s.SetX(s.GetX() + gutter)
	}
	y := s.GetY() + lineHigh + 0.3
	s.draw(ink, 0.3)
	s.Line(margin, y, margin+width, y)
	s.SetXY(margin, y)
}

func align(c Column) string {
	if c.Right {
		return "R"
	}
	return "L"
}

// mostLines is how many lines of a row stand on one page at most; what is longer goes on
// below, on the next. A row that does not fit on the rest of a page is parted only where
// at least leastLines of it do.
const (
	mostLines  = 50
	leastLines = 8
)

// row writes cells beside each other, as high as the one with the most lines.
func (s *sheet) row(columns []Column, wide []float64, row []string) {
	s.font("", 8.5, ink)
	lines, most := make([][]string, len(columns)), 1
	for i := range columns {
		if i < len(row) && row[i] != "" {
			lines[i] = s.SplitText(row[i], wide[i]-2*gutter)
		}
		most = max(most, len(lines[i]))
	}
	for from := 0; from < most; {
		here := min(mostLines, most-from)
		if fits := int((bottom - s.GetY() - 1.6) / lineHigh); fits >= leastLines {
			here = min(here, fits)
		}
		part := make([][]string, len(lines))
		for i, l := range lines {
			part[i] = l[min(from, len(l)):min(from+here, len(l))]
		}
		s.lines(columns, wide, part, here)
		from += here
	}
}

// lines writes so many lines of a row, on a new page where they would not fit.
func (s *sheet) lines(columns []Column, wide []float64, lines [][]string, most int) {
	high := float64(most)*lineHigh + 1.6
	if s.room(high) {
		s.columnTitles(columns, wide)
		s.font("", 8.5, ink)
	}
	x, y := margin, s.GetY()
	for i, col := range columns {
		for k, text := range lines[i] {
			s.SetXY(x, y+0.8+float64(k)*lineHigh)
			s.CellFormat(wide[i]-gutter, lineHigh, text, "", 0, align(col), false, 0, "")
		}
		x += wide[i]
	}
	s.SetXY(margin, y+high)
	s.draw(hairline, 0.1)
	s.Line(margin, y+high, margin+width, y+high)
}

// mark draws the house's mark at the head of a page.
func (s *sheet) mark() {
	s.draw(ink, 0.3)
	s.Circle(margin+4, 18, 4, "D")
	s.draw(brass, 0.1)
	s.Polygon([]fpdf.PointType{{X: margin + 4, Y: 14.7}, {X: margin + 4.9, Y: 18}, {X: margin + 4, Y: 17.7},
		{X: margin + 3.1, Y: 18}}, "F")
	s.draw(ink, 0.1)
	s.Polygon([]fpdf.PointType{{X: margin + 4, Y: 21.3}, {X: margin + 3.1, Y: 18}, {X: margin + 4, Y: 18.3},
		{X: margin + 4.9, Y: 18}}, "F")
}
