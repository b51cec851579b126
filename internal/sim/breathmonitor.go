package sim

import (
	"fmt"
	"math"
	"math/rand/v2"
	"northneedle/internal/instrument"
	"strings"
)

// BreathMonitor models a cylinder of carbon monoxide in air behind a fixed-flow
// regulator, and a breath monitor whose cell follows slowly, ages and is upset by
// alcohol nearby.
type BreathMonitor struct {
	world World

	gas     string
	shown   float64
	noise   *rand.Rand
	tag     string
	devices map[string]*monitorTruth
	faults  map[string]bool
}

type monitorTruth struct {
	gain, offset float64
	span, zero   int
}

// NewBreathMonitor makes a monitor in clean air.
func NewBreathMonitor(w World) *BreathMonitor {
	m := &BreathMonitor{
		world:   w,
		gas:     "AIR",
		noise:   seeded("breath monitor"),
		devices: map[string]*monitorTruth{},
		faults:  map[string]bool{},
	}
	m.connect("BENCH")
	return m
}

// IDN identifies it.
func (m *BreathMonitor) IDN() string { return "North Needle,Breath monitor simulated,CO-SIM,1" }

// Channels are carbon monoxide in ppm as the monitor shows it.
func (m *BreathMonitor) Channels() []string { return []string{"CO"} }

// Rate is 10 samples a second.
func (m *BreathMonitor) Rate() int { return 10 }

// Controls are an aged cell, alcohol nearby, an empty cylinder; zero and span of the menu.
func (m *BreathMonitor) Controls() instrument.Controls {
	return instrument.Controls{Faults: faultsOf(m.faults, "OLD", "cell aged", "ALCOHOL", "alcohol nearby", "EMPTY",
		"cylinder empty"), Keys: keysOf("SPAN", "span", "ZERO", "zero")}
}

func (m *BreathMonitor) connect(tag string) {
	m.tag = tag
	if m.devices[tag] == nil {
		r := seeded(tag + " monitor")
		m.devices[tag] = &monitorTruth{gain: 1 + 0.02*r.NormFloat64(), offset: 0.2 * r.NormFloat64()}
	}
}

// Step lets the cell follow.
func (m *BreathMonitor) Step(dt float64) {
	at := 0.0
	if mix, ok := m.world.Cylinders[m.gas]; ok && !m.faults["EMPTY"] {
		at = mix["CO"]
	}
	d := m.devices[m.tag]
	gain := d.gain * (1 + 0.01*float64(d.span))
	if m.faults["OLD"] {
		gain *= 0.82
	}
	offset := d.offset + 0.5*float64(d.zero)
	if m.faults["ALCOHOL"] {
		offset -= 7
	}
	m.shown += (gain*at+offset-m.shown)*(1-math.Exp(-dt/4)) + 0.02*m.noise.NormFloat64()
}

// Value is the present display: whole ppm, never below zero.
func (m *BreathMonitor) Value(string) float64 { return math.Max(0, math.Round(m.shown)) }

// Command knows SOURce:GAS, SIMulate:DEVice, SIMulate:PRESs and SIMulate:FAULt.
func (m *BreathMonitor) Command(c Command) (string, bool, error) {
	switch {
	case c.Is("SOURce:GAS"):
		tag := strings.ToUpper(c.Arg(0))
		if mix, ok := m.world.Cylinders[tag]; tag != "AIR" && (!ok || mix["CO"] == 0) {
			return "", true, fmt.Errorf(`-221,"Settings conflict: no cylinder %s is connected"`, tag)
		}
		m.gas = tag
	case c.Is("SIMulate:PRESs"):
		key, steps, err := presses(c, m.Controls().Keys)
		if err != nil {
			return "", true, err
		}
		if key == "SPAN" {
			m.devices[m.tag].span += steps
		} else {
			m.devices[m.tag].zero += steps
		}
	default:
		return simulate(c, len(m.devices), m.connect, m.faults, m.Controls())
	}
	return "OK", true, nil
}
