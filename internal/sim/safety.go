package sim

import (
	"fmt"
	"math"
	"math/rand/v2"
	"northneedle/internal/instrument"
	"slices"
	"strings"
)

// SafetyTester models an electrical safety tester with the device on it: its earth, its insulation and what it leaks.
type SafetyTester struct {
	test, method string
	tag          string
	devices      map[string]*electricalTruth
	faults       map[string]bool
	clock        float64
	noise        *rand.Rand
}

// electricalTruth is mΩ, MΩ and µA of a device of class I by a direct method.
type electricalTruth struct{ earth, insulation, leakage, applied float64 }

// NewSafetyTester makes one with nothing measured yet.
func NewSafetyTester() *SafetyTester {
	s := &SafetyTester{test: "none", method: "direct", devices: map[string]*electricalTruth{}, faults: map[string]bool{},
		noise: seeded("safety tester")}
	s.connect("BENCH")
	return s
}

// IDN identifies it.
func (s *SafetyTester) IDN() string { return "North Needle,Safety tester simulated,ST-SIM,1" }

// Channels are protective earth in mΩ, insulation in MΩ, and leakage of the device and of an applied part in µA.
func (s *SafetyTester) Channels() []string {
	return []string{"EARTH", "INSULATION", "LEAKAGE", "APPLIED"}
}

// Rate is 5 samples a second.
func (s *SafetyTester) Rate() int { return 5 }

// Controls are a cable that ages and one that is broken, a wet filter and a broken shield.
func (s *SafetyTester) Controls() instrument.Controls {
	return instrument.Controls{Faults: faultsOf(s.faults, "AGEING", "cable that ages", "CABLE", "cable breaking", "FILTER",
		"mains filter wet", "SHIELD", "shield of applied part 1 broken")}
}

func (s *SafetyTester) connect(tag string) {
	s.tag = tag
	if s.devices[tag] == nil {
		r := seeded(tag + " electrical")
		vary := func(v float64) float64 { return v * (1 + 0.05*r.NormFloat64()) }
		s.devices[tag] = &electricalTruth{vary(110), vary(60), vary(140), vary(14)}
	}
}

// Step bends the cable to and fro.
func (s *SafetyTester) Step(dt float64) { s.clock += dt }

// Value is what the tester shows of the test that is on; nothing of the others.
func (s *SafetyTester) Value(channel string) float64 {
	d := *s.devices[s.tag]
	near := func(v float64) float64 { return v * (1 + 0.004*s.noise.NormFloat64()) }
	bent := math.Max(0, math.Sin(2*math.Pi*s.clock/5))
	switch {
	case channel == "EARTH" && s.test == "earth":
		v := d.earth
		if s.faults["AGEING"] {
			v += 40 + 45*bent
		}
		if s.faults["CABLE"] {
			v += 60 + 420*bent
		}
		return near(v)
	case channel == "INSULATION" && s.test == "insulation":
		if s.faults["FILTER"] {
			return near(1.1)
		}
		return near(d.insulation)
	case channel == "LEAKAGE" && s.test == "leakage":
		v := d.leakage
		if s.faults["FILTER"] {
			v *= 5
		}
		if s.method == "alternative" {
			v *= 1.8
		}
		return near(v)
	case channel == "APPLIED" && strings.HasPrefix(s.test, "applied"):
		v := d.applied
		if s.faults["SHIELD"] && s.test == "applied1" {
			v += 71
		}
		return near(v)
	}
	return 0
}

// electricalTests and electricalMethods are what the tester can be set to.
var (
	electricalTests   = []string{"none", "earth", "insulation", "leakage", "applied1", "applied2", "applied3", "applied4"}
	electricalMethods = []string{"direct", "differential", "alternative"}
)

// Command knows SOURce:TEST, SOURce:METHOD, SIMulate:DEVice and SIMulate:FAULt.
func (s *SafetyTester) Command(c Command) (string, bool, error) {
	one := func(into *string, of []string) error {
		if !slices.Contains(of, strings.ToLower(c.Arg(0))) {
			return fmt.Errorf(`-224,"Illegal parameter: %s"`, strings.Join(of, ", "))
		}
		*into = strings.ToLower(c.Arg(0))
		return nil
	}
	var err error
	switch {
	case c.Is("SOURce:TEST"):
		err = one(&s.test, electricalTests)
	case c.Is("SOURce:METHOD"):
		err = one(&s.method, electricalMethods)
	default:
		return simulate(c, len(s.devices), s.connect, s.faults, s.Controls())
	}
	return "OK", true, err
}
