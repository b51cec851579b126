package sim

import (
	"fmt"
	"math"
	"math/rand/v2"
	"northneedle/internal/instrument"
	"strconv"
	"strings"
)

// SpirometerTruth is what a flow sensor really does: its gain by direction and band of
// speed, a flow it shows at rest, and the entries of its correction table in percent.
type SpirometerTruth struct {
	Gain  map[string]float64 // by "slow-injected", "fast-withdrawn" …; 1 where there is none
	Zero  float64            // L/s
	Table map[string]float64 // percent, by the same names
}

// Syringe models a person pushing a calibration syringe through the flow sensor of a
// spirometer: strokes of 3 L out and in at a set mean flow, with a pause after each,
// and the sensor's own errors.
type Syringe struct {
	Devices map[string]*SpirometerTruth // by tag; others draw theirs from it

	speed   float64 // mean flow of the strokes, L/s; 0 stands
	clock   float64 // since the present stroke or pause began
	pausing bool
	out     bool // the present stroke is injected
	bad     bool // the present stroke ends in a bang
	slip    bool // the next one will
	tag     string
	noise   *rand.Rand
	faults  map[string]bool
}

// Stroke volume and pause of a good technique.
const (
	syringeLitres = 3.0
	goodPause     = 1.0
)

// NewSyringe makes a syringe at rest.
func NewSyringe() *Syringe {
	s := &Syringe{
		Devices: map[string]*SpirometerTruth{},
		pausing: true,
		noise:   seeded("syringe"),
		faults:  map[string]bool{},
	}
	s.connect("BENCH")
	return s
}

// IDN identifies it.
func (s *Syringe) IDN() string { return "North Needle,Syringe bench simulated,SY-SIM,1" }

// Channels are the flow in L/s as the connected spirometer shows it, injected positive.
func (s *Syringe) Channels() []string { return []string{"FLOW"} }

// Rate is 100 samples a second.
func (s *Syringe) Rate() int { return 100 }

// Controls are the faults of set-up, sensor and technique.
func (s *Syringe) Controls() instrument.Controls {
	return instrument.Controls{Faults: faultsOf(s.faults, "BTPS", "body conditions left on", "LEAK",
		"leak on the way in", "FOULED", "sensor fouled", "ZERO", "not zeroed", "BANG", "bangs at the end stop", "HURRY",
		"no pauses", "SLIP", "one bad stroke"),
		Keys: append(keysOf("TABLE", "correction table"),
			routinesOf("ZERO", "zero", "FLOW", "flow calibration of a cart")...)}
}

func (s *Syringe) connect(tag string) {
	s.tag = tag
	if s.Devices[tag] != nil {
		return
	}
	r := seeded(tag + " spirometer")
	t := &SpirometerTruth{Gain: map[string]float64{}, Table: map[string]float64{}}
	all := 1 + 0.012*r.NormFloat64()
	for _, band := range []string{"slow", "medium", "fast"} {
		for _, way := range []string{"injected", "withdrawn"} {
			t.Gain[band+"-"+way] = all + 0.004*r.NormFloat64()
		}
	}
	for _, way := range []string{"injected", "withdrawn"} {
		t.Gain["fastest-"+way] = t.Gain["fast-"+way]
	}
	s.Devices[tag] = t
}

// entry is the band and direction of the present stroke.
func (s *Syringe) entry() string {
	band := "slow"
	switch {
	case s.speed > 8:
		band = "fastest"
	case s.speed > 4:
		band = "fast"
	case s.speed > 1.5:
		band = "medium"
	}
	if s.out {
		return band + "-injected"
	}
	return band + "-withdrawn"
}

// Step moves the piston on.
func (s *Syringe) Step(dt float64) {
	s.clock += dt
	pause := goodPause
	if s.faults["HURRY"] {
		pause = 0.1
	}
	switch {
	case s.speed == 0:
		s.pausing, s.clock = true, 0
	case s.pausing && s.clock >= pause:
		s.pausing, s.clock, s.out = false, 0, !s.out
		s.bad = s.faults["BANG"] || s.slip
		s.slip = false
	case !s.pausing && s.clock >= syringeLitres/s.speed:
		s.pausing, s.clock = true, 0
	}
}

// Value is the flow the sensor shows.
func (s *Syringe) Value(string) float64 {
	t := s.Devices[s.tag]
	zero := t.Zero
	if s.faults["ZERO"] {
		zero += 0.07
	}
	flow := 0.0
	if !s.pausing {
		share := s.clock / (syringeLitres / s.speed)
		flow = s.speed * math.Pi / 2 * math.Sin(math.Pi*share)
		if s.bad { // the flow is at its peak when the piston hits the stop
			flow = s.speed * math.Pi / 2 * math.Sin(math.Pi/2*share)
		}
		flow *= s.gain(t)
		if !s.out {
			flow = -flow
		}
	}
	return flow + zero + 0.002*s.noise.NormFloat64()
}

func (s *Syringe) gain(t *SpirometerTruth) float64 {
	g, known := t.Gain[s.entry()]
	if !known {
		g = 1
	}
	g *= 1 + t.Table[s.entry()]/100
	if s.faults["BTPS"] {
		g *= 1.09
	}
	if s.faults["LEAK"] && !s.out {
		g *= 0.93
	}
	if s.faults["FOULED"] && s.speed > 4 {
		g *= 0.94
	}
	return g
}

// Command knows SOURce:STROKE (mean flow in L/s, 0 to 12), SIMulate:DEVice,
// SIMulate:PRESs TABLE,steps,entry (half a percent a step), ZERO or FLOW, and SIMulate:FAULt.
func (s *Syringe) Command(c Command) (string, bool, error) {
	switch {
	case c.Is("SOURce:STROKE"):
		speed, err := strconv.ParseFloat(c.Arg(0), 64)
		if err != nil || !(speed >= 0 && speed <= 12) {
			return "", true, fmt.Errorf(`-222,"Data out of range: 0 to 12 L/s"`)
		}
		if speed != s.speed {
			s.speed, s.pausing, s.clock = speed, true, 0
		}
	case c.Is("SIMulate:PRESs"):
		key, steps, err := presses(c, s.Controls().Keys)
		switch {
		case err != nil:
			return "", true, err
		case key == "ZERO":
			s.Devices[s.tag].Zero = 0
			delete(s.faults, "ZERO")
			return "OK", true, nil
		case key == "FLOW":
			clear(s.Devices[s.tag].Table)
			for entry := range s.Devices[s.tag].Gain {
				s.Devices[s.tag].Gain[entry] = 1
			}
			return "OK", true, nil
		}
		entry := strings.TrimPrefix(strings.ToLower(c.Arg(2)), "volume-")
		if _, known := s.Devices[s.tag].Gain[entry]; !known {
			return "", true, fmt.Errorf(`-224,"Illegal parameter: TABLE,steps,entry"`)
		}
		s.Devices[s.tag].Table[entry] += float64(steps) * 0.5
	case c.Is("SIMulate:FAULt") && strings.EqualFold(c.Arg(0), "SLIP"):
		s.slip = true
	default:
		return simulate(c, len(s.Devices), s.connect, s.faults, s.Controls())
	}
	return "OK", true, nil
}
