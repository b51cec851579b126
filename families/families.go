// Package families lists the device families: what each computes of its own, and its procedures
// and duties as data. A family is a folder here and a row in [All].
package families

import (
	"io/fs"

	"northneedle/core/procedure"
	"northneedle/core/signal"
	"northneedle/families/audiometer"
	"northneedle/families/bloodgas"
	"northneedle/families/breathmonitor"
	"northneedle/families/capnograph"
	"northneedle/families/chemistryanalyser"
	"northneedle/families/collectionbags"
	"northneedle/families/electricalsafety"
	"northneedle/families/flowanalyser"
	"northneedle/families/infusionpump"
	"northneedle/families/maintenance"
	"northneedle/families/metaboliccart"
	"northneedle/families/patientscale"
	"northneedle/families/photometer"
	"northneedle/families/shared"
	"northneedle/families/spirometer"
	"northneedle/families/ventilator"
	"northneedle/families/warmchamber"
)

// Family is one kind of device.
type Family struct {
	ID        string // as its procedures name it: "infusion-pump"
	Files     fs.FS  // procedures, and duties.yaml, at the top
	Catalogue procedure.Catalogue
	Figures   map[string]any // of the form of what its live readings show besides the value, by name
}

// All lists the families by their id.
func All() []Family {
	return []Family{
		{ID: "audiometer", Files: audiometer.Files, Catalogue: audiometer.Catalogue},
		{ID: "blood-gas-analyser", Files: bloodgas.Files, Catalogue: bloodgas.Catalogue},
		{ID: "breath-monitor", Files: breathmonitor.Files, Catalogue: breathmonitor.Catalogue},
		{ID: "capnograph", Files: capnograph.Files, Catalogue: capnograph.Catalogue},
		{ID: "chemistry-analyser", Files: chemistryanalyser.Files, Catalogue: chemistryanalyser.Catalogue},
		{ID: "collection-bag-meter", Files: collectionbags.Files, Catalogue: collectionbags.Catalogue},
		{ID: "electrical-safety", Files: electricalsafety.Files, Catalogue: electricalsafety.Catalogue},
		{ID: "flow-analyser", Files: flowanalyser.Files, Catalogue: flowanalyser.Catalogue},
		{ID: "infusion-pump", Files: infusionpump.Files, Catalogue: infusionpump.Catalogue,
			Figures: map[string]any{"trumpet": infusionpump.Trumpet{}}},
		{ID: "maintenance", Files: maintenance.Files, Catalogue: maintenance.Catalogue},
		{ID: "metabolic-cart", Files: metaboliccart.Files, Catalogue: metaboliccart.Catalogue},
		{ID: "patient-scale", Files: patientscale.Files, Catalogue: patientscale.Catalogue},
		{ID: "photometer", Files: photometer.Files, Catalogue: photometer.Catalogue},
		{ID: "spirometer", Files: spirometer.Files, Catalogue: spirometer.Catalogue,
			Figures: map[string]any{"strokes": signal.Stroke{}}},
		{ID: "ventilator", Files: ventilator.Files, Catalogue: ventilator.Catalogue},
		{ID: "warm-chamber", Files: warmchamber.Files, Catalogue: warmchamber.Catalogue},
	}
}

// Catalogue is what procedures of every family can name.
func Catalogue() procedure.Catalogue {
	all := []procedure.Catalogue{shared.Catalogue}
	for _, f := range All() {
		all = append(all, f.Catalogue)
	}
	return procedure.Join(all...)
}
