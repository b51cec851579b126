package sim

import (
	"fmt"
	"math"
	"math/rand/v2"
	"northneedle/internal/instrument"
	"strconv"
	"strings"
)

// Balance models an infusion pump that drips into a cup on a balance: its flow with the
// calibration of the set in it, drops, start-up, evaporation, and its line's pressure
// when it is closed.
type Balance struct {
	rate     float64 // mL/h that is set; 0 stands
	running  float64 // s since it was set
	cup      float64 // g in the cup
	hanging  float64 // g at the tip, not fallen yet
	closed   bool
	pressure float64 // kPa
	stored   float64 // mL in the stretched line
	alarm    bool

	tag     string
	devices map[string]*pumpTruth
	faults  map[string]bool
	noise   *rand.Rand
}

type pumpTruth struct {
	gain   float64 // delivered for one set, with the calibration in it
	factor int     // of the set, in its menu, 0.1 % each
}

const (
	dropGrams    = 0.05
	gramsPerMilL = 0.9967 // what a balance shows of water at about 22 °C
	lineMLPerKPa = 0.004
	occludesKPa  = 65
)

// NewBalance makes a pump that delivers into an empty cup on a balance.
func NewBalance() *Balance {
	b := &Balance{devices: map[string]*pumpTruth{}, faults: map[string]bool{}, noise: seeded("balance")}
	b.connect("BENCH")
	return b
}

// IDN identifies it.
func (b *Balance) IDN() string { return "North Needle,Balance and pump simulated,BA-SIM,1" }

// Channels are mass in g, line pressure in kPa, and 1 while the occlusion alarm sounds.
func (b *Balance) Channels() []string { return []string{"MASS", "PRESSURE", "ALARM"} }

// Rate is 5 samples a second.
func (b *Balance) Rate() int { return 5 }

// Controls are a wrong set, evaporation, a touched cup, a bubble, a silent alarm; the set's factor.
func (b *Balance) Controls() instrument.Controls {
	return instrument.Controls{Faults: faultsOf(b.faults, "SET", "wrong set selected", "EVAPORATION",
		"draught over the cup", "TOUCHED", "cup touched", "BUBBLE", "a bubble in the line", "DEAF",
		"no occlusion alarm"),
		Keys: keysOf("FACTOR", "factor of the set")}
}

func (b *Balance) connect(tag string) {
	b.tag = tag
	if b.devices[tag] == nil {
		r := seeded(tag + " pump")
		b.devices[tag] = &pumpTruth{gain: 1 + 0.012*r.NormFloat64()}
	}
}

// Step lets the pump turn.
func (b *Balance) Step(dt float64) {
	b.running += dt
	t := b.devices[b.tag]
	gain := t.gain * (1 + 0.001*float64(t.factor))
	if b.faults["SET"] {
		gain *= 1.09
	}
	flow := b.rate * gain * (1 - math.Exp(-b.running/8)) * (1 + 0.02*math.Sin(b.running/7)) // mL/h
	if b.faults["BUBBLE"] && math.Mod(b.running, 90) < 20 {
		flow = 0
	}
	ml := flow / 3600 * dt
	if b.closed && !b.alarm {
		b.stored += ml
		b.pressure = b.stored / lineMLPerKPa
		b.alarm = b.pressure >= occludesKPa && !b.faults["DEAF"]
		b.pressure = math.Min(b.pressure, 160)
		ml = 0
	} else if b.alarm {
		ml = 0
	}
	b.hanging += ml * gramsPerMilL
	if b.rate > 300 || b.hanging >= dropGrams {
		b.cup, b.hanging = b.cup+b.hanging, 0
	}
	loss := 0.02 // g/h
	if b.faults["EVAPORATION"] {
		loss = 1.2
	}
	b.cup -= loss / 3600 * dt
	if b.faults["TOUCHED"] && math.Mod(b.running, 50) < dt {
		b.cup += 0.8
	}
}

// Value is what balance, gauge and ear say.
func (b *Balance) Value(channel string) float64 {
	switch channel {
	case "PRESSURE":
		return b.pressure + 0.05*b.noise.NormFloat64()
	case "ALARM":
		if b.alarm {
			return 1
		}
		return 0
	}
	return math.Round((b.cup+0.0003*b.noise.NormFloat64())*1000) / 1000
}

// Command knows SOURce:RATE (mL/h, 0 to 1500), SOURce:LINE open or closed,
// SIMulate:DEVice, SIMulate:PRESs FACTOR,steps (0.1 % a step) and SIMulate:FAULt.
func (b *Balance) Command(c Command) (string, bool, error) {
	switch {
	case c.Is("SOURce:RATE"):
		rate, err := strconv.ParseFloat(c.Arg(0), 64)
		if err != nil || !(rate >= 0 && rate <= 1500) {
			return "", true, fmt.Errorf(`-222,"Data out of range: 0 to 1500 mL/h"`)
		}
		b.rate, b.running = rate, 0
	case c.Is("SOURce:LINE"):
		b.line(strings.EqualFold(c.Arg(0), "closed"))
	case c.Is("SIMulate:PRESs"):
		_, steps, err := presses(c, b.Controls().Keys)
		if err != nil {
			return "", true, err
		}
		b.devices[b.tag].factor += steps
	default:
		return simulate(c, len(b.devices), b.connect, b.faults, b.Controls())
	}
	return "OK", true, nil
}

// line closes the line, or opens it: what was stored comes out as a bolus.
func (b *Balance) line(closed bool) {
	if b.closed && !closed {
		b.cup += math.Max(0, b.stored-0.1) * gramsPerMilL // the pump pulls some back first
	}
	b.closed, b.alarm, b.pressure, b.stored = closed, false, 0, 0
}
