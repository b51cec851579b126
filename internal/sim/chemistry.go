package sim

import (
	"fmt"
	"math"
	"math/rand/v2"
	"northneedle/internal/instrument"
	"slices"
	"strconv"
	"strings"
)

// ChemistryAnalyser models a bench analyser with single-test cuvettes: reagents, calibrator and controls in its chamber, its
// lamp, its cell, and the factor of each test.
type ChemistryAnalyser struct {
	test, cuvette, stage string
	since                float64 // s that the cuvette has stood in the chamber
	placed               bool    // it was put there and has not been looked at yet
	tag                  string
	devices              map[string]*chemistryTruth
	faults               map[string]bool
	noise                *rand.Rand
}

// chemistryTruth is a device: its cell, and of each test the factor that it has stored, over the true one; read are the shares
// of the calibrator's value that were seen since the last calibration was stored, by cuvette.
type chemistryTruth struct {
	cell   float64
	factor map[string]float64
	read   map[string]map[string]float64
}

// chemistryTest is what the reagents of a test do: absorbance of the blank, and what a unit of concentration adds.
type chemistryTest struct {
	blank, perUnit        float64
	calibrator, low, high float64 // concentrations in the vials
	kinetic               bool    // perUnit is then a minute
	second                bool    // the colour comes with a second reagent
}

var chemistryTests = map[string]chemistryTest{
	"glucose":   {blank: 0.11, perUnit: 0.052, calibrator: 10.4, low: 5.1, high: 15.2},
	"urea":      {blank: 0.14, perUnit: 0.021, calibrator: 16.8, low: 6.6, high: 23.1},
	"uric-acid": {blank: 0.06, perUnit: 0.0011, calibrator: 402, low: 268, high: 604, second: true},
	"alt":       {blank: 0.12, perUnit: 0.00045, calibrator: 118, low: 38, high: 141, kinetic: true},
}

// NewChemistryAnalyser makes one with an empty chamber.
func NewChemistryAnalyser() *ChemistryAnalyser {
	c := &ChemistryAnalyser{test: "glucose", cuvette: "none", stage: "read", devices: map[string]*chemistryTruth{},
		faults: map[string]bool{}, noise: seeded("chemistry")}
	c.connect("BENCH")
	return c
}

// IDN identifies it.
func (c *ChemistryAnalyser) IDN() string { return "North Needle,Chemistry analyser simulated,CA-SIM,1" }

// Channels are the absorbance, the concentration in mmol/L, µmol/L or U/L that it makes of it, its cell's own temperature in °C,
// and that of a probe in the cell.
func (c *ChemistryAnalyser) Channels() []string {
	return []string{"ABSORBANCE", "CONCENTRATION", "MICROMOLAR", "ACTIVITY", "CELL", "PROBE"}
}

// Rate is 5 samples a second.
func (c *ChemistryAnalyser) Rate() int { return 5 }

// Controls are an old lamp, a cold cell, a calibrator of another lot, a cuvette the wrong way round, one that was not mixed, and
// reagent past its date.
func (c *ChemistryAnalyser) Controls() instrument.Controls {
	return instrument.Controls{Faults: faultsOf(c.faults, "LAMP", "lamp aged", "COLD", "cell cold", "LOT",
		"calibrator of another lot", "TURNED", "cuvette the wrong way round", "UNMIXED", "not mixed", "EXPIRED", "reagent past its date",
		"SPOILED", "control of level 2 spoiled", "EXCHANGED", "water and calibrator exchanged")}
}

func (c *ChemistryAnalyser) connect(tag string) {
	c.tag = tag
	if c.devices[tag] == nil {
		r := seeded(tag + " chemistry")
		d := &chemistryTruth{cell: 37 + 0.08*r.NormFloat64(), factor: map[string]float64{}, read: map[string]map[string]float64{}}
		for _, test := range []string{"alt", "glucose", "urea", "uric-acid"} {
			d.factor[test], d.read[test] = 1+0.015*r.NormFloat64(), map[string]float64{}
		}
		c.devices[tag] = d
	}
}

// Step lets the reaction run. A cuvette that was just put in is looked at first: settings come one by one.
func (c *ChemistryAnalyser) Step(dt float64) {
	if c.placed {
		c.look()
		c.placed, c.since = false, 0
	}
	c.since += dt
}

// strength is how much of its colour a cuvette has, as a share of what its reagents would make of it: cold and lamp take some.
func (c *ChemistryAnalyser) strength() float64 {
	share := 1.0
	if c.faults["COLD"] {
		share *= 0.87
	}
	if c.faults["LAMP"] {
		share *= 0.88
	}
	return share
}

