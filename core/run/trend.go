package run

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"northneedle/core/procedure"
	"northneedle/core/quantity"
)

// EarlierOf is what the device gave at a point before, in the unit that the device shows the measure in; nil where nothing is
// known, or the measure keeps no trend.
func (r Run) EarlierOf(m *procedure.Measure, p *procedure.Point) *procedure.PastValue {
	if m.Trend == nil {
		return nil
	}
	at := slices.IndexFunc(r.Earlier, func(e procedure.Earlier) bool { return e.Measure == m.ID && e.Point == p.ID })
	if at < 0 {
		return nil
	}
	past := m.Trend.Of(r.Earlier[at])
	scale, err := quantity.ScaleOf(m.Quantity, r.Earlier[at].Unit, r.Unit(m))
	if err != nil {
		return nil
	}
	past.Value *= scale
	return &past
}

// compareEarlier sets a verdict beside what the device gave before.
func (r Run) compareEarlier(v *Verdict, m *procedure.Measure, p *procedure.Point, out procedure.Outcome) {
	if v.Earlier = r.EarlierOf(m, p); v.Earlier == nil {
		return
	}
	now := out.Indicated
	if !m.Trend.Jumped(now/out.Factor, v.Earlier.Value/out.Factor) {
		return
	}
	which := "at its first good test"
	if m.Trend.Against == procedure.Last {
		which = "the last time"
	}
	by := ""
	if v.Earlier.Value != 0 {
		by = " (" + quantity.FormatSigned(100*(now/v.Earlier.Value-1), 1) + " %)"
	}
	before := strings.TrimSpace(quantity.Format(v.Earlier.Value, v.Resolution) + " " + quantity.ShowUnit(out.Unit))
	v.Jump = strings.TrimSpace(fmt.Sprintf("%s, %s on %s, %s now%s", before, which, v.Earlier.At.Format(time.DateOnly), quantity.Format(now, v.Resolution), by))
}

// Jumps are the points of a finding that are far from what the device gave before, up to a round, each in words.
func (r Run) Jumps(f *procedure.Finding, round int) (words []string) {
	for _, m := range f.Measures {
		for i := range m.Points {
			if v, err := r.latest(m, &m.Points[i], round); err == nil && v != nil && v.Jump != "" {
				words = append(words, fmt.Sprintf("%s %s: %s", m.Title, m.Points[i].Label, v.Jump))
			}
		}
	}
	return words
}
