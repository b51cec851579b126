// Package demo fills a new ledger with the made-up Hallowmere Sound Health Service:
// the same from the same seed, with dates relative to the day it starts.
package demo

import (
	"northneedle/core/gas"
	"northneedle/core/person"
	"northneedle/core/reference"
	"northneedle/internal/sim"
)

// model is an invented device model.
type model struct {
	family, maker, name string
	risk                int
	settings, limits    map[string]string
	resolution          map[string]float64
}

var models = []model{
	{family: "capnograph", maker: "Ostrel", name: "C2 capnograph", risk: 5,
		limits: map[string]string{"co2": "±(0.2 + 4 % of reading)"}},
	{family: "capnograph", maker: "Velloway", name: "Aire 4 capnograph", risk: 4,
		settings:   map[string]string{"unit.co2": "mm[Hg]", "co2_basis": "btps"},
		resolution: map[string]float64{"co2": 0.1}},
	{family: "patient-scale", maker: "Kestmoor", name: "column scale 200", risk: 3},
	{family: "patient-scale", maker: "Fenwick & Dray", name: "chair scale 200", risk: 3},
	{family: "ventilator", maker: "Ostrel", name: "V7 ventilator", risk: 5},
	{family: "infusion-pump", maker: "Marrable", name: "P1 volumetric pump", risk: 4},
	{family: "infusion-pump", maker: "Thornquay", name: "S3 syringe driver", risk: 4},
	{family: "spirometer", maker: "Velloway", name: "F2 spirometer", risk: 2},
	{family: "metabolic-cart", maker: "Fenwick & Dray", name: "M9 metabolic cart", risk: 2},
	{family: "audiometer", maker: "Kestmoor", name: "A5 audiometer", risk: 1},
	{family: "blood-gas-analyser", maker: "Thornquay", name: "B3 blood-gas analyser", risk: 4},
	{family: "photometer", maker: "Marrable", name: "L2 photometer", risk: 2},
	{family: "breath-monitor", maker: "Velloway", name: "CO breath monitor", risk: 1},
	{family: "warm-chamber", maker: "Kestmoor", name: "W6 warm chamber", risk: 3},
	{family: "collection-bag-meter", maker: "Fenwick & Dray", name: "dry-gas meter", risk: 1},
	{family: "chemistry-analyser", maker: "Ostrel", name: "K4 chemistry analyser", risk: 3},
	{family: "chemistry-analyser", maker: "Thornquay", name: "D1 chemistry analyser", risk: 3,
		settings:   map[string]string{"unit.glucose": "mg/dL", "unit.urea": "mg/dL", "unit.uric acid": "mg/dL"},
		resolution: map[string]float64{"controls": 0.1}},
}

// where devices are: site, its tag letters, and its places.
var sites = []struct {
	name, letters string
	room          [3]string
	places        []string
}{
	{"Merrowby General", "MB", [3]string{"21.4", "1008", "46"},
		[]string{"Theatre 1", "Theatre 2", "Recovery", "Ward 3", "Ward 5", "Intensive care", "Lung-function room",
			"Laboratory", "Workshop"}},
	{"Stranna Head Cottage Hospital", "SH", [3]string{"20.1", "1011", "58"},
		[]string{"Day room", "Ward", "Minor theatre"}},
	{"Quillet Island Clinic", "QI", [3]string{"19.6", "1013", "61"}, []string{"Treatment room", "Antenatal", "Store"}},
	{"Ardrennish Ridge Sanatorium", "AR", [3]string{"20.8", "872", "38"},
		[]string{"Ward North", "Ward South", "Exercise lab"}},
	{"Hospital boat Petrel", "PT", [3]string{"22.0", "1010", "66"}, []string{"Cabin 1", "Bridge deck"}},
}

// fleet says how many of each model stand at each site, in the order of models and sites.
var fleet = [][5]int{
	{6, 1, 1, 1, 1}, {2, 1, 0, 1, 0}, {5, 2, 2, 1, 1}, {3, 1, 1, 1, 0}, {6, 1, 0, 1, 1}, {10, 3, 1, 2, 1},
	{6, 2, 1, 1, 0}, {3, 1, 1, 1, 0},
	{1, 0, 0, 1, 0}, {2, 1, 1, 0, 0}, {2, 1, 0, 0, 1}, {2, 0, 1, 0, 0}, {3, 1, 1, 1, 0}, {3, 0, 0, 0, 0},
	{1, 0, 0, 1, 0}, {1, 0, 1, 0, 0}, {1, 0, 0, 0, 0},
}

