package paper

import (
	"strings"
	"unicode/utf8"
)

// The PDF writer knows the characters of the basic plane only, and fails on any other.
// What people type goes to it through these.

// plain has a replacement character for each that cannot stand on paper.
func plain(text string) string {
	return strings.Map(func(r rune) rune {
		if r > 0xFFFF {
			return utf8.RuneError
		}
		return r
	}, strings.ToValidUTF8(text, string(utf8.RuneError)))
}

func (s *sheet) CellFormat(w, h float64, text, border string, ln int, align string, fill bool, link int, to string) {
	s.Fpdf.CellFormat(w, h, plain(text), border, ln, align, fill, link, to)
}

func (s *sheet) MultiCell(w, h float64, text, border, align string, fill bool) {
	s.Fpdf.MultiCell(w, h, plain(text), border, align, fill)
}

func (s *sheet) SplitText(text string, w float64) []string { return s.Fpdf.SplitText(plain(text), w) }

func (s *sheet) GetStringWidth(text string) float64 { return s.Fpdf.GetStringWidth(plain(text)) }

func (s *sheet) SetTitle(title string, utf8 bool) { s.Fpdf.SetTitle(plain(title), utf8) }
