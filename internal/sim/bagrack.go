package sim

import (
	"fmt"
	"math"
	"math/rand/v2"
	"northneedle/internal/instrument"
	"strconv"
)

// BagRack models a bag filled by strokes of a 3 L syringe and emptied through tubing
// into a dry-gas meter: the tubing's dead space, the meter's gain, a leak.
type BagRack struct {
	DeadSpace, Gain float64

	strokes int
	shown   float64
	offset  float64 // entered in the device's own sheet
	noise   *rand.Rand
	spill   float64 // of this filling
	faults  map[string]bool
}

// NewBagRack makes a rack with a quarter litre of tubing.
func NewBagRack() *BagRack {
	return &BagRack{DeadSpace: 0.24, Gain: 1.001, noise: seeded("bags"), faults: map[string]bool{}}
}

// IDN identifies it.
func (b *BagRack) IDN() string { return "North Needle,Bag rack simulated,BR-SIM,1" }

// Channels are the volume in L that the meter shows.
func (b *BagRack) Channels() []string { return []string{"VOLUME"} }

// Rate is 10 samples a second.
func (b *BagRack) Rate() int { return 10 }

// Controls are a leaking bag, strokes drawn with the bag open, a worn meter.
func (b *BagRack) Controls() instrument.Controls {
	return instrument.Controls{Faults: faultsOf(b.faults, "LEAK", "one bag leaks", "OPEN",
		"strokes drawn with the bag open", "WORN", "meter worn"), Keys: keysOf("DEADSPACE", "dead space to subtract")}
}

// Step lets the pump draw the bag empty.
func (b *BagRack) Step(dt float64) {
	full := 0.0
	if b.strokes > 0 {
		gain := b.Gain
		if b.faults["WORN"] {
			gain *= 1.03
		}
		full = float64(b.strokes)*syringeLitres*gain + b.DeadSpace + b.offset - b.spill
		if b.faults["LEAK"] && b.strokes == 3 {
			full -= 0.7
		}
	}
	b.shown += (full - b.shown) * (1 - math.Exp(-dt/1.2))
}

// Value is what the meter shows.
func (b *BagRack) Value(string) float64 { return math.Round(b.shown*1000) / 1000 }

// Command knows SOURce:FILL (strokes, 0 to 10), SIMulate:DEVice, SIMulate:PRESs
// DEADSPACE,steps (10 mL a step) and SIMulate:FAULt.
func (b *BagRack) Command(c Command) (string, bool, error) {
	switch {
	case c.Is("SOURce:FILL"):
		n, err := strconv.Atoi(c.Arg(0))
		if err != nil || n < 0 || n > 10 {
			return "", true, fmt.Errorf(`-222,"Data out of range: 0 to 10 strokes"`)
		}
		b.strokes, b.shown = n, 0
		b.spill = 0.004 * b.noise.NormFloat64()
		if b.faults["OPEN"] {
			b.spill = 0.4 * b.noise.NormFloat64()
		}
	case c.Is("SIMulate:DEVice"):
	case c.Is("SIMulate:PRESs"):
		_, steps, err := presses(c, b.Controls().Keys)
		if err != nil {
			return "", true, err
		}
		b.offset += 0.01 * float64(steps)
	case c.Is("SIMulate:FAULt"):
		return setFault(b.faults, c, codes(b.Controls().Faults)...)
	default:
		return "", false, nil
	}
	return "OK", true, nil
}
