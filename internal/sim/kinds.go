package sim

import (
	"fmt"
	"northneedle/internal/instrument"
	"slices"
	"strconv"
	"strings"
)

// World is what the simulated instruments find around them: what is really in each
// cylinder, as dry fractions in vol% by gas, by the cylinder's tag.
type World struct {
	Cylinders map[string]map[string]float64
}

// Kind is a sort of simulated instrument.
type Kind struct {
	ID   string // also the kind of instrument that a procedure names
	Name string
	New  func(World) Model
	Rest string // commands that set it as it is after *RST, parted by semicolons
}

// Kinds lists the simulated instruments by their id.
func Kinds() []Kind {
	return []Kind{
		{ID: "acoustic-bench", Name: "Acoustic bench", New: func(World) Model { return NewAcoustic() },
			Rest: "SOURce:EAR right;SOURce:TONE 1000;SOURce:DIAL 70;SOURce:BAND 1000;SOURce:PATH acoustic"},
		{ID: "bag-rack", Name: "Bag rack and meter", New: func(World) Model { return NewBagRack() },
			Rest: "SOURce:FILL 0"},
		{ID: "balance", Name: "Balance under the pump", New: func(World) Model { return NewBalance() },
			Rest: "SOURce:RATE 0;SOURce:LINE open"},
		{ID: "blood-gas", Name: "Blood-gas analyser", New: func(World) Model { return NewBloodGas() },
			Rest: "SOURce:SAMPLE electronic-2"},
		{ID: "cart-gas", Name: "Gas analysers of the cart", New: func(w World) Model { return NewCartGas(w) },
			Rest: "SOURce:GAS AIR"},
		{ID: "chamber-probe", Name: "Probe in the warm chamber", New: func(World) Model { return NewChamber() },
			Rest: "SOURce:PROBE 1-upper"},
		{ID: "chemistry-analyser", Name: "Chemistry analyser and cuvettes", New: func(World) Model { return NewChemistryAnalyser() },
			Rest: "SOURce:TEST glucose;SOURce:CUVETTE none;SOURce:STAGE read"},
		{ID: "co-bench", Name: "Breath monitor bench", New: func(w World) Model { return NewBreathMonitor(w) },
			Rest: "SOURce:GAS AIR"},
		{ID: "finger-simulator", Name: "Finger simulator", New: func(World) Model { return NewFinger() },
			Rest: "SOURce:SPO2 97;SOURce:PULSe 60"},
		{ID: "flow-analyser", Name: "Flow analyser and ventilator",
			New:  func(World) Model { return NewFlowAnalyser() },
			Rest: "SOURce:MODE off;SOURce:GAS none"},
		{ID: "gas-bench", Name: "Gas bench", New: func(w World) Model { return newGasBench(w) },
			Rest: "SOURce:GAS AIR;SOURce:BREath 12"},
		{ID: "photometer", Name: "Photometer and cuvettes", New: func(World) Model { return NewPhotometer() },
			Rest: "SOURce:FILTER 0;SOURce:CUVETTE 0"},
		{ID: "safety-tester", Name: "Safety tester and device", New: func(World) Model { return NewSafetyTester() },
			Rest: "SOURce:TEST none"},
		{ID: "syringe-bench", Name: "Syringe bench", New: func(World) Model { return NewSyringe() },
			Rest: "SOURce:STROKE 0"},
	}
}

// deviceTag is the tag in SIMulate:DEVice, where a model still has room for one more.
func deviceTag(c Command, remembered int) (string, error) {
	if c.Arg(0) == "" || remembered > 1000 {
		return "", fmt.Errorf(`-109,"Missing parameter"`)
	}
	return strings.ToUpper(c.Arg(0)), nil
}

// simulate carries out what every model of a device knows: SIMulate:DEVice connects
// another one, SIMulate:FAULt switches one of its faults. False: it is another command.
func simulate(c Command, remembered int, connect func(tag string), faults map[string]bool,
	controls instrument.Controls) (string, bool, error) {
	switch {
	case c.Is("SIMulate:DEVice"):
		tag, err := deviceTag(c, remembered)
		if err != nil {
			return "", true, err
		}
		connect(tag)
		return "OK", true, nil
	case c.Is("SIMulate:FAULt"):
		return setFault(faults, c, codes(controls.Faults)...)
	}
	return "", false, nil
}

// presses are the key and the steps in SIMulate:PRESs, for one of a model's keys.
func presses(c Command, keys []instrument.Knob) (key string, steps int, err error) {
	key = strings.ToUpper(c.Arg(0))
	if !slices.Contains(codes(keys), key) {
		return "", 0, fmt.Errorf(`-224,"Illegal parameter: %s"`, strings.Join(codes(keys), " or "))
	}
	if steps, err = strconv.Atoi(c.Arg(1)); err != nil || steps < -1000 || steps > 1000 {
		return "", 0, fmt.Errorf(`-222,"Data out of range"`)
	}
	return key, steps, nil
}
