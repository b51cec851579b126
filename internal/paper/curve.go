package paper

import (
	"math"
	"strings"

	"northneedle/core/procedure"
	"northneedle/core/quantity"

	"gonum.org/v1/gonum/floats"
)

const (
	curveWidth  = width / 2
	curveHeight = 38.0
)

// curves draws what goes with a reading, two beside each other, and says each figure under its drawing.
func (s *sheet) curves(point string, all []procedure.Curve) {
	for i, c := range all {
		if i%2 == 0 && s.GetY() > 265-curveHeight {
			s.AddPage()
		}
		top := s.GetY()
		s.curve(margin+float64(i%2)*curveWidth, top, point, c)
		if s.SetY(top); i%2 == 1 || i == len(all)-1 {
			s.SetY(top + curveHeight - 2)
		}
	}
	for _, c := range all {
		s.font("", 6.8, grey)
		s.MultiCell(width, 3.3, figuresOf(c), "", "L", false)
	}
}

// figuresOf are a curve's figures in a line, so that it can be drawn again from the paper.
func figuresOf(c procedure.Curve) string {
	words := c.Title + " (" + c.X + ": " + c.Y + "): "
	for i, at := range c.At {
		if i > 0 {
			words += "; "
		}
		var values []string
		for _, line := range c.Lines {
			values = append(values, quantity.Format(line.Values[i], 0.1))
		}
		words += quantity.Format(at, 0.1) + ": " + strings.Join(values, " / ")
	}
	return words
}

// curve draws one curve with its upper left corner at a place. The smallest and the largest value are written at the side,
// the first and the last place at the foot.
func (s *sheet) curve(x, y float64, point string, c procedure.Curve) {
	low, high := math.Inf(1), math.Inf(-1)
	for _, line := range c.Lines {
		low, high = min(low, floats.Min(line.Values)), max(high, floats.Max(line.Values))
	}
	if high-low < 1e-9 {
		low, high = low-1, high+1
	}
	first, last := c.At[0], c.At[len(c.At)-1]
	if last == first {
		last++
	}
	left, right, upper, lower := x+14, x+curveWidth-6, y+8, y+curveHeight-8
	across := func(at float64) float64 { return left + (at-first)/(last-first)*(right-left) }
	up := func(value float64) float64 { return lower - (value-low)/(high-low)*(lower-upper) }
	text := func(x, y, w float64, align, words string) {
		s.SetXY(x, y)
		s.CellFormat(w, 3.4, words, "", 0, align, false, 0, "")
	}
	s.font("B", 7.5, ink)
	text(x, y, curveWidth, "L", c.Title+", "+point)
	s.font("", 6.8, grey)
	text(x, y+3.6, curveWidth, "L", c.Y)
	text(x, up(high)-1.7, 13, "R", quantity.Format(high, 0.1))
	text(x, up(low)-1.7, 13, "R", quantity.Format(low, 0.1))
	text(left-4, lower+1, 14, "L", quantity.Format(c.At[0], 0.1))
	text(right-30, lower+1, 30, "R", quantity.Format(c.At[len(c.At)-1], 0.1)+" "+c.X)
	s.draw(hairline, 0.15)
	s.Rect(left, upper, right-left, lower-upper, "D")
	if low < 0 && high > 0 {
		s.Line(left, up(0), right, up(0))
	}
	s.draw(ink, 0.35)
	for _, line := range c.Lines {
		for i := 1; i < len(c.At); i++ {
			s.Line(across(c.At[i-1]), up(line.Values[i-1]), across(c.At[i]), up(line.Values[i]))
		}
		for i, at := range c.At {
			if len(c.At) < 12 {
				s.Circle(across(at), up(line.Values[i]), 0.5, "F")
			}
		}
	}
}