// Demo people, by id.
var cast = []struct {
	id, name string
	role     person.Role
}{
	{"tamsin", "Tamsin Orrery", person.Lead}, {"idris", "Idris Vail", person.Technician},
	{"noor", "Noor Bexley", person.Technician},
	{"fenn", "Fenn Castellan", person.Trainee}, {"odile", "Odile Marsh", person.Manager},
	{"bram", "Bram Ostley", person.Administrator},
}

// reference is a standard; ages are in days before today.
type ref struct {
	tag, name, kind, maker string
	certified, due         int // days ago, days ahead (negative: overdue)
	accredited             bool
	values                 []reference.Certified
	cylinder               *gas.Cylinder
	status, note           string
	lot, parent            string
	drift                  float64 // of its first value, a year; the history of certificates shows it
}

func co2(value, u float64) []reference.Certified {
	return []reference.Certified{{Quantity: "CO2", Value: value, Unit: "%{vol}", U: u, K: 2, DriftPerYear: 0.3 * u}}
}

func ranged(name string, from, to float64, unit string, u float64) reference.Certified {
	return reference.Certified{Quantity: name, From: from, To: to, Unit: unit, U: u, K: 2}
}

// liquid is what a lot of liquid controls should read.
func liquid(ph, pco2, po2, sodium, potassium, haemoglobin float64) []reference.Certified {
	return []reference.Certified{{Quantity: "pH", Value: ph, Unit: "[pH]", U: 0.004, K: 2},
		{Quantity: "pCO2", Value: pco2, Unit: "mm[Hg]", U: 0.5, K: 2},
		{Quantity: "pO2", Value: po2, Unit: "mm[Hg]", U: 1.2, K: 2},
		{Quantity: "sodium", Value: sodium, Unit: "mmol/L", U: 1, K: 2},
		{Quantity: "potassium", Value: potassium, Unit: "mmol/L", U: 0.06, K: 2},
		{Quantity: "haemoglobin", Value: haemoglobin, Unit: "g/L", U: 1.2, K: 2}}
}

// serum is what a lot of calibrator or control is stated to hold, each value with its U: glucose and urea in mmol/L,
// uric acid in µmol/L, alanine aminotransferase in U/L.
func serum(glucose, uGlucose, urea, uUrea, uricAcid, uUricAcid, alt, uALT float64) []reference.Certified {
	return []reference.Certified{{Quantity: "glucose", Value: glucose, Unit: "mmol/L", U: uGlucose, K: 2},
		{Quantity: "urea", Value: urea, Unit: "mmol/L", U: uUrea, K: 2},
		{Quantity: "uric acid", Value: uricAcid, Unit: "umol/L", U: uUricAcid, K: 2},
		{Quantity: "ALT", Value: alt, Unit: "U/L", U: uALT, K: 2}}
}

func cylinder(bar float64) *gas.Cylinder {
	return &gas.Cylinder{WaterVolumeL: 2, GaugeBar: bar, ReserveBar: 5}
}

// kit is a set of certified weights; U grows with the mass as a class M1 certificate's does.
func kit(pieces ...float64) []reference.Certified {
	var lines []reference.Certified
	for i, kg := range pieces {
		lines = append(lines, reference.Certified{
			Quantity: "mass",
			Piece:    trim(kg) + " kg",
			Value:    kg * (1 + 1e-6*float64(i%5-2)),
			Unit:     "kg",
			U:        kg * 1.6e-5,
			K:        2,
		})
	}
	return lines
}

var finger = []reference.Certified{ranged("SpO2", 50, 100, "%", 0.6), ranged("pulse", 20, 250, "/min", 0.2)}

// analyser is what a flow analyser is certified for: volumes by range, since their
// uncertainty grows with them.
var analyser = []reference.Certified{ranged("volume", 20, 70, "mL", 1.2), ranged("volume", 71, 200, "mL", 2.2),
	ranged("volume", 201, 400, "mL", 5), ranged("volume", 401, 2000, "mL", 12),
	ranged("pressure", 0, 120, "cm[H2O]", 0.3), ranged("rate", 2, 150, "/min", 0.1), ranged("ratio", 0.5, 6, "1", 0.03),
	ranged("O2", 18, 100, "%", 0.6)}

