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

// Acoustic models an audiometer with two earphones on a coupler, and the analyser that
// listens: level, frequency, distortion, envelope, cross-talk, and the room.
type Acoustic struct {
	ear      string // right or left
	hertz    float64
	dial     float64 // dB HL
	electric bool
	band     float64 // octave band that the analyser shows, Hz
	clock    float64
	level    float64 // of the envelope, dB of full

	tag     string
	devices map[string]*audiometerTruth
	faults  map[string]bool
	noise   *rand.Rand
}

type audiometerTruth struct {
	off   map[string]float64 // dB by ear and frequency, "right 1000"
	table map[string]int     // half decibels
}

// threshold is what the simulated earphone's 0 dB HL is in dB SPL in this coupler.
var threshold = map[float64]float64{
	125:  45,
	250:  25.5,
	500:  11.5,
	750:  8,
	1500: 6.5,
	1000: 7,
	2000: 9,
	3000: 10,
	4000: 9.5,
	6000: 15.5,
	8000: 13,
}

// roomLevels are the octave bands of the simulated room, in dB.
var roomLevels = map[float64]float64{125: 33, 250: 27, 500: 18, 1000: 15, 2000: 14, 4000: 13, 8000: 12}

// NewAcoustic makes a bench with the audiometer silent.
func NewAcoustic() *Acoustic {
	a := &Acoustic{
		ear:     "right",
		hertz:   1000,
		dial:    70,
		band:    1000,
		devices: map[string]*audiometerTruth{},
		faults:  map[string]bool{},
		noise:   seeded("acoustic"),
	}
	a.connect("BENCH")
	return a
}

// IDN identifies it.
func (a *Acoustic) IDN() string { return "North Needle,Acoustic bench simulated,AB-SIM,1" }

// Channels are the level in dB SPL (electrically in dB of the same scale), frequency in
// Hz, distortion in percent, how far down the other ear is in dB, the envelope in dB of
// the tone, the pulse in ms, and the room's level in the chosen band in dB.
func (a *Acoustic) Channels() []string {
	return []string{"LEVEL", "FREQUENCY", "DISTORTION", "CROSSTALK", "ENVELOPE", "PULSE", "BAND"}
}

// Rate is 50 samples a second.
func (a *Acoustic) Rate() int { return 50 }

// Controls are faults of set-up, earphones, attenuator and room; the correction table.
func (a *Acoustic) Controls() instrument.Controls {
	return instrument.Controls{Faults: faultsOf(a.faults, "TIPPED", "coupler tipped", "CABLE",
		"cable of the right earphone worn", "RESONANCE", "left earphone off at 3 kHz", "STEP",
		"attenuator step worn at 60 dB", "LOUD", "room too loud", "DISTORTED", "earphone distorts"),
		Keys: keysOf("TABLE", "correction table, half decibels")}
}

func (a *Acoustic) connect(tag string) {
	a.tag = tag
	if a.devices[tag] != nil {
		return
	}
	r := seeded(tag + " audiometer")
	t := &audiometerTruth{off: map[string]float64{}, table: map[string]int{}}
	for _, ear := range []string{"right", "left"} {
		for _, hertz := range []float64{250, 500, 1000, 2000, 3000, 4000, 6000, 8000} {
			t.off[fmt.Sprintf("%s %g", ear, hertz)] = 0.7 * r.NormFloat64()
		}
	}
	for _, ear := range []string{"right", "left"} {
		for _, hertz := range []float64{125, 750, 1500} {
			t.off[fmt.Sprintf("%s %g", ear, hertz)] = 0.7 * r.NormFloat64()
		}
	}
	a.devices[tag] = t
}

// Step switches the tone on and off, so that its envelope can be seen.
func (a *Acoustic) Step(dt float64) {
	a.clock += dt
	on := math.Mod(a.clock, 1) < 0.5
	if on {
		a.level = math.Min(0, a.level+dt*320) // dB a second
	} else {
		a.level = math.Max(-60, a.level-dt*320)
	}
}

// Value is what the analyser shows.
func (a *Acoustic) Value(channel string) float64 {
	little := 0.02 * a.noise.NormFloat64()
	switch channel {
	case "FREQUENCY":
		return a.hertz*1.002 + little
	case "DISTORTION":
		if a.faults["DISTORTED"] && !a.electric {
			return 4.1 + little
		}
		return 0.8 + little
	case "CROSSTALK":
		return 84 + little
	case "ENVELOPE":
		return a.level
	case "PULSE":
		return 228 + 10*little
	case "BAND":
		level := roomLevels[a.band]
		if a.faults["LOUD"] {
			level += 24
		}
		return level + 5*little
	}
	return a.spl() + little
}

// spl is the level in the coupler, with the room added to it by energy.
func (a *Acoustic) spl() float64 {
	t := a.devices[a.tag]
	entry := fmt.Sprintf("%s %g", a.ear, a.hertz)
	level := a.dial + threshold[a.hertz] + t.off[entry] + 0.5*float64(t.table[entry])
	if a.faults["STEP"] && a.dial <= 60 {
		level += 2.4
	}
	if a.electric {
		return level
	}
	switch {
	case a.faults["TIPPED"]:
		level -= 11
	case a.faults["CABLE"] && a.ear == "right":
		level -= 4.6
	case a.faults["RESONANCE"] && a.ear == "left" && a.hertz == 3000:
		level += 4.4
	}
	room := 12.0
	if a.faults["LOUD"] {
		room = 36
	}
	return 10 * math.Log10(math.Pow(10, level/10)+math.Pow(10, room/10))
}

// Command knows SOURce: EAR (right, left), TONE (Hz), DIAL (dB HL), PATH (acoustic,
// electric) and BAND (Hz); SIMulate:DEVice, SIMulate:PRESs TABLE,steps,ear-hertz and
// SIMulate:FAULt.
func (a *Acoustic) Command(c Command) (string, bool, error) {
	number := func(into *float64) error {
		v, err := strconv.ParseFloat(c.Arg(0), 64)
		if err != nil || !(v >= -20 && v <= 20000) {
			return fmt.Errorf(`-222,"Data out of range"`)
		}
		*into = v
		return nil
	}
	var err error
	switch {
	case c.Is("SOURce:EAR"):
		ear := strings.ToLower(c.Arg(0))
		if !slices.Contains([]string{"right", "left"}, ear) {
			return "", true, fmt.Errorf(`-224,"Illegal parameter: right or left"`)
		}
		a.ear = ear
	case c.Is("SOURce:TONE"):
		err = number(&a.hertz)
	case c.Is("SOURce:DIAL"):
		err = number(&a.dial)
	case c.Is("SOURce:BAND"):
		err = number(&a.band)
	case c.Is("SOURce:PATH"):
		a.electric = strings.EqualFold(c.Arg(0), "electric")
	case c.Is("SIMulate:PRESs"):
		_, steps, err := presses(c, a.Controls().Keys)
		if err != nil {
			return "", true, err
		}
		entry := strings.ReplaceAll(strings.ToLower(c.Arg(2)), "-", " ")
		if _, known := a.devices[a.tag].off[entry]; !known {
			return "", true, fmt.Errorf(`-224,"Illegal parameter: TABLE,steps,right-1000"`)
		}
		a.devices[a.tag].table[entry] += steps
	default:
		return simulate(c, len(a.devices), a.connect, a.faults, a.Controls())
	}
	return "OK", true, err
}
