package paper

import (
	"math"

	"northneedle/core/conformity"
	"northneedle/core/runview"

	"codeberg.org/go-pdf/fpdf"
)

// reach is the length of a needle on paper, in millimetres.
const reach = 5.6

// tip is the point a lean reaches from a pivot: 0 is north, ±1 is 45°.
func tip(x, y, lean, r float64) fpdf.PointType {
	angle := math.Max(-82, math.Min(82, 45*lean)) * math.Pi / 180
	return fpdf.PointType{X: x + r*math.Sin(angle), Y: y - r*math.Cos(angle)}
}

// needle draws a point's mark: the arc between the limits, the fan of the
// uncertainty, as found hollow, as left solid.
func (s *sheet) needle(x, y float64, found, left *runview.VerdictView) {
	s.draw(ink, 0.2)
	var arc []fpdf.PointType
	for lean := -1.0; lean <= 1.001; lean += 0.1 {
		arc = append(arc, tip(x, y, lean, reach))
	}
	for i := 1; i < len(arc); i++ {
		s.Line(arc[i-1].X, arc[i-1].Y, arc[i].X, arc[i].Y)
	}
	for _, lean := range []float64{-1, 0, 1} {
		a, b := tip(x, y, lean, reach), tip(x, y, lean, reach*0.84)
		s.Line(a.X, a.Y, b.X, b.Y)
	}
	last := left
	if last == nil {
		last = found
	}
	fan := []fpdf.PointType{{X: x, Y: y}}
	for i := 0; i <= 8; i++ {
		fan = append(fan, tip(x, y, last.ErrorToLimit-last.UToLimit+float64(i)/4*last.UToLimit, reach*0.9))
	}
	s.SetAlpha(0.22, "Normal")
	s.draw(zoneColour(last.Zone), 0.1)
	s.Polygon(fan, "F")
	s.SetAlpha(1, "Normal")
	s.hollow(x, y, found)
	if left != nil {
		end := tip(x, y, left.ErrorToLimit, reach*0.92)
		s.draw(zoneColour(left.Zone), 0.7)
		s.Line(x, y, end.X, end.Y)
	}
	s.draw(zoneColour(last.Zone), 0.1)
	s.Circle(x, y, 0.6, "F")
}

func (s *sheet) hollow(x, y float64, v *runview.VerdictView) {
	end := tip(x, y, v.ErrorToLimit, reach*0.92)
	s.draw(zoneColour(v.Zone), 0.9)
	s.Line(x, y, end.X, end.Y)
	s.SetDrawColor(255, 255, 255)
	s.SetLineWidth(0.4)
	inner := tip(x, y, v.ErrorToLimit, reach*0.88)
	s.Line(x, y, inner.X, inner.Y)
}

func zoneColour(z conformity.Zone) colour {
	if z.Within() {
		return petrol
	}
	return vermilion
}

// zone draws one of the four shapes.
func (s *sheet) zone(x, y float64, z conformity.Zone) {
	c := zoneColour(z)
	s.draw(c, 0.35)
	const r = 1.7
	diamond := []fpdf.PointType{{X: x, Y: y - r}, {X: x + r, Y: y}, {X: x, Y: y + r}, {X: x - r, Y: y}}
	switch z {
	case conformity.Inside:
		s.Circle(x, y, r*0.85, "DF")
	case conformity.InsideDoubtful:
		s.Circle(x, y, r*0.85, "D")
		half := []fpdf.PointType{}
		for a := -90.0; a <= 90; a += 15 {
			half = append(half, fpdf.PointType{X: x + r*0.85*math.Cos(a*math.Pi/180),
				Y: y + r*0.85*math.Sin(a*math.Pi/180)})
		}
		s.Polygon(half, "F")
	case conformity.OutsideDoubtful:
		s.Polygon(diamond, "D")
	case conformity.Outside:
		s.Polygon(diamond, "DF")
	}
}