var references = []ref{
	{tag: "HG-22", name: "5 % CO₂ in air", kind: "gas", maker: "Marrable", certified: 210, due: 520, accredited: true,
		values: co2(5.02, 0.05), cylinder: cylinder(61)},
	{tag: "HG-23", name: "10 % CO₂ in air", kind: "gas", maker: "Marrable", certified: 210, due: 520, accredited: true,
		values: co2(10.04, 0.10), cylinder: cylinder(84)},
	{tag: "HG-19", name: "5 % CO₂ in air", kind: "gas", maker: "Marrable", certified: 500, due: 230, accredited: true,
		values: co2(4.98, 0.05), cylinder: cylinder(37), status: reference.Quarantined,
		note: "read 0.42 vol% low against HG-22; back to its maker for analysis"},
	{tag: "HG-20", name: "10 % CO₂ in air", kind: "gas", maker: "Marrable", certified: 640, due: 90, accredited: true,
		values: co2(9.97, 0.10), cylinder: cylinder(7)},
	{tag: "HG-24", name: "16 % O₂, 4 % CO₂ in nitrogen", kind: "gas-pair", maker: "Marrable", certified: 120, due: 610,
		accredited: true, values: []reference.Certified{{Quantity: "O2", Value: 16.01, Unit: "%{vol}", U: 0.03, K: 2},
			{Quantity: "CO2", Value: 4.03, Unit: "%{vol}", U: 0.03, K: 2}}, cylinder: cylinder(112)},
	{tag: "HG-26", name: "26 % O₂, 1 % CO₂ in nitrogen", kind: "gas-pair", maker: "Marrable", certified: 120, due: 610,
		accredited: true, values: []reference.Certified{{Quantity: "O2", Value: 26.02, Unit: "%{vol}", U: 0.04, K: 2},
			{Quantity: "CO2", Value: 1.01, Unit: "%{vol}", U: 0.02, K: 2}}, cylinder: cylinder(96)},
	{tag: "HG-25", name: "50 ppm CO in air", kind: "gas-co", maker: "Marrable", certified: 300, due: 65,
		accredited: true, values: []reference.Certified{{Quantity: "CO", Value: 49.6, Unit: "[ppm]", U: 1, K: 2}},
		cylinder: cylinder(28)},
	{tag: "GB-1", name: "Gas bench", kind: "gas-bench", maker: "Thornquay", certified: 150, due: 215, parent: "SW-1",
		values: []reference.Certified{ranged("rate", 4, 60, "/min", 0.1)}},
	{tag: "FS-1", name: "Finger simulator", kind: "finger-simulator", maker: "Ostrel", certified: 160, due: 205,
		accredited: true, values: finger, drift: 0.1},
	{tag: "FS-2", name: "Finger simulator", kind: "finger-simulator", maker: "Ostrel", certified: 410, due: -45,
		accredited: true, values: finger, drift: 0.1},
	{tag: "WK-1", name: "Weights, 5 × 20 kg and small pieces", kind: "weights", maker: "Fenwick & Dray", certified: 330,
		due: 400, accredited: true, values: kit(20, 20, 20, 20, 20, 10, 5, 5, 2, 2, 1)},
	{tag: "WK-2", name: "Weights, 5 × 20 kg and a 10 kg", kind: "weights", maker: "Fenwick & Dray", certified: 90,
		due: 640, accredited: true, values: kit(20, 20, 20, 20, 20, 10)},
	{tag: "FA-1", name: "Flow analyser", kind: "flow-analyser", maker: "Velloway", certified: 200, due: 165,
		accredited: true, values: analyser},
	{tag: "FA-2", name: "Flow analyser", kind: "flow-analyser", maker: "Velloway", certified: 340, due: 25,
		accredited: true, values: analyser},
	{tag: "SY-1", name: "3 L syringe", kind: "syringe", maker: "Kestmoor", certified: 250, due: 115, accredited: true,
		drift: -0.002, values: []reference.Certified{{Quantity: "volume", Value: 3.001, Unit: "L", U: 0.012, K: 2}}},
	{tag: "SY-2", name: "3 L syringe", kind: "syringe", maker: "Kestmoor", certified: 100, due: 265, accredited: true,
		values: []reference.Certified{{Quantity: "volume", Value: 2.998, Unit: "L", U: 0.012, K: 2}}},
	{tag: "BL-1", name: "Balance 2 kg / 1 mg", kind: "balance", maker: "Fenwick & Dray", certified: 280, due: 85,
		accredited: true, values: []reference.Certified{ranged("mass", 0, 2, "kg", 5e-6)}},
	{tag: "TP-1", name: "Thermometer probe", kind: "thermometer", maker: "Thornquay", certified: 190, due: 175,
		accredited: true, values: []reference.Certified{ranged("temperature", 20, 45, "Cel", 0.03)}},
	{tag: "TP-2", name: "Thermometer probe", kind: "thermometer", maker: "Thornquay", certified: 20, due: 345,
		accredited: true, values: []reference.Certified{ranged("temperature", 20, 45, "Cel", 0.03)}},
	{tag: "RC-01", name: "Room conditions, workshop", kind: "room-conditions", maker: "Ostrel", certified: 220,
		due: 145, values: []reference.Certified{ranged("temperature", 10, 35, "Cel", 0.3),
			ranged("pressure", 800, 1060, "hPa", 1), ranged("humidity", 20, 80, "%", 3)}},
	{tag: "RC-02", name: "Room conditions, van", kind: "room-conditions", maker: "Ostrel", certified: 220, due: 145,
		values: []reference.Certified{ranged("temperature", 10, 35, "Cel", 0.3),
			ranged("pressure", 800, 1060, "hPa", 1), ranged("humidity", 20, 80, "%", 3)}},
	{tag: "AC-1", name: "Acoustic calibrator 1 kHz", kind: "acoustic-calibrator", maker: "Velloway", certified: 130,
		due: 235, accredited: true, drift: 0.03, values: []reference.Certified{{Quantity: "level", Value: 94,
			Unit: "dB[SPL]", U: 0.2, K: 2}}},
	{tag: "AN-1", name: "Sound-level analyser", kind: "sound-analyser", maker: "Velloway", certified: 130, due: 235,
		accredited: true, values: []reference.Certified{ranged("level", 20, 130, "dB[SPL]", 0.5),
			ranged("electrical level", -20, 130, "dB[SPL]", 0.4), ranged("frequency", 20, 20000, "Hz", 0.5),
			ranged("distortion", 0, 20, "%", 0.2), ranged("time", 1, 2000, "ms", 4), ranged("band level", 0, 130, "dB", 0.6)}},
	{tag: "AM-1", name: "Artificial mastoid", kind: "artificial-mastoid", maker: "Velloway", certified: 130, due: 235,
		accredited: true,
		values:     []reference.Certified{ranged("force level", 20, 120, "dB", 0.9)}},
	{tag: "EC-1", name: "Coupler 6 cm³", kind: "coupler", maker: "Velloway", certified: 130, due: 600, accredited: true,
		values: []reference.Certified{ranged("level", 20, 130, "dB[SPL]", 0.4)}},
	{tag: "TL-1", name: "Test lung", kind: "test-lung", maker: "Ostrel", certified: 310, due: 55, parent: "PG-1",
		values: []reference.Certified{{Quantity: "compliance", Value: 0.05, Unit: "L/cm[H2O]", U: 0.002, K: 2}}},
	{tag: "PG-1", name: "Pressure gauge", kind: "pressure", maker: "Marrable", certified: 60, due: 305,
		accredited: true, values: []reference.Certified{ranged("pressure", 0, 150, "kPa", 0.4)}},
	{tag: "FL-1", name: "Absorbance filters", kind: "absorbance", maker: "Marrable", certified: 400, due: 330,
		accredited: true, values: []reference.Certified{ranged("absorbance", 0, 2, "1", 0.004)}},
	{tag: "PP-0", name: "Pipette 5–100 µL, fine", kind: "pipette", maker: "Kestmoor", certified: 70, due: 295, accredited: true,
		values: []reference.Certified{ranged("volume", 5, 20, "uL", 0.12), ranged("volume", 20.1, 100, "uL", 0.5)}},
	{tag: "PP-1", name: "Pipette 10–100 µL", kind: "pipette", maker: "Kestmoor", certified: 80, due: 285,
		parent: "BL-1", values: []reference.Certified{ranged("volume", 10, 100, "uL", 0.8)}},
	{tag: "PP-2", name: "Pipette 100–1000 µL", kind: "pipette", maker: "Kestmoor", certified: 80, due: 285,
		parent: "BL-1", values: []reference.Certified{ranged("volume", 100, 1000, "uL", 4)}},
	{tag: "QC-11", name: "Blood-gas control, level 1", kind: "control", maker: "Thornquay", certified: 60, due: 210,
		lot: "T1-2604", values: liquid(7.16, 66, 62, 118, 2.6, 78)},
	{tag: "QC-12", name: "Blood-gas control, level 2", kind: "control", maker: "Thornquay", certified: 60, due: 210,
		lot: "T2-2604", values: liquid(7.40, 41, 101, 138, 4.2, 131)},
	{tag: "QC-13", name: "Blood-gas control, level 3", kind: "control", maker: "Thornquay", certified: 60, due: 210,
		lot: "T3-2604", values: liquid(7.58, 22, 148, 158, 6.4, 187)},
	{tag: "CT-31", name: "Blood-gas cartridges", kind: "cartridge", maker: "Thornquay", certified: 70, due: 24,
		lot: "C-4471"},
	{tag: "CT-32", name: "Blood-gas cartridges", kind: "cartridge", maker: "Thornquay", certified: 20, due: 140,
		lot: "C-4502"},
	{tag: "GS-4", name: "Blood-gas gas bottle", kind: "gas-bottle", maker: "Marrable", certified: 90, due: 120,
		lot: "B-118"},
	{tag: "HB-2", name: "Haemoglobin calibrator", kind: "haemoglobin-calibrator", maker: "Thornquay", certified: 60,
		due: 75, lot: "H-2609", values: []reference.Certified{{Quantity: "tHb", Value: 142, Unit: "g/L", U: 1.5,
			K: 2}}},
	{tag: "QC-9", name: "Glucose calibrator", kind: "calibrator", maker: "Marrable", certified: 400, due: -12,
		lot: "G-2511", values: []reference.Certified{{Quantity: "glucose", Value: 5.55, Unit: "mmol/L", U: 0.08,
			K: 2}}},
	{tag: "QC-21", name: "Glucose calibrator", kind: "calibrator", maker: "Marrable", certified: 40, due: 180,
		lot: "G-2608", values: []reference.Certified{{Quantity: "glucose", Value: 5.61, Unit: "mmol/L", U: 0.06,
			K: 2}}},
	{tag: "CC-5", name: "Chemistry calibrator", kind: "chemistry-calibrator", maker: "Ostrel", certified: 50, due: 210,
		lot: "K-2607", values: serum(10.4, 0.12, 16.8, 0.2, 402, 5, 118, 2)},
	{tag: "CN-1", name: "Chemistry control, level 1", kind: "chemistry-control", maker: "Marrable", certified: 45, due: 260,
		lot: "N1-2608", values: serum(5.1, 0.08, 6.6, 0.1, 268, 4, 38, 0.8)},
	{tag: "CN-2", name: "Chemistry control, level 2", kind: "chemistry-control", maker: "Marrable", certified: 45, due: 260,
		lot: "N2-2608", values: serum(15.2, 0.2, 23.1, 0.3, 604, 8, 141, 2.5)},
	{tag: "CV-21", name: "Glucose cuvettes", kind: "cuvettes-glucose", maker: "Ostrel", certified: 40, due: 150,
		lot: "GL-4120"},
	{tag: "CV-22", name: "Urea cuvettes", kind: "cuvettes-urea", maker: "Ostrel", certified: 40, due: 120, lot: "UR-3381"},
	{tag: "CV-23", name: "Uric acid cuvettes and caps", kind: "cuvettes-uric-acid", maker: "Ostrel", certified: 40,
		due: 70, lot: "UA-0925"},
	{tag: "CV-24", name: "Alanine aminotransferase cuvettes", kind: "cuvettes-alt", maker: "Ostrel", certified: 40, due: 95,
		lot: "AL-1177"},
	{tag: "ES-1", name: "Electrical safety tester", kind: "safety-tester", maker: "Thornquay", certified: 240, due: 125,
		accredited: true, values: []reference.Certified{ranged("current", 0, 100, "uA", 2), ranged("current", 101,
			1000, "uA", 12),
			ranged("current", 1001, 10000, "uA", 120), ranged("resistance", 0, 500, "mOhm", 6),
			ranged("resistance", 501, 2000, "mOhm", 25), ranged("insulation", 0.5, 20, "MOhm", 0.3),
			ranged("insulation", 20.1, 200, "MOhm", 6)}},
	{tag: "HG-27", name: "5 % CO₂ in air, spare", kind: "gas", maker: "Marrable", certified: 60, due: 670, accredited: true,
		values: co2(5.00, 0.05), cylinder: cylinder(118)},
	{tag: "SW-1", name: "Stopwatch", kind: "timer", maker: "Kestmoor", certified: 290, due: 75,
		values: []reference.Certified{ranged("time", 0, 36000, "s", 0.1)}},
}

// World is the true state of the scenario: for example, the gas in HG-19 is not what its certificate
// says.
func World() sim.World {
	w := sim.World{Cylinders: map[string]map[string]float64{}}
	for _, r := range references {
		if r.cylinder == nil {
			continue
		}
		mix := map[string]float64{}
		for _, v := range r.values {
			mix[v.Quantity] = v.Value
		}
		w.Cylinders[r.tag] = mix
	}
	w.Cylinders["HG-19"]["CO2"] = 4.56
	return w
}
