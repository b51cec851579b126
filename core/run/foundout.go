package run

import (
	"math"

	"northneedle/core/conformity"
	"northneedle/core/lookback"
)

// Limits are the limits that the verdict was held against; infinite on a side without one.
func (v Verdict) Limits() conformity.Limits {
	return conformity.Limits{Low: orInf(v.Low, -1), High: orInf(v.High, 1)}
}

// FoundOut are the levels at which a run found its device out as found, the worst first. A point
// that is inside its limit beyond doubt is not out, whatever the decision rule says of it.
func (r Run) FoundOut() []lookback.Level {
	var levels []lookback.Level
	worst, most := 0, 0.0
	for _, m := range r.Procedure.Measures() {
		if m.Judge.About != "" {
			continue
		}
		for i := range m.Points {
			p := &m.Points[i]
			v, err := r.Judge(m, p, 0)
			if err != nil || v == nil || v.Pass || v.Zone == conformity.Inside {
				continue
			}
			if math.Abs(v.ErrorToLimit) > most {
				worst, most = len(levels), math.Abs(v.ErrorToLimit)
			}
			limit := v.Limits().HalfWidth()
			if math.IsInf(limit, 0) {
				limit = 0
			}
			e, _ := r.Expect(m, p)
			levels = append(levels, lookback.Level{
				Gave:      e.Set != nil && e.Measured,
				Label:     m.Title + " " + p.Label,
				Reference: v.Reference,
				Error:     v.Error,
				Limit:     limit,
				U:         v.U,
				Unit:      r.Unit(m),
				Said:      v.Absent,
			})
		}
	}
	for _, f := range r.Procedure.Findings() {
		if r.Findings[f.ID].Closed == 0 {
			continue
		}
		if d, ok := r.Diagnose(f, 0); ok && d.Fails != "" {
			levels = append(levels, lookback.Level{Label: f.Title, Said: d.Fails})
		}
	}
	if len(levels) > 0 {
		levels[0], levels[worst] = levels[worst], levels[0]
	}
	return levels
}
