package workshop

import (
	"cmp"
	"maps"
	"slices"
	"strings"

	"northneedle/core/adjust"
	"northneedle/core/gas"
	"northneedle/core/quantity"
	"northneedle/internal/ledger"
)

// Particular is one thing in which a device differs from what its procedures say.
type Particular struct {
	Label string `json:"label"`
	Words string `json:"words"`
}

// particulars are the maker's limits of a device and what it is set to, in words.
func (ws *Workshop) particulars(a *ledger.Asset) []Particular {
	own, titles := []Particular{}, map[string]string{}
	for _, p := range ws.procedures() {
		if p.Family != a.Family {
			continue
		}
		for _, m := range p.Measures() {
			titles[m.ID] = m.Title
		}
	}
	of := func(measure string) string { return cmp.Or(titles[measure], measure) }
	for _, measure := range slices.Sorted(maps.Keys(a.Limits)) {
		own = append(own, Particular{"Limit, " + of(measure), a.Limits[measure] + " (the maker’s)"})
	}
	for _, name := range slices.Sorted(maps.Keys(a.Settings)) {
		value := a.Settings[name]
		measure, isUnit := strings.CutPrefix(name, "unit.")
		switch unit, err := quantity.ParseUnit(value); {
		case isUnit && err == nil:
			own = append(own, Particular{"Shown unit, " + of(measure), unit.Shown()})
		case name == "adjustment":
			own = append(own, Particular{"Adjusted", cmp.Or(schoolWords[adjust.School(value)], value)})
		case name == "co2_basis":
			own = append(own, Particular{"Partial pressure of CO₂", cmp.Or(basisWords[gas.Basis(value)], value)})
		default:
			own = append(own, Particular{name, value})
		}
	}
	return own
}

var schoolWords = map[adjust.School]string{
	adjust.Threshold:   "when an error is worth it",
	adjust.Nominal:     "to nominal every time",
	adjust.Calendar:    "by the calendar, whatever the check says",
	adjust.MeasureOnly: "never: measured only",
}

var basisWords = map[gas.Basis]string{
	gas.AmbientDry:    "stated dry, at the room’s pressure",
	gas.BodySaturated: "stated at 37 °C, saturated",
}
