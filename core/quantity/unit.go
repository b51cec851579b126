// Package quantity holds physical quantities with UCUM unit codes: conversion
// that refuses to mix dimensions, parsing of what a technician types, and display
// at a device's resolution.
package quantity

import (
	"fmt"
	"math"
	"strconv"
	"strings"
)

// dimension holds the exponents of length, mass, time, temperature, amount,
// current and level (a logarithmic ratio such as the decibel, kept apart so that
// it never mixes with a plain ratio).
type dimension [7]int

const (
	length = iota
	mass
	duration
	temperature
	amount
	current
	level
)

// Unit is a parsed UCUM code: value in SI base units = value * factor + offset.
type Unit struct {
	code   string
	dim    dimension
	factor float64
	offset float64 // only Cel and [degF] have one, and only standing alone
}

type atom struct {
	dim       dimension
	factor    float64
	offset    float64
	prefixed  bool // may carry a metric prefix
	arbitrary string
}

func dims(pairs ...int) (d dimension) {
	for i := 0; i < len(pairs); i += 2 {
		d[pairs[i]] = pairs[i+1]
	}
	return d
}

// atoms is the part of the UCUM table that the job needs.
var atoms = map[string]atom{
	"m":         {dim: dims(length, 1), factor: 1, prefixed: true},
	"g":         {dim: dims(mass, 1), factor: 1e-3, prefixed: true},
	"s":         {dim: dims(duration, 1), factor: 1, prefixed: true},
	"min":       {dim: dims(duration, 1), factor: 60},
	"h":         {dim: dims(duration, 1), factor: 3600},
	"d":         {dim: dims(duration, 1), factor: 86400},
	"K":         {dim: dims(temperature, 1), factor: 1, prefixed: true},
	"Cel":       {dim: dims(temperature, 1), factor: 1, offset: 273.15},
	"[degF]":    {dim: dims(temperature, 1), factor: 5.0 / 9, offset: 459.67 * 5 / 9},
	"mol":       {dim: dims(amount, 1), factor: 1, prefixed: true},
	"A":         {dim: dims(current, 1), factor: 1, prefixed: true},
	"V":         {dim: dims(length, 2, mass, 1, duration, -3, current, -1), factor: 1, prefixed: true},
	"Ohm":       {dim: dims(length, 2, mass, 1, duration, -3, current, -2), factor: 1, prefixed: true},
	"L":         {dim: dims(length, 3), factor: 1e-3, prefixed: true},
	"l":         {dim: dims(length, 3), factor: 1e-3, prefixed: true},
	"Pa":        {dim: dims(length, -1, mass, 1, duration, -2), factor: 1, prefixed: true},
	"bar":       {dim: dims(length, -1, mass, 1, duration, -2), factor: 1e5, prefixed: true},
	"m[Hg]":     {dim: dims(length, -1, mass, 1, duration, -2), factor: 133322.387415, prefixed: true},
	"m[H2O]":    {dim: dims(length, -1, mass, 1, duration, -2), factor: 9806.65, prefixed: true},
	"N":         {dim: dims(length, 1, mass, 1, duration, -2), factor: 1, prefixed: true},
	"Hz":        {dim: dims(duration, -1), factor: 1, prefixed: true},
	"[lb_av]":   {dim: dims(mass, 1), factor: 0.45359237},
	"%":         {factor: 1e-2},
	"[ppth]":    {factor: 1e-3},
	"[ppm]":     {factor: 1e-6},
	"[ppb]":     {factor: 1e-9},
	"B[SPL]":    {dim: dims(level, 1), factor: 1, prefixed: true, arbitrary: "SPL"},
	"B":         {dim: dims(level, 1), factor: 1, prefixed: true},
	"[pH]":      {factor: 1, arbitrary: "pH"},
	"[diop]":    {dim: dims(length, -1), factor: 1},
	"[in_i]":    {dim: dims(length, 1), factor: 0.0254},
	"[psi]":     {dim: dims(length, -1, mass, 1, duration, -2), factor: 6894.757293168},
	"U":         {factor: 1, prefixed: true, arbitrary: "U"},
	"[iU]":      {factor: 1, prefixed: true, arbitrary: "IU"},
	"[drp]":     {dim: dims(length, 3), factor: 5e-8},
	"1":         {factor: 1},
	"10*":       {factor: 10},
	"[pi]":      {factor: math.Pi},
	"deg":       {factor: math.Pi / 180},
	"J":         {dim: dims(length, 2, mass, 1, duration, -2), factor: 1, prefixed: true},
	"W":         {dim: dims(length, 2, mass, 1, duration, -3), factor: 1, prefixed: true},
	"[arb'U]":   {factor: 1, arbitrary: "arb"},
	"[CFU]":     {factor: 1, arbitrary: "CFU"},
	"cal":       {dim: dims(length, 2, mass, 1, duration, -2), factor: 4.184, prefixed: true},
	"mo":        {dim: dims(duration, 1), factor: 2629800},
	"a":         {dim: dims(duration, 1), factor: 31557600},
	"wk":        {dim: dims(duration, 1), factor: 604800},
	"[g]":       {dim: dims(length, 1, duration, -2), factor: 9.80665},
	"atm":       {dim: dims(length, -1, mass, 1, duration, -2), factor: 101325},
	"[oz_av]":   {dim: dims(mass, 1), factor: 0.028349523125},
	"[degRe]":   {dim: dims(temperature, 1), factor: 1.25, offset: 273.15},
	"[nmi_i]":   {dim: dims(length, 1), factor: 1852},
	"[ft_i]":    {dim: dims(length, 1), factor: 0.3048},
	"t":         {dim: dims(mass, 1), factor: 1000},
	"[ston_av]": {dim: dims(mass, 1), factor: 907.18474},
}

