package run

// LeastRatio is the smallest ratio of the limit to the expanded uncertainty of the reference alone among the points of the
// run, each by its last round, and the label of that point: what a reference of this kind can decide of the device, whatever
// its own display and scatter add. It is 0 where no point has limits on both sides and a reference.
func (r Run) LeastRatio() (ratio float64, at string) {
	for _, m := range r.Procedure.Measures() {
		for i := range m.Points {
			p := &m.Points[i]
			for round := max(1, r.Findings[m.Judge.ID].Closed) - 1; round >= 0; round-- {
				v, err := r.Judge(m, p, round)
				if err != nil || v == nil || v.Absent != "" {
					continue
				}
				if v.Low != nil && v.High != nil && v.ReferenceU > 0 {
					if here := (*v.High - *v.Low) / 2 / v.ReferenceU; here > 0 && (ratio == 0 || here < ratio) {
						ratio, at = here, m.Title+" "+p.Label
					}
				}
				break
			}
		}
	}
	return ratio, at
}
