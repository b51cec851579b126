package sim

import (
	"fmt"
	"math"
	"math/rand/v2"
	"northneedle/internal/instrument"
	"strconv"
	"strings"
)

const (
	chamberZones    = 6
	chamberSet      = 37.0
	chamberTrimStep = 0.05
	chamberLag      = 25.0 // s, until told otherwise; a real one takes many minutes
	ownHeat         = 0.82 // of a trim, in its own zone
	neighbourHeat   = 0.16 // and in each neighbour's
	lidOff          = 0.12 // °C by which the lid is warmer than the set point
)

// Chamber models a row of heated zones, each with an upper and a lower compartment, that
// warm each other, and a probe in one of them.
type Chamber struct {
	zone    int
	lower   bool
	lid     bool    // the probe is on the lid
	lag     float64 // s, of the heated blocks
	opened  float64 // heat lost by an open lid, K
	shown   float64 // at the probe, lagged
	now     [chamberZones]float64
	tag     string
	devices map[string]*chamberTruth
	faults  map[string]bool
	noise   *rand.Rand
}

type chamberTruth struct {
	bias, lower [chamberZones]float64
	trim        [chamberZones]int
}

// NewChamber makes a chamber that has settled.
func NewChamber() *Chamber {
	c := &Chamber{
		devices: map[string]*chamberTruth{},
		faults:  map[string]bool{},
		noise:   seeded("chamber"),
		shown:   22,
		lag:     chamberLag,
	}
	c.connect("BENCH")
	return c
}

// IDN identifies it.
func (c *Chamber) IDN() string { return "North Needle,Warm chamber simulated,WC-SIM,1" }

// Channels are the temperature at the probe in °C.
func (c *Chamber) Channels() []string { return []string{"TEMP"} }

// Rate is 5 samples a second.
func (c *Chamber) Rate() int { return 5 }

// Controls are a probe not seated, a draught, a lid not closed; a trim for each zone.
func (c *Chamber) Controls() instrument.Controls {
	return instrument.Controls{Faults: faultsOf(c.faults, "SEAT", "probe not seated", "DRAUGHT",
		"draught from the right", "LID", "lid of zone 3 not closed"),
		Keys: keysOf("TRIM", "trim", "MEASURED", "measured temperature")}
}

func (c *Chamber) connect(tag string) {
	c.tag = tag
	if c.devices[tag] == nil {
		r := seeded(tag + " chamber")
		t := &chamberTruth{}
		common := 0.12 * r.NormFloat64()
		for i := range chamberZones {
			t.bias[i] = common + 0.22*r.NormFloat64()
			t.lower[i] = 0.02 * r.NormFloat64()
		}
		c.devices[tag] = t
		c.now = c.settled()
	}
}

// settled is where every zone goes: what it is off by and trimmed by, in its own zone and from its neighbours.
func (c *Chamber) settled() (at [chamberZones]float64) {
	t := c.devices[c.tag]
	off := func(i int) float64 {
		if i < 0 || i >= chamberZones {
			return 0
		}
		return t.bias[i] + float64(t.trim[i])*chamberTrimStep
	}
	for i := range at {
		at[i] = chamberSet + ownHeat*off(i) + neighbourHeat*(off(i-1)+off(i+1))
		if c.faults["DRAUGHT"] && i >= chamberZones/2 {
			at[i] -= 0.6
		}
	}
	return at
}

// Step lets the zones and the probe follow.
func (c *Chamber) Step(dt float64) {
	goal := c.settled()
	for i := range c.now {
		c.now[i] += (goal[i] - c.now[i]) * (1 - math.Exp(-dt/c.lag))
	}
	c.opened *= math.Exp(-dt / chamberLag)
	lag := 4.0
	if c.faults["SEAT"] {
		lag = 14
	}
	c.shown += (c.at() - c.shown) * (1 - math.Exp(-dt/lag))
}

// at is the temperature where the probe is.
func (c *Chamber) at() float64 {
	if c.lid {
		return chamberSet + lidOff - c.opened
	}
	v := c.now[c.zone] - c.opened
	if c.lower {
		v += c.devices[c.tag].lower[c.zone]
		if c.faults["LID"] && c.zone == 2 {
			v -= 0.45
		}
	}
	if c.faults["SEAT"] {
		v -= 0.5
	}
	return v
}

// Value is what the probe shows.
func (c *Chamber) Value(string) float64 { return c.shown + 0.002*c.noise.NormFloat64() }

// Command knows SOURce:PROBE 1-upper to 6-lower or lid, SOURce:LID opened, SIMulate:DEVice,
// SIMulate:LAG (1 to 3600 s, how slowly its blocks follow), SIMulate:PRESs TRIM or
// MEASURED,steps,zone (0.05 K a step) and SIMulate:FAULt.
func (c *Chamber) Command(m Command) (string, bool, error) {
	switch {
	case m.Is("SOURce:PROBE"):
		if c.lid = strings.EqualFold(m.Arg(0), "lid"); c.lid {
			return "OK", true, nil
		}
		zone, row, _ := strings.Cut(strings.ToLower(m.Arg(0)), "-")
		n, err := strconv.Atoi(zone)
		if err != nil || n < 1 || n > chamberZones || row != "upper" && row != "lower" {
			return "", true, fmt.Errorf(`-224,"Illegal parameter: 1-upper to %d-lower, or lid"`, chamberZones)
		}
		c.zone, c.lower = n-1, row == "lower"
	case m.Is("SOURce:LID"):
		c.opened = 1.2
	case m.Is("SIMulate:LAG"):
		lag, err := strconv.ParseFloat(m.Arg(0), 64)
		if err != nil || !(lag >= 1 && lag <= 3600) {
			return "", true, fmt.Errorf(`-222,"Data out of range: 1 to 3600 s"`)
		}
		c.lag = lag
	case m.Is("SIMulate:PRESs"):
		_, steps, err := presses(m, c.Controls().Keys)
		if err != nil {
			return "", true, err
		}
		zone, err := strconv.Atoi(strings.TrimPrefix(strings.ToLower(m.Arg(2)), "zone-"))
		if err != nil || zone < 1 || zone > chamberZones {
			return "", true, fmt.Errorf(`-224,"Illegal parameter: TRIM,steps,zone"`)
		}
		c.devices[c.tag].trim[zone-1] += steps
	default:
		return simulate(m, len(c.devices), c.connect, c.faults, c.Controls())
	}
	return "OK", true, nil
}
