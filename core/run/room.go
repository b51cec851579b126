package run

import (
	"fmt"
	"slices"
	"strings"

	"northneedle/core/procedure"
	"northneedle/core/quantity"
)

// RoomUnits are the units in which room conditions are typed where none is given (UCUM);
// empty: °C and hPa.
type RoomUnits struct {
	Temperature string `json:"temperature,omitempty" enum:"Cel,[degF]"`
	Pressure    string `json:"pressure,omitempty" enum:"hPa,kPa,mm[Hg]"`
}

// The units that room instruments show.
var (
	roomTemperatures = []string{"Cel", "[degF]"}
	roomPressures    = []string{"hPa", "kPa", "mm[Hg]"}
)

// Settled fills in the default units (°C, hPa) where none is named.
func (u RoomUnits) Settled() RoomUnits {
	if u.Temperature == "" {
		u.Temperature = roomTemperatures[0]
	}
	if u.Pressure == "" {
		u.Pressure = roomPressures[0]
	}
	return u
}

// Check reports a unit that no room instrument shows.
func (u RoomUnits) Check() error {
	u = u.Settled()
	if !slices.Contains(roomTemperatures, u.Temperature) {
		return fmt.Errorf("temperature: the unit %q is not one of %q", u.Temperature, roomTemperatures)
	}
	if !slices.Contains(roomPressures, u.Pressure) {
		return fmt.Errorf("pressure: the unit %q is not one of %q", u.Pressure, roomPressures)
	}
	return nil
}

// roomValue reads a value of the room, in one unit, from what was typed: a number in the
// lab's unit, or with a unit behind it, as in "757 mmHg" or "71 °F".
func roomValue(field, text, typedIn, unit string, low, high float64) (float64, error) {
	shown := quantity.ShowUnit(unit)
	text = strings.TrimSpace(text)
	number := strings.TrimRight(text, "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ°%[] ")
	if behind := strings.TrimSpace(text[len(number):]); behind != "" {
		known := map[string]string{
			"mmhg": "mm[Hg]",
			"hpa":  "hPa",
			"kpa":  "kPa",
			"mbar": "hPa",
			"°c":   "Cel",
			"c":    "Cel",
			"°f":   "[degF]",
			"f":    "[degF]",
			"%":    "%",
		}
		code, ok := known[strings.ToLower(behind)]
		if !ok {
			code = behind
		}
		typedIn = code
	}
	v, err := quantity.ParseNumber(number)
	if err != nil {
		return 0, refuse(Invalid, "number", field, "%s: %s.", field, err)
	}
	if typedIn != unit {
		if v, err = quantity.Convert(v, typedIn, unit); err != nil {
			return 0, refuse(Invalid, "unit", field, "%s: %s. Type it in %s, or with its unit behind it.", field, err,
				shown)
		}
	}
	if v < low || v > high {
		return 0, refuse(Invalid, "range", field, "%s: %.4g %s is outside %g to %g %s. Is the unit right?", field, v,
			shown, low, high, shown)
	}
	return v, nil
}

// RecordAmbient records the room conditions as they were typed.
type RecordAmbient struct {
	Step                            string
	Temperature, Pressure, Humidity string
	Source                          string
}

func (c RecordAmbient) decide(r Run, o Order) ([]Fact, error) {
	step, err := stepOf[*procedure.AmbientStep](r, c.Step)
	if err != nil {
		return nil, err
	}
	units := r.Lab.Room.Settled()
	a := procedure.Ambient{UPressureHPa: step.UPressure, Recorded: true}
	if a.TemperatureC, err = roomValue("temperature", c.Temperature, units.Temperature, "Cel", 5, 45); err != nil {
		return nil, err
	}
	if w := step.Temperature; w != nil && (a.TemperatureC < w.From || a.TemperatureC > w.To) {
		return nil, refuse(Invalid, "too-cold-or-warm", "temperature",
			"%g °C is outside %g to %g °C: %s. Come back when the device has another temperature; this is no failure of it.", a.TemperatureC, w.From, w.To, w.Why)
	}
	if a.PressureHPa, err = roomValue("pressure", c.Pressure, units.Pressure, "hPa", 500, 1100); err != nil {
		return nil, err
	}
	if a.HumidityPercent, err = roomValue("humidity", c.Humidity, "%", "%", 0, 100); err != nil {
		return nil, err
	}
	if a.Source = strings.TrimSpace(c.Source); a.Source == "" {
		return nil, refuse(Invalid, "source", "source",
			"source: say where the room conditions come from, for instance the tag of the room instrument.")
	}
	return []Fact{AmbientRecorded{c.Step, a}}, nil
}
