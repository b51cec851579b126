package paper

import (
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"northneedle/core/quantity"
	"northneedle/core/runview"
)

// columns of the table of points, in millimetres: the point; reference, shown and error as found, and as left; the limit,
// U; needle and mark.
var columns = []float64{27, 17, 16, 15, 17, 16, 15, 16, 17, 22}

func (s *sheet) points() {
	s.title("Points: as found and as left")
	sets, delivers := false, false
	for _, m := range s.view.Measures {
		s.measure(m)
		sets, delivers = sets || setting(m) && !delivering(m), delivers || delivering(m)
	}
	s.Ln(1)
	s.font("", 7.3, grey)
	formula := "Error = shown − reference"
	if sets {
		formula += "; where the device was set, error = set − delivered"
	}
	if delivers {
		formula += "; of what was set and delivered, error = delivered − set"
	}
	s.MultiCell(width, 3.6, formula+
		", of the figures as they are printed; verdicts go by the unrounded ones. The needle stands upright for no error and leans 45° at the limit; hollow: as found, solid: as left; the fan is the expanded uncertainty. "+
		"● inside · ◐ inside, within U of the limit · ◇ outside, within U of the limit · ◆ outside. U: expanded uncertainty for about 95 % coverage, k as stated; limit, U and mark are of as left, where there is one.", "", "L", false)
	s.Ln(0.5)
	s.MultiCell(width, 3.6, s.view.Rule, "", "L", false)
	if accredited(s.view) {
		s.MultiCell(width, 3.6, "‡ is within the accreditation "+s.view.Letterhead.Accreditation.Words()+"; what does not bear it is not: quantity, range or method lies outside its scope, or U below its least uncertainty.", "", "L", false)
	}
}

// accredited reports whether any result may be printed as accredited.
func accredited(v runview.View) bool {
	for _, m := range v.Measures {
		for _, p := range m.Points {
			if p.Found != nil && p.Found.Accredited || p.Left != nil && p.Left.Accredited {
				return true
			}
		}
	}
	return false
}

// setting reports whether a measure compares what the device was set to with what it delivered.
func setting(m runview.MeasureView) bool {
	return slices.ContainsFunc(m.Points, func(p runview.PointView) bool { return p.Expected != nil && p.Expected.Set != nil })
}

// delivering reports whether what a device delivered counts as what it shows, held against what it was set to.
func delivering(m runview.MeasureView) bool {
	return slices.ContainsFunc(m.Points, func(p runview.PointView) bool {
		return p.Expected != nil && p.Expected.Set != nil && p.Expected.Measured
	})
}

func (s *sheet) measure(m runview.MeasureView) {
	if s.GetY() > 236 {
		s.AddPage()
	}
	s.font("B", 8, ink)
	unit := ""
	if m.Shown != "" {
		unit = " in " + m.Shown
	}
	s.CellFormat(width, 5, m.Title+unit+", limit "+limitWords(m), "", 1, "L", false, 0, "")
	s.font("", 7.3, grey)
	s.CellFormat(columns[0], 3.6, "", "", 0, "L", false, 0, "")
	s.CellFormat(columns[1]+columns[2]+columns[3], 3.6, "as found", "", 0, "C", false, 0, "")
	s.CellFormat(columns[4]+columns[5]+columns[6], 3.6, "as left", "", 1, "C", false, 0, "")
	reference, shown := "Reference", "Shown"
	switch {
	case delivering(m):
		reference, shown = "Set", "Delivered"
	case setting(m):
		reference, shown = "Delivered", "Set"
	}
	for i, head := range []string{"Point", reference, shown, "Error", reference, shown, "Error", "Limit ±", "U (k)", ""} {
		align := "R"
		if i == 0 {
			align = "L"
		}
		s.CellFormat(columns[i], 4, head, "B", 0, align, false, 0, "")
	}
	s.Ln(4)
	for _, p := range m.Points {
		if s.GetY() > 265 {
			s.AddPage()
		}
		s.point(m, p)
	}
	s.below(m)
	if formulas := formulasOf(m); formulas != "" {
		s.font("", 6.8, grey)
		s.MultiCell(width, 3.3, formulas, "", "L", false)
	}
	s.Ln(1.5)
}

// limitWords is a measure's limit as it is printed, with what it is widened by, and where another counts.
func limitWords(m runview.MeasureView) string {
	words := strings.NewReplacer("<=", "≤", ">=", "≥", "..", " to ").Replace(m.Tolerance)
	if m.LimitPlus > 0 {
		words += fmt.Sprintf(", and %g that the reference allows itself", m.LimitPlus)
	}
	if m.Low != nil {
		words += fmt.Sprintf("; up to %g %s its maker's", m.Low.UpTo, m.Shown)
	}
	return words
}

// formulasOf are the formulas that a measure's figures were computed by, each once.
func formulasOf(m runview.MeasureView) string {
	var all []string
	for _, p := range m.Points {
		for _, v := range []*runview.VerdictView{p.Found, p.Left} {
			if v != nil && v.Formula != "" && !slices.Contains(all, v.Formula) {
				all = append(all, v.Formula)
			}
		}
	}
	return strings.Join(all, " · ")
}

