// Package breathmonitor is the family of breath carbon monoxide monitors.
package breathmonitor

import (
	"northneedle/core/gas"
	"northneedle/core/procedure"
	"northneedle/families/shared"
)

// Catalogue is what the family computes of its own.
var Catalogue = procedure.Catalogue{
	Captures: map[string]procedure.CaptureMethod{"carbon-monoxide": {Read: carbonMonoxide}},
}

// carbonMonoxide waits until a breath monitor's reading stands, and says what it would
// mean in blood, as an estimate.
func carbonMonoxide(in procedure.CaptureInput) procedure.LiveReading {
	live := shared.Steady(in)
	if live.Value == nil {
		return live
	}
	if share, err := gas.Carboxyhaemoglobin(max(0, *live.Value), gas.StandardPressureHPa); err == nil {
		live.Say("would be about", "%.1f %% carboxyhaemoglobin, an estimate", share)
	}
	return live
}
