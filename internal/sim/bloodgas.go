package sim

import (
	"fmt"
	"math/rand/v2"
	"northneedle/internal/instrument"
	"strings"
)

// BloodGas models a blood-gas analyser with an electronic reference and three levels of
// liquid controls.
type BloodGas struct {
	source  string
	tag     string
	devices map[string]*[6]float64 // offset of each sensor, in SDs
	faults  map[string]bool
	noise   *rand.Rand
}

// what each source should show: pH, pCO2 and pO2 in mmHg, haemoglobin in g/L, sodium and potassium in mmol/L.
var bloodGases = map[string][6]float64{
	"electronic-1": {7.1, 70, 50}, "electronic-2": {7.4, 40, 100}, "electronic-3": {7.6, 20, 150},
	"control-1": {7.16, 66, 62, 78, 118, 2.6}, "control-2": {7.40, 41, 101, 131, 138, 4.2}, "control-3": {7.58, 22, 148, 187, 158, 6.4},
	"haemoglobin": {7.4, 40, 100, 142, 140, 4},
}

var bloodGasSD = [6]float64{0.005, 0.7, 1.6, 0.8, 0.8, 0.05}

// NewBloodGas makes an analyser at rest.
func NewBloodGas() *BloodGas {
	b := &BloodGas{
		source:  "electronic-2",
		devices: map[string]*[6]float64{},
		faults:  map[string]bool{},
		noise:   seeded("blood gas"),
	}
	b.connect("BENCH")
	return b
}

// IDN identifies it.
func (b *BloodGas) IDN() string { return "North Needle,Blood-gas simulated,BG-SIM,1" }

// Channels are pH, pCO2 and pO2 in mmHg, haemoglobin in g/L, and sodium and potassium in mmol/L.
func (b *BloodGas) Channels() []string { return []string{"PH", "PCO2", "PO2", "THB", "NA", "K"} }

// Rate is 5 samples a second.
func (b *BloodGas) Rate() int { return 5 }

// Controls are a failing sensor, a bubble, a bad cartridge lot, and a film on the optics; its calibration.
func (b *BloodGas) Controls() instrument.Controls {
	return instrument.Controls{Faults: faultsOf(b.faults, "SENSOR", "pCO2 sensor failing", "BUBBLE",
		"bubble in the sample", "CARTRIDGE", "cartridge lot kept too warm", "FILM", "film on the optics"),
		Keys: routinesOf("HAEMOGLOBIN", "haemoglobin calibration")}
}

func (b *BloodGas) connect(tag string) {
	b.tag = tag
	if b.devices[tag] == nil {
		r := seeded(tag + " blood gas")
		b.devices[tag] = &[6]float64{0.5 * r.NormFloat64(), 0.5 * r.NormFloat64(), 0.5 * r.NormFloat64(),
			r.NormFloat64(), 0.5 * r.NormFloat64(), 0.5 * r.NormFloat64()}
	}
}

// Step does nothing: a measurement is a moment.
func (b *BloodGas) Step(float64) {}

// Value is what it shows of the source in it.
func (b *BloodGas) Value(channel string) float64 {
	i := map[string]int{"PH": 0, "PCO2": 1, "PO2": 2, "THB": 3, "NA": 4, "K": 5}[channel]
	v := bloodGases[b.source][i]
	liquid := !strings.HasPrefix(b.source, "electronic")
	if liquid {
		v += b.devices[b.tag][i] * bloodGasSD[i]
	}
	switch {
	case b.faults["SENSOR"] && i == 1:
		v += 7
	case b.faults["BUBBLE"] && liquid && i == 2:
		v += 0.35 * (150 - v)
	case b.faults["FILM"] && i == 3:
		v += 9
	case b.faults["CARTRIDGE"] && liquid && i < 3:
		v += 6 * bloodGasSD[i]
	}
	return v + 0.1*bloodGasSD[i]*b.noise.NormFloat64()
}

// Command knows SOURce:SAMPLE (electronic-1 to control-3, haemoglobin), SIMulate:DEVice, SIMulate:PRESs and SIMulate:FAULt.
func (b *BloodGas) Command(c Command) (string, bool, error) {
	switch {
	case c.Is("SOURce:SAMPLE"):
		if _, known := bloodGases[strings.ToLower(c.Arg(0))]; !known {
			return "", true, fmt.Errorf(`-224,"Illegal parameter: electronic-1 to control-3"`)
		}
		b.source = strings.ToLower(c.Arg(0))
	case c.Is("SIMulate:PRESs"):
		if _, _, err := presses(c, b.Controls().Keys); err != nil {
			return "", true, err
		}
		b.devices[b.tag][3] = 0
		if b.faults["FILM"] {
			b.devices[b.tag][3] = -9 / bloodGasSD[3]
		}
	default:
		return simulate(c, len(b.devices), b.connect, b.faults, b.Controls())
	}
	return "OK", true, nil
}