// holds is the concentration that is really in the cuvette.
func (c *ChemistryAnalyser) holds() float64 {
	t := chemistryTests[c.test]
	cuvette := c.cuvette
	if c.faults["EXCHANGED"] {
		cuvette = map[string]string{"water": "calibrator1", "calibrator1": "water"}[cuvette]
		if cuvette == "" {
			cuvette = c.cuvette
		}
	}
	switch cuvette {
	case "calibrator1", "calibrator2":
		v := t.calibrator
		if c.faults["LOT"] {
			v *= 0.86
		}
		if c.faults["UNMIXED"] {
			v *= map[string]float64{"calibrator1": 0.83, "calibrator2": 0.96}[cuvette]
		}
		return v
	case "control1":
		return t.low
	case "control2":
		if c.faults["SPOILED"] {
			return 0.8 * t.high
		}
		return t.high
	}
	return 0
}

// Value is what it shows.
func (c *ChemistryAnalyser) Value(channel string) float64 {
	d := c.devices[c.tag]
	switch channel {
	case "CELL", "PROBE":
		v := d.cell + 0.01*c.noise.NormFloat64()
		if c.faults["COLD"] {
			v -= 2.2
		}
		return v
	case "ABSORBANCE":
		return c.absorbance() + 0.0004*c.noise.NormFloat64()
	}
	v := d.factor[c.test] * c.holds() * c.strength()
	return v * (1 - math.Exp(-c.since/1.5)) * (1 + 0.0015*c.noise.NormFloat64())
}

// absorbance is that of what is in the chamber.
func (c *ChemistryAnalyser) absorbance() float64 {
	if filter, is := strings.CutPrefix(c.cuvette, "filter"); is {
		v, _ := strconv.ParseFloat(filter, 64) // it was read when it was set
		if c.faults["LAMP"] {
			v *= 0.93
		}
		return v
	}
	if c.cuvette == "none" || c.cuvette == "probe" {
		return 0
	}
	t := chemistryTests[c.test]
	blank := t.blank
	if c.faults["EXPIRED"] {
		blank += 0.27
	}
	if c.faults["TURNED"] && strings.HasSuffix(c.cuvette, "1") {
		blank += 0.44
	}
	colour := t.perUnit * c.holds() * c.strength()
	arrived := 1 - math.Exp(-c.since/1.5)
	switch {
	case c.stage == "blank":
		return blank
	case t.kinetic && c.faults["EXPIRED"]: // its substrate is used up on the way
		return blank + 0.02 + colour*1.2*(1-math.Exp(-c.since/72))
	case t.kinetic:
		return blank + 0.02 + colour*c.since/60
	case t.second && c.stage == "second":
		return (blank*1000/1020+0.03)*1020/1220 + colour*arrived
	case t.second:
		return blank*1000/1020 + 0.03*arrived
	}
	return blank*1000/1010 + colour*arrived
}

// look keeps what a calibrator gave, as a share of its value; once a control comes into the chamber, the factor that follows is
// stored.
func (c *ChemistryAnalyser) look() {
	d, t := c.devices[c.tag], chemistryTests[c.test]
	read := d.read[c.test]
	if strings.HasPrefix(c.cuvette, "calibrator") && (c.stage == "second" || c.stage == "read" && !t.second) && c.holds() > 0 {
		read[c.cuvette] = c.holds() * c.strength() / t.calibrator
	}
	if !strings.HasPrefix(c.cuvette, "control") || len(read) == 0 {
		return
	}
	sum := 0.0
	for _, share := range read {
		sum += share
	}
	d.factor[c.test] = float64(len(read)) / sum
	d.read[c.test] = map[string]float64{}
}

// Command knows SOURce:TEST, SOURce:CUVETTE, SOURce:STAGE, SIMulate:DEVice and SIMulate:FAULt.
func (c *ChemistryAnalyser) Command(in Command) (string, bool, error) {
	given := strings.ToLower(in.Arg(0))
	illegal := func(words string) (string, bool, error) {
		return "", true, fmt.Errorf(`-224,"Illegal parameter: %s"`, words)
	}
	switch {
	case in.Is("SOURce:TEST"):
		if _, known := chemistryTests[given]; !known {
			return illegal("glucose, urea, uric-acid or alt")
		}
		c.test, c.placed = given, true
	case in.Is("SOURce:CUVETTE"):
		if filter, is := strings.CutPrefix(given, "filter"); is {
			if v, err := strconv.ParseFloat(filter, 64); err != nil || !(v >= 0 && v <= 3) {
				return illegal("filter0 to filter3")
			}
		} else if !slices.Contains([]string{"none", "probe", "water", "calibrator1", "calibrator2", "control1", "control2"}, given) {
			return illegal("none, probe, water, calibrator1, calibrator2, control1, control2 or a filter")
		}
		c.cuvette, c.placed = given, true
	case in.Is("SOURce:STAGE"):
		if !slices.Contains([]string{"blank", "read", "second"}, given) {
			return illegal("blank, read or second")
		}
		c.stage, c.placed = given, true
	default:
		return simulate(in, len(c.devices), c.connect, c.faults, c.Controls())
	}
	return "OK", true, nil
}