// figures are the three figures of a verdict as they are printed. They add up: the error is that of the printed two, so
// that whoever checks the paper finds it; it is never further from the true one than the rounding.
func figures(m runview.MeasureView, v *runview.VerdictView) (reference, shown, err string) {
	fine := m.Resolution / 10
	step := m.Resolution
	if whole := v.Indicated / step; delivering(m) || math.Abs(whole-math.Round(whole)) > 1e-6 {
		step = fine // what a reference measured, a mean of several readings, or a reading finer than the display
	}
	if v.Absent != "" {
		return quantity.Format(v.Reference, fine), "none", "–"
	}
	if v.Window {
		return "–", quantity.Format(v.Indicated, step), "–"
	}
	rounded := func(value, step float64) float64 { return math.Round(value/step) * step }
	return quantity.Format(v.Reference, fine), quantity.Format(v.Indicated, step),
		quantity.FormatSigned(rounded(v.Indicated, step)-rounded(v.Reference, fine), fine)
}

func (s *sheet) point(m runview.MeasureView, p runview.PointView) {
	cells := []string{p.Label, "–", "–", "–", "", "", "", "–", "–"}
	if p.Own {
		cells[0] += " (own)"
	}
	if p.Omitted != "" {
		cells[0] += " (left out)"
	}
	last := p.Left
	if p.Found != nil {
		cells[1], cells[2], cells[3] = figures(m, p.Found)
		if cells[5] = "as found"; p.Left == nil {
			last = p.Found
		}
	}
	if p.Left != nil {
		cells[4], cells[5], cells[6] = figures(m, p.Left)
	}
	if last != nil {
		cells[7] = limits(last, m.Resolution/10)
		cells[8] = fmt.Sprintf("%s (%.1f)", quantity.Format(last.U, m.Resolution/10), last.K)
		if last.Accredited {
			cells[0] += " ‡"
		}
	}
	for i := range p.Voided {
		s.voided(m, &p.Voided[i])
	}
	y := s.GetY()
	s.font("", 8, ink)
	for i, text := range cells {
		align := "R"
		if i == 0 {
			align = "L"
		}
		s.CellFormat(columns[i], 7.6, text, "", 0, align, false, 0, "")
	}
	if last != nil && s.view.About(m) == "" {
		found := p.Found
		if found == nil { // a point of one's own that was added later
			found = p.Left
		}
		s.needle(margin+width-15, y+6.7, found, p.Left)
		s.zone(margin+width-5, y+3.8, last.Zone)
	}
	s.SetXY(margin, y+7.6)
	s.draw(hairline, 0.1)
	s.Line(margin, y+7.6, margin+width, y+7.6)
}

// below is what stands below a measure's table: where a ratio is below the floor, and what other criteria in use say, each
// once with its points.
func (s *sheet) below(m runview.MeasureView) {
	said := map[string][]string{}
	var order []string
	say := func(what, point string) {
		if _, known := said[what]; !known {
			order = append(order, what)
		}
		said[what] = append(said[what], point)
	}
	for _, p := range m.Points {
		last := p.Left
		if last == nil {
			last = p.Found
		}
		if last == nil {
			continue
		}
		if ratio, why, warned := strings.Cut(last.Warning, " is "); warned {
			say(why, p.Label+" "+ratio)
		} else if last.Warning != "" {
			say(last.Warning, p.Label)
		}
		for _, v := range []*runview.VerdictView{p.Found, p.Left} {
			if v != nil && v.Absent != "" {
				say(v.Absent, p.Label+", "+string(v.Phase))
			}
		}
		if e := last.Earlier; e != nil {
			words := "before: " + quantity.Format(e.Value, m.Resolution) + " on " + e.At.Format(time.DateOnly)
			if last.Jump != "" {
				words += ", a jump"
			}
			say(words, p.Label)
		}
		for _, other := range last.Alternatives {
			say("by the criterion “"+other.Title+"”, "+other.Zone.Words(), p.Label)
		}
	}
	s.font("", 6.8, grey)
	if about := s.view.About(m); about != "" {
		s.MultiCell(width, 3.3, "No point is judged by itself: together they are a statement about "+about+".", "", "L", false)
	}
	between := ", "
	if slices.ContainsFunc(m.Points, func(p runview.PointView) bool { return strings.Contains(p.Label, between) }) {
		between = "; "
	}
	for _, what := range order {
		s.MultiCell(width, 3.3, strings.ToUpper(what[:1])+what[1:]+": "+strings.Join(said[what], between), "", "L", false)
	}
}

// voided is the row of a point as it was found and does not count, because that came from outside the device; above the
// one that does.
func (s *sheet) voided(m runview.MeasureView, v *runview.VerdictView) {
	reference, shown, err := figures(m, v)
	s.font("", 7.3, grey)
	for i, text := range []string{"not counted", reference, shown, err} {
		align := "R"
		if i == 0 {
			align = "L"
		}
		s.CellFormat(columns[i], 4.6, text, "", 0, align, false, 0, "")
	}
	s.CellFormat(width-columns[0]-columns[1]-columns[2]-columns[3], 4.6, "  as found at first: a cause outside the device (see remarks)", "", 1, "L", false, 0, "")
}

// limits are the limits on an error, or on what is shown, as they are printed.
func limits(v *runview.VerdictView, fine float64) string {
	switch {
	case v.Window:
		return runview.WindowWords(v.Verdict)
	case v.High != nil && v.Low != nil && *v.High == -*v.Low:
		return quantity.Format(*v.High, fine)
	case v.High != nil && v.Low != nil:
		return quantity.Format(*v.Low, fine) + "/" + quantity.Format(*v.High, fine)
	case v.High != nil:
		return "≤ " + quantity.Format(*v.High, fine)
	case v.Low != nil:
		return "≥ " + quantity.Format(*v.Low, fine)
	}
	return "–"
}
