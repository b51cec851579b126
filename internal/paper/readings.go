package paper

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"northneedle/core/run"
	"northneedle/core/runview"
)

// readings say how the points of each measure were read: typed, or from which instrument, how it was set, and by whom; with
// what each capture says of itself.
func (s *sheet) readings() {
	s.title("How it was read")
	for _, m := range s.view.Measures {
		ways := map[string][]string{}
		var order []string
		for _, p := range m.Points {
			for _, r := range p.Readings {
				if r.Withdrawn != "" {
					continue
				}
				way := wayOf(r)
				if _, seen := ways[way]; !seen {
					order = append(order, way)
				}
				ways[way] = append(ways[way], pointWords(p, r))
			}
		}
		for _, way := range order {
			s.line(m.Title, way+": "+strings.Join(slices.Compact(ways[way]), "; ")+".")
		}
		for _, p := range m.Points {
			for _, r := range p.Readings {
				if r.Withdrawn == "" && !r.Void {
					s.curves(p.Label, r.Curves)
				}
			}
		}
	}
}

// wayOf is where a reading is from and who took it, in words.
func wayOf(r runview.ReadingView) string {
	o := r.Origin
	if o == nil {
		return "typed by " + r.By
	}
	way := "over the link from " + o.Name
	if o.Tag != "" {
		way += " " + o.Tag
	}
	if o.Simulated {
		way += ", simulated"
	}
	var set []string
	for _, key := range slices.Sorted(maps.Keys(o.Settings)) {
		set = append(set, key+" "+o.Settings[key])
	}
	if len(set) > 0 {
		way += " (set: " + strings.Join(set, ", ") + ")"
	}
	return way + " by " + r.By
}

// pointWords is a reading's point, where it was not as found, and what the capture says of it.
func pointWords(p runview.PointView, r runview.ReadingView) string {
	words := p.Label
	switch {
	case r.Void:
		words += " (not counted)"
	case r.Phase == run.AsLeft:
		words += fmt.Sprintf(" (as left, round %d)", r.Round)
	}
	if r.Detail != "" {
		words += ", " + r.Detail
	}
	if r.Early != "" {
		words += ", taken early: " + r.Early
	}
	return words
}
