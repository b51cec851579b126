package sim

import (
	"fmt"
	"math"
	"math/rand/v2"
	"northneedle/internal/instrument"
	"strings"
	"time"
)

// CartGas models cylinders behind valves, and the oxygen and carbon dioxide analysers
// of a metabolic cart that sample from them: a sampling line, a lag, an offset and a gain of their own.
type CartGas struct {
	world World

	gas     string
	line    []mixture // in the sampling line, the oldest first
	o2, co2 float64   // lagged
	noise   *rand.Rand
	tag     string
	devices map[string]*cartTruth
	faults  map[string]bool
}

// mixture is what is at one place of the sampling line, in vol%.
type mixture struct{ o2, co2 float64 }

type cartTruth struct {
	gainO2, gainCO2 float64
}

// NewCartGas makes the analysers, in room air.
func NewCartGas(w World) *CartGas {
	g := &CartGas{
		world:   w,
		gas:     "AIR",
		o2:      20.93,
		co2:     0.04,
		noise:   seeded("cart"),
		devices: map[string]*cartTruth{},
		faults:  map[string]bool{},
	}
	g.connect("BENCH")
	return g
}

// IDN identifies it.
func (g *CartGas) IDN() string { return "North Needle,Cart gas simulated,CG-SIM,1" }

// Channels are the dry fractions in vol% as the cart shows them.
func (g *CartGas) Channels() []string { return []string{"O2", "CO2"} }

// Rate is 25 samples a second.
func (g *CartGas) Rate() int { return 25 }

// Controls are wet gas, breath near the inlet, a wet dryer tube, an empty cylinder, an analyser that has drifted; the gas calibration.
func (g *CartGas) Controls() instrument.Controls {
	return instrument.Controls{Faults: faultsOf(g.faults, "HUMID", "line not dried", "BREATH", "breath near the inlet",
		"SLOW", "dryer tube wet", "EMPTY", "cylinder empty", "DRIFTED", "oxygen analyser drifted"),
		Keys: routinesOf("GAS", "gas calibration")}
}

// Delay is how long the gas takes through the sampling line.
func (g *CartGas) Delay() time.Duration { return 1200 * time.Millisecond }

func (g *CartGas) connect(tag string) {
	g.tag = tag
	if g.devices[tag] == nil {
		r := seeded(tag + " cart")
		g.devices[tag] = &cartTruth{gainO2: 1 + 0.002*r.NormFloat64(), gainCO2: 1 + 0.004*r.NormFloat64()}
	}
}

// Step lets the analysers follow.
func (g *CartGas) Step(dt float64) {
	o2, co2 := 20.93, 0.04
	if mix, ok := g.world.Cylinders[g.gas]; ok && !g.faults["EMPTY"] {
		o2, co2 = mix["O2"], mix["CO2"]
	} else if g.faults["BREATH"] {
		o2, co2 = o2-0.35, co2+0.3
	}
	if g.faults["HUMID"] {
		o2, co2 = o2*0.94, co2*0.94
	}
	lag := 0.4
	if g.faults["SLOW"] {
		lag = 3
	}
	g.line = append(g.line, mixture{o2, co2})
	if len(g.line) <= int(g.Delay().Seconds()/dt) {
		return
	}
	o2, co2, g.line = g.line[0].o2, g.line[0].co2, g.line[1:]
	follow := 1 - math.Exp(-dt/lag)
	g.o2 += (o2 - g.o2) * follow
	g.co2 += (co2 - g.co2) * follow
}

// Value is what the cart shows.
func (g *CartGas) Value(channel string) float64 {
	d := g.devices[g.tag]
	if channel == "CO2" {
		return g.co2*d.gainCO2 + 0.003*g.noise.NormFloat64()
	}
	gain := d.gainO2
	if g.faults["DRIFTED"] {
		gain *= 1.02
	}
	return g.o2*gain + 0.005*g.noise.NormFloat64()
}

// Command knows SOURce:GAS, SIMulate:DEVice, SIMulate:PRESs GAS and SIMulate:FAULt.
func (g *CartGas) Command(c Command) (string, bool, error) {
	switch {
	case c.Is("SOURce:GAS"):
		tag := strings.ToUpper(c.Arg(0))
		if mix, ok := g.world.Cylinders[tag]; tag != "AIR" && (!ok || mix["O2"] == 0) {
			return "", true, fmt.Errorf(`-221,"Settings conflict: no cylinder %s is connected"`, tag)
		}
		g.gas = tag
	case c.Is("SIMulate:PRESs"):
		if _, _, err := presses(c, g.Controls().Keys); err != nil {
			return "", true, err
		}
		delete(g.faults, "DRIFTED")
		g.devices[g.tag].gainO2, g.devices[g.tag].gainCO2 = 1, 1
	default:
		return simulate(c, len(g.devices), g.connect, g.faults, g.Controls())
	}
	return "OK", true, nil
}
