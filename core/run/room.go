package run

import (
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"northneedle/core/gas"
	"northneedle/core/interval"
	"northneedle/core/procedure"
	"northneedle/core/quantity"
	"northneedle/core/reference"
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
	Instrument                      *reference.Standard // that it was read from; nil: none of the register
	Confirmed                       bool                // a pressure that does not fit the site's height was confirmed
	Reason                          string              // of a correction, once readings were taken
}

// weather is by how much the pressure at a place differs from that of the standard atmosphere at most, in hPa: record
// lows and highs lie within it.
const weather = 55

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
	if err := c.fitsHeight(r, a.PressureHPa); err != nil {
		return nil, err
	}
	if a.HumidityPercent, err = roomValue("humidity", c.Humidity, "%", "%", 0, 100); err != nil {
		return nil, err
	}
	if a.Source = strings.TrimSpace(c.Source); a.Source == "" {
		return nil, refuse(Invalid, "source", "source",
			"source: say where the room conditions come from, for instance the tag of the room instrument.")
	}
	if err := c.readFrom(&a, o.At); err != nil {
		return nil, err
	}
	fact := AmbientRecorded{Step: c.Step, Ambient: a}
	if r.Ambient.Recorded && len(r.Readings) > 0 && a != r.Ambient {
		if fact.Reason = strings.TrimSpace(c.Reason); fact.Reason == "" {
			return nil, refuse(Invalid, "room-changed", "reason",
				"The room was recorded already, and readings were taken. Say why it is corrected: it stands on the certificate.")
		}
	}
	return []Fact{fact}, nil
}

// fitsHeight asks back where a pressure is none of the site's height: it may have been reduced to the sea.
func (c RecordAmbient) fitsHeight(r Run, pressure float64) error {
	if r.Device.Height == nil || c.Confirmed {
		return nil
	}
	usual, err := gas.StandardPressure(*r.Device.Height)
	if err != nil || math.Abs(pressure-usual) <= weather {
		return nil
	}
	return refuse(Question, "height", "pressure",
		"%s lies at %.0f m, where about %.0f hPa is usual; %.0f hPa was typed. Is that the pressure at this place, and not reduced to the sea?",
		r.Device.Site, *r.Device.Height, usual, pressure)
}

// readFrom fills in the reference that the room was read from: usable, with a certificate in date, whose uncertainty of
// the pressure counts.
func (c RecordAmbient) readFrom(a *procedure.Ambient, now time.Time) error {
	s := c.Instrument
	if s == nil {
		return nil
	}
	if s.Status != reference.Usable || interval.Past(s.Certificate.DueOn, now) {
		return refuse(Conflict, "unfit-standard", "source",
			"%s cannot be used: it is %s, its certificate valid until %s. Read the room from another one.", s.Tag, s.Status,
			s.Certificate.DueOn.Format(time.DateOnly))
	}
	a.Instrument = s.Tag
	a.Certificate = fmt.Sprintf("certificate %s, valid until %s", s.Certificate.Number, s.Certificate.DueOn.Format(time.DateOnly))
	for _, line := range s.Lines("pressure", a.PressureHPa, "hPa", true) {
		if line.K > 0 {
			a.UPressureHPa = 2 * line.U / line.K
		}
	}
	return nil
}
