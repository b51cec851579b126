package sim

import (
	"fmt"
	"math"
	"math/rand/v2"
	"northneedle/internal/instrument"
	"strconv"
	"strings"
)

// Photometer models a photometer with filters and cuvettes: the lamp, stray light, the
// factor of its calibration, and the pipetting of whoever fills the cuvettes.
type Photometer struct {
	filter   float64 // absorbance of the filter in the light, 0 none
	multiple float64 // of the usual volume of calibrator, 0 none
	shown    float64
	spill    float64 // pipetting error of the cuvette in the light

	tag     string
	devices map[string]*photometerTruth
	faults  map[string]bool
	noise   *rand.Rand
}

type photometerTruth struct{ factor, blank float64 }

const (
	glucose       = 5.61 // mmol/L in the simulated calibrator
	reagentVolume = 1000.0
	sampleVolume  = 10.0
)

// NewPhotometer makes one with nothing in its light.
func NewPhotometer() *Photometer {
	p := &Photometer{devices: map[string]*photometerTruth{}, faults: map[string]bool{}, noise: seeded("photometer")}
	p.connect("BENCH")
	return p
}

// IDN identifies it.
func (p *Photometer) IDN() string { return "North Needle,Photometer simulated,PH-SIM,1" }

// Channels are absorbance, and the concentration in mmol/L that it makes of it.
func (p *Photometer) Channels() []string { return []string{"ABSORBANCE", "CONCENTRATION"} }

// Rate is 5 samples a second.
func (p *Photometer) Rate() int { return 5 }

// Controls are an old lamp, stray light, an aged calibrator, careless pipetting, a coloured reagent; its calibrations.
func (p *Photometer) Controls() instrument.Controls {
	return instrument.Controls{Faults: faultsOf(p.faults, "LAMP", "lamp old", "STRAY", "reagent used up", "AGED",
		"calibrator aged", "SPILL", "drops on the tip", "COLOUR", "reagent coloured", "STALE", "reagent old"),
		Keys: routinesOf("ONE-POINT", "one-point calibration", "TWO-POINT", "two-point calibration", "LEVELS",
			"calibration at every level")}
}

func (p *Photometer) connect(tag string) {
	p.tag = tag
	if p.devices[tag] == nil {
		p.devices[tag] = &photometerTruth{factor: 1 + 0.012*seeded(tag+" photometer").NormFloat64()}
	}
}

// Step lets the reaction run to its end.
func (p *Photometer) Step(dt float64) { p.shown += (p.level() - p.shown) * (1 - math.Exp(-dt/1.5)) }

// level is the true concentration in the cuvette as the photometer would find it, before its factor.
func (p *Photometer) level() float64 {
	if p.multiple == 0 {
		return 0
	}
	v := glucose * p.multiple * (reagentVolume + sampleVolume) / (reagentVolume + p.multiple*sampleVolume) *
		(1 + p.spill)
	if p.faults["AGED"] {
		v *= 0.91
	}
	if p.faults["STRAY"] {
		v = 40 * (1 - math.Exp(-v/40))
	}
	return v
}

// Value is what it shows.
func (p *Photometer) Value(channel string) float64 {
	lamp := 1.0
	if p.faults["LAMP"] {
		lamp = 0.93
	}
	if channel == "ABSORBANCE" && p.filter == 0 {
		blank := 0.06 // of the reagent alone
		if p.faults["STALE"] {
			blank = 0.31
		}
		return blank*lamp + 0.0004*p.noise.NormFloat64()
	}
	if channel == "ABSORBANCE" {
		return p.filter*lamp + 0.0004*p.noise.NormFloat64()
	}
	colour := 0.0
	if p.faults["COLOUR"] {
		colour = 0.42
	}
	return p.shown*p.devices[p.tag].factor*lamp + colour - p.devices[p.tag].blank + 0.004*p.noise.NormFloat64()
}

// Command knows SOURce:FILTER (absorbance), SOURce:CUVETTE (multiple of the calibrator's
// volume), SIMulate:DEVice, SIMulate:PRESs ONE-POINT,1 and the like and SIMulate:FAULt.
func (p *Photometer) Command(c Command) (string, bool, error) {
	number := func(into *float64, most float64) error {
		v, err := strconv.ParseFloat(strings.TrimSpace(c.Arg(0)), 64)
		if err != nil || !(v >= 0 && v <= most) {
			return fmt.Errorf(`-222,"Data out of range: 0 to %g"`, most)
		}
		*into = v
		return nil
	}
	var err error
	switch {
	case c.Is("SOURce:FILTER"):
		err = number(&p.filter, 3)
	case c.Is("SOURce:CUVETTE"):
		if err := number(&p.multiple, 10); err != nil {
			return "", true, err
		}
		p.spill = 0
		if p.faults["SPILL"] {
			p.spill = 0.07 * p.noise.NormFloat64()
		}
	case c.Is("SIMulate:PRESs"):
		key, _, err := presses(c, p.Controls().Keys)
		if err != nil {
			return "", true, err
		}
		p.devices[p.tag].factor = 1
		if key != "ONE-POINT" && p.faults["COLOUR"] { // water first: the colour is taken off
			p.devices[p.tag].blank = 0.42
		}
		if p.faults["AGED"] {
			p.devices[p.tag].factor = 1 / 0.91
		}
	default:
		return simulate(c, len(p.devices), p.connect, p.faults, p.Controls())
	}
	return "OK", true, err
}