var prefixes = map[string]float64{
	"M": 1e6, "k": 1e3, "h": 1e2, "da": 10, "d": 1e-1, "c": 1e-2, "m": 1e-3, "u": 1e-6, "n": 1e-9, "p": 1e-12,
}

// shown gives the way a code is written for a person where the code itself is not it.
var shown = map[string]string{
	"%{vol}": "vol%", "Cel": "°C", "[ppm]": "ppm", "mm[Hg]": "mmHg", "cm[H2O]": "cmH₂O", "[lb_av]": "lb", "1": "",
	"/min": "/min", "{breath}/min": "/min", "{beat}/min": "/min", "[degF]": "°F", "[pH]": "", "dB[SPL]": "dB SPL", "dB{HL}": "dB HL",
	"{press}": "presses", "mOhm": "mΩ", "MOhm": "MΩ", "uA": "µA", "uL": "µL", "umol/L": "µmol/L",
}

// ParseUnit reads a UCUM code such as "mL/h", "cm[H2O]", "%{vol}" or "/min".
// It returns an error that names the part it does not know.
func ParseUnit(code string) (Unit, error) {
	unit := Unit{code: code, factor: 1}
	text := strings.TrimSpace(code)
	if text == "" {
		return Unit{}, fmt.Errorf("the unit is empty: use a UCUM code such as \"%%{vol}\", \"kg\" or \"/min\"")
	}
	sign, parts := 1, 0
	for text != "" {
		switch text[0] {
		case '/':
			sign, text = -1, text[1:]
			continue
		case '.':
			sign, text = 1, text[1:]
			continue
		}
		cut := strings.IndexAny(text, "/.")
		for open := strings.IndexAny(text, "[{"); open >= 0 && cut > open; {
			closing := strings.IndexAny(text[open:], "]}")
			if closing < 0 {
				return Unit{}, fmt.Errorf("unit %q: a bracket is not closed", code)
			}
			rest := strings.IndexAny(text[open+closing:], "/.")
			if rest < 0 {
				cut = -1
			} else {
				cut = open + closing + rest
			}
			break
		}
		word := text
		if cut >= 0 {
			word = text[:cut]
		}
		text = text[len(word):]
		if err := unit.times(word, sign); err != nil {
			return Unit{}, fmt.Errorf("unit %q: %w", code, err)
		}
		parts++
	}
	if parts == 0 {
		return Unit{}, fmt.Errorf("unit %q names no unit", code)
	}
	if parts > 1 {
		unit.offset = 0
	}
	if math.IsInf(unit.factor, 0) || unit.factor == 0 || math.IsNaN(unit.factor) {
		return Unit{}, fmt.Errorf("unit %q is out of any range", code)
	}
	return unit, nil
}

// times multiplies the unit by one word, such as "mL", "s2" or "{breath}", or divides it for sign -1.
func (u *Unit) times(word string, sign int) error {
	if open := strings.IndexByte(word, '{'); open >= 0 {
		if !strings.HasSuffix(word, "}") {
			return fmt.Errorf("the annotation in %q is not closed", word)
		}
		if word = word[:open]; word == "" {
			return nil
		}
	}
	exponent := 1
	if a, scale, ok := lookup(word); ok {
		u.apply(a, scale, sign)
		return nil
	}
	digits := len(word)
	for digits > 0 && word[digits-1] >= '0' && word[digits-1] <= '9' {
		digits--
	}
	if digits > 0 && word[digits-1] == '-' {
		digits--
	}
	if digits < len(word) && digits > 0 {
		n, err := strconv.Atoi(word[digits:])
		if err != nil || n == 0 || n > 9 || n < -9 {
			return fmt.Errorf("the exponent of %q is not between -9 and 9", word)
		}
		exponent, word = n, word[:digits]
	}
	a, scale, ok := lookup(word)
	if !ok {
		return fmt.Errorf("%q is not a unit we know", word)
	}
	u.apply(a, scale, sign*exponent)
	return nil
}

func (u *Unit) apply(a atom, scale float64, exponent int) {
	for i := range u.dim {
		u.dim[i] += a.dim[i] * exponent
	}
	u.factor *= math.Pow(a.factor*scale, float64(exponent))
	if exponent == 1 {
		u.offset = a.offset
	}
}

// lookup finds an atom, with or without a metric prefix.
func lookup(word string) (atom, float64, bool) {
	if a, ok := atoms[word]; ok {
		return a, 1, true
	}
	for prefix, scale := range prefixes {
		if rest, ok := strings.CutPrefix(word, prefix); ok {
			if a, ok := atoms[rest]; ok && a.prefixed {
				return a, scale, true
			}
		}
	}
	return atom{}, 0, false
}

// Code is the UCUM code the unit was parsed from.
func (u Unit) Code() string { return u.code }

// Shown is the unit as a technician reads it: "vol%" for "%{vol}".
func (u Unit) Shown() string { return ShowUnit(u.code) }

// ShowUnit is [Unit.Shown] for a code that need not be valid.
func ShowUnit(code string) string {
	if text, ok := shown[code]; ok {
		return text
	}
	return code
}

// Same reports whether two units measure the same kind of quantity, so that a value converts between them.
func (u Unit) Same(other Unit) bool { return u.dim == other.dim && u.arbitrary() == other.arbitrary() }

// arbitrary names the procedure-defined quantity (pH, IU, SPL) the unit carries, which converts to nothing else.
func (u Unit) arbitrary() string {
	for word := range strings.FieldsFuncSeq(u.code, func(r rune) bool { return r == '/' || r == '.' }) {
		if a, _, ok := lookup(word); ok && a.arbitrary != "" {
			return a.arbitrary
		}
	}
	return ""
}
