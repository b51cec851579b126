package sim

import (
	"fmt"
	"math"
	"math/rand/v2"
	"northneedle/internal/instrument"
	"strconv"
	"strings"
)

// newGasBench is a gas bench on the carbon dioxide of a world's cylinders.
func newGasBench(w World) Model {
	cylinders := map[string]float64{}
	for tag, mix := range w.Cylinders {
		cylinders[tag] = mix["CO2"]
	}
	return NewGasBench(cylinders)
}

// GasBench models cylinders behind solenoids that give a breath rhythm, and a
// capnograph at the sampling port: a first-order lag, an offset and a gain of its
// own, and the controls of its service menu.
type GasBench struct {
	Cylinders map[string]float64 // CO2 in vol%, by tag

	gas     string // tag, or AIR
	breath  float64
	phase   float64 // of the breath, 0 to 1
	lagged  float64
	shown   float64
	noise   *rand.Rand
	tag     string
	devices map[string]*capnographTruth
	faults  map[string]bool
}

type capnographTruth struct {
	gain, offset float64
	lag          float64
	span, zero   int // presses made in the service menu
}

// Hidden truth of devices that the demo tells a story with; others draw theirs from their tag.
var storied = map[string]capnographTruth{
	"MB-0417": {gain: 0.903, offset: 0.004, lag: 0.16},
}

const (
	spanPerPress = 0.005
	zeroPerPress = 0.02
	roomAir      = 0.04
)

// NewGasBench makes a gas bench with cylinders by tag and their CO2 in vol%.
func NewGasBench(cylinders map[string]float64) *GasBench {
	g := &GasBench{
		Cylinders: cylinders,
		gas:       "AIR",
		breath:    12,
		noise:     seeded("gas bench"),
		devices:   map[string]*capnographTruth{},
		faults:    map[string]bool{},
	}
	g.connect("BENCH")
	return g
}

// IDN identifies it.
func (g *GasBench) IDN() string { return "North Needle,Gas bench simulated,GB-SIM,1" }

// Channels are CO2 as the connected capnograph shows it, in vol%.
func (g *GasBench) Channels() []string { return []string{"CO2"} }

// Rate is 25 samples a second.
func (g *GasBench) Rate() int { return 25 }

// Controls are a leak, a blocked trap, an empty cylinder; span and zero of the service menu.
func (g *GasBench) Controls() instrument.Controls {
	return instrument.Controls{Faults: faultsOf(g.faults, "LEAK", "adapter leaks", "TRAP", "trap blocked", "EMPTY",
		"cylinder empty"), Keys: keysOf("SPAN", "span", "ZERO", "zero")}
}

// Value is the present reading.
func (g *GasBench) Value(string) float64 { return g.shown }

// connect puts a device at the port; the bench remembers each device it had.
func (g *GasBench) connect(tag string) {
	g.tag = tag
	if g.devices[tag] != nil {
		return
	}
	truth, ok := storied[tag]
	if !ok {
		r := seeded(tag)
		truth = capnographTruth{gain: 1 + 0.012*r.NormFloat64(), offset: 0.01 * r.NormFloat64(),
			lag: 0.14 + 0.05*r.Float64()}
	}
	g.devices[tag] = &truth
}

// Step moves breath, lag and noise on.
func (g *GasBench) Step(dt float64) {
	g.phase = math.Mod(g.phase+dt*g.breath/60, 1)
	at := roomAir
	if content, ok := g.Cylinders[g.gas]; ok && g.phase < 0.5 {
		at = content
	}
	device := g.devices[g.tag]
	lag := device.lag
	if g.faults["LEAK"] {
		at = roomAir + 0.72*(at-roomAir)
	}
	if g.faults["TRAP"] {
		lag = 4 * lag
	}
	if g.faults["EMPTY"] && g.gas != "AIR" {
		at = roomAir
	}
	g.lagged += (at - g.lagged) * (1 - math.Exp(-dt/lag))
	gain := device.gain * (1 + spanPerPress*float64(device.span))
	g.shown = gain*g.lagged + device.offset + zeroPerPress*float64(device.zero) + 0.004*g.noise.NormFloat64()
}

// Command knows SOURce:GAS, SOURce:BREath, SIMulate:DEVice, SIMulate:PRESs and SIMulate:FAULt.
func (g *GasBench) Command(c Command) (string, bool, error) {
	switch {
	case c.Is("SOURce:GAS"):
		tag := strings.ToUpper(c.Arg(0))
		if _, ok := g.Cylinders[tag]; !ok && tag != "AIR" {
			return "", true, fmt.Errorf(`-221,"Settings conflict: no cylinder %s is connected"`, tag)
		}
		g.gas = tag
	case c.Is("SOURce:BREath"):
		breath, err := strconv.ParseFloat(c.Arg(0), 64)
		if err != nil || !(breath >= 1 && breath <= 60) {
			return "", true, fmt.Errorf(`-222,"Data out of range: 1 to 60 breaths a minute"`)
		}
		g.breath = breath
	case c.Is("SIMulate:PRESs"):
		key, steps, err := presses(c, g.Controls().Keys)
		if err != nil {
			return "", true, err
		}
		if key == "SPAN" {
			g.devices[g.tag].span += steps
		} else {
			g.devices[g.tag].zero += steps
		}
	default:
		return simulate(c, len(g.devices), g.connect, g.faults, g.Controls())
	}
	return "OK", true, nil
}

// setFault switches one of the named faults.
func setFault(faults map[string]bool, c Command, names ...string) (string, bool, error) {
	name, on := strings.ToUpper(c.Arg(0)), strings.EqualFold(c.Arg(1), "ON")
	for _, known := range names {
		if name == known {
			faults[name] = on
			return "OK", true, nil
		}
	}
	return "", true, fmt.Errorf(`-224,"Illegal parameter: %s"`, strings.Join(names, " or "))
}
