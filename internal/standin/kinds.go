package standin

import (
	"cmp"
	"fmt"
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
}

var kinds []Kind

// register makes a kind known; each model's file does so.
func register(k Kind) { kinds = append(kinds, k) }

// Kinds are all simulated instruments, by their id.
func Kinds() []Kind {
	all := slices.Clone(kinds)
	slices.SortFunc(all, func(a, b Kind) int { return cmp.Compare(a.ID, b.ID) })
	return all
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
func simulate(c Command, remembered int, connect func(tag string), faults map[string]bool, controls Controls) (string, bool, error) {
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
func presses(c Command, keys []Knob) (key string, steps int, err error) {
	key = strings.ToUpper(c.Arg(0))
	if !slices.Contains(codes(keys), key) {
		return "", 0, fmt.Errorf(`-224,"Illegal parameter: %s"`, strings.Join(codes(keys), " or "))
	}
	if steps, err = strconv.Atoi(c.Arg(1)); err != nil || steps < -1000 || steps > 1000 {
		return "", 0, fmt.Errorf(`-222,"Data out of range"`)
	}
	return key, steps, nil
}
