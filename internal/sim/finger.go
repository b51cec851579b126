package sim

import (
	"fmt"
	"math"
	"math/rand/v2"
	"northneedle/internal/instrument"
	"strconv"
	"strings"
)

// Finger models a finger simulator with a pulse oximeter's probe on it: the
// display follows slowly, in whole digits, with an offset of its own. On a wrong
// probe curve the low saturations read high.
type Finger struct {
	spo2, pulse   float64 // set
	atSpo2, atBpm float64 // followed
	noise         *rand.Rand
	offset        float64
	faults        map[string]bool
}

// NewFinger makes a finger simulator at 97 % and 60 /min.
func NewFinger() *Finger {
	return &Finger{spo2: 97, pulse: 60, atSpo2: 97, atBpm: 60, noise: seeded("finger"), faults: map[string]bool{}}
}

// IDN identifies it.
func (f *Finger) IDN() string { return "North Needle,Finger simulator simulated,FS-SIM,1" }

// Channels are saturation in % and pulse per minute, as the connected oximeter shows them.
func (f *Finger) Channels() []string { return []string{"SPO2", "PULSE"} }

// Rate is 25 samples a second.
func (f *Finger) Rate() int { return 25 }

// Controls are a wrong probe curve.
func (f *Finger) Controls() instrument.Controls {
	return instrument.Controls{Faults: faultsOf(f.faults, "CURVE", "wrong curve"), Keys: keysOf()}
}

// Value is the present display.
func (f *Finger) Value(channel string) float64 {
	if channel == "PULSE" {
		return math.Round(f.atBpm)
	}
	return math.Min(100, math.Round(f.atSpo2))
}

// Step lets the display follow.
func (f *Finger) Step(dt float64) {
	follow := 1 - math.Exp(-dt/0.8)
	target := f.spo2 + f.offset
	if f.faults["CURVE"] {
		target += 0.18 * (97 - f.spo2)
	}
	f.atSpo2 += (target-f.atSpo2)*follow + 0.01*f.noise.NormFloat64()
	f.atBpm += (f.pulse-f.atBpm)*follow + 0.01*f.noise.NormFloat64()
}

// Command knows SOURce:SPO2, SOURce:PULSe, SIMulate:DEVice and SIMulate:FAULt.
func (f *Finger) Command(c Command) (string, bool, error) {
	set := func(target *float64, low, high float64) (string, bool, error) {
		v, err := strconv.ParseFloat(c.Arg(0), 64)
		if err != nil || !(v >= low && v <= high) {
			return "", true, fmt.Errorf(`-222,"Data out of range: %g to %g"`, low, high)
		}
		*target = v
		return "OK", true, nil
	}
	switch {
	case c.Is("SOURce:SPO2"):
		return set(&f.spo2, 50, 100)
	case c.Is("SOURce:PULSe"):
		return set(&f.pulse, 20, 250)
	case c.Is("SIMulate:DEVice"):
		f.offset = math.Max(-0.6, math.Min(0.6, 0.3*seeded(strings.ToUpper(c.Arg(0))+" finger").NormFloat64()))
		return "OK", true, nil
	case c.Is("SIMulate:FAULt"):
		return setFault(f.faults, c, codes(f.Controls().Faults)...)
	}
	return "", false, nil
}
