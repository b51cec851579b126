// Package gas computes what a gas does between a cylinder, a room and a patient:
// water vapour, gas conditions, partial pressures and the contents of cylinders.
package gas

import (
	"fmt"
	"math"
)

// StandardPressureHPa is one standard atmosphere.
const StandardPressureHPa = 1013.25

// MmHgHPa is one conventional millimetre of mercury in hectopascal.
const MmHgHPa = 1.33322387415

// SaturationPressure returns the saturation pressure of water in hPa at a
// temperature in °C, valid from 0 to 50 °C, and an error outside that range.
//
// Wagner and Pruss, J. Phys. Chem. Ref. Data 22 (1993) 783 and 31 (2002) 387; IAPWS SR1-86.
func SaturationPressure(celsius float64) (float64, error) {
	if math.IsNaN(celsius) || celsius < 0 || celsius > 50 {
		return 0, fmt.Errorf("temperature %g °C is outside 0 to 50 °C, where the water vapour formula holds", celsius)
	}
	const tc, pc = 647.096, 220640.0
	kelvin := celsius + 273.15
	th := 1 - kelvin/tc
	sum := -7.85951783*th + 1.84408259*math.Pow(th, 1.5) - 11.7866497*math.Pow(th, 3) +
		22.6807411*math.Pow(th, 3.5) - 15.9618719*math.Pow(th, 4) + 1.80122502*math.Pow(th, 7.5)
	return pc * math.Exp(tc/kelvin*sum), nil
}

// Condition is the state a gas volume is stated at: temperature in °C (0 to 50),
// pressure in hPa (300 to 1500) and relative humidity from 0 (dry) to 1 (saturated).
type Condition struct {
	TemperatureC     float64 `json:"temperature_c"`
	PressureHPa      float64 `json:"pressure_hpa"`
	RelativeHumidity float64 `json:"relative_humidity"`
}

// STPD is 0 °C, 1013.25 hPa, dry.
func STPD() Condition { return Condition{0, StandardPressureHPa, 0} }

// BTPS is 37 °C, saturated, at the ambient pressure in hPa.
func BTPS(ambientHPa float64) Condition { return Condition{37, ambientHPa, 1} }

// dryPressure is the pressure left for the dry gas, in hPa.
func (c Condition) dryPressure() (float64, error) {
	if !(c.PressureHPa >= 300 && c.PressureHPa <= 1500) {
		return 0, fmt.Errorf("pressure %g hPa is outside 300 to 1500 hPa: check the barometer's unit", c.PressureHPa)
	}
	if !(c.RelativeHumidity >= 0 && c.RelativeHumidity <= 1) {
		return 0, fmt.Errorf("relative humidity %g is outside 0 to 1", c.RelativeHumidity)
	}
	vapour, err := SaturationPressure(c.TemperatureC)
	if err != nil {
		return 0, err
	}
	return c.PressureHPa - c.RelativeHumidity*vapour, nil
}

// Factor is what a volume stated at one condition is multiplied by to state it at another.
// Ideal gas law with water vapour; conventions of ISO 26782 and ISO 23747.
func Factor(from, to Condition) (float64, error) {
	a, err := from.dryPressure()
	if err != nil {
		return 0, fmt.Errorf("from: %w", err)
	}
	b, err := to.dryPressure()
	if err != nil {
		return 0, fmt.Errorf("to: %w", err)
	}
	return a / b * (to.TemperatureC + 273.15) / (from.TemperatureC + 273.15), nil
}

// Basis is a convention for stating the partial pressure of carbon dioxide.
type Basis string

const (
	// AmbientDry multiplies the dry fraction by the whole barometric pressure.
	AmbientDry Basis = "ambient-dry"
	// BodySaturated subtracts water vapour at 37 °C first (BTPS).
	BodySaturated Basis = "btps"
)

// PartialPressure returns the partial pressure in hPa of a gas of the given dry
// volume percentage (0 to 100) at a barometric pressure in hPa. Dalton's law;
// the two conventions are those of ISO 80601-2-55.
func PartialPressure(volPercent, barometricHPa float64, basis Basis) (float64, error) {
	if !(volPercent >= 0 && volPercent <= 100) {
		return 0, fmt.Errorf("%g vol%% is outside 0 to 100", volPercent)
	}
	humidity := 0.0
	switch basis {
	case AmbientDry:
	case BodySaturated:
		humidity = 1
	default:
		return 0, fmt.Errorf("basis %q is not known: use %q or %q", basis, AmbientDry, BodySaturated)
	}
	dry, err := Condition{37, barometricHPa, humidity}.dryPressure()
	if err != nil {
		return 0, err
	}
	return volPercent / 100 * dry, nil
}

// Cylinder is a gas cylinder: water volume in litres, gauge pressures in bar.
type Cylinder struct {
	WaterVolumeL float64 `json:"water_volume_l"`
	GaugeBar     float64 `json:"gauge_bar"`
	ReserveBar   float64 `json:"reserve_bar"`
}

// Content is the gas in the cylinder in litres at one standard atmosphere. Boyle's law at constant temperature.
func (c Cylinder) Content() float64 {
	return c.WaterVolumeL * c.GaugeBar / (StandardPressureHPa / 1000)
}

// Usable is the content above the reserve, in litres, never below zero.
func (c Cylinder) Usable() float64 {
	return math.Max(0, c.WaterVolumeL*(c.GaugeBar-c.ReserveBar)/(StandardPressureHPa/1000))
}

// Minutes is how long the usable content lasts at a flow in L/min; the flow must be above zero.
func (c Cylinder) Minutes(flow float64) (float64, error) {
	if !(flow > 0) {
		return 0, fmt.Errorf("flow %g L/min must be above zero", flow)
	}
	return c.Usable() / flow, nil
}

// Loss is the gas in litres that left the cylinder between two gauge readings without
// being metered; negative where more was metered than left it.
func (c Cylinder) Loss(laterGaugeBar, meteredL float64) float64 {
	return c.WaterVolumeL*(c.GaugeBar-laterGaugeBar)/(StandardPressureHPa/1000) - meteredL
}

// Gauged is a reading of a cylinder's gauge, in bar, with what was metered in litres
// since the one before.
type Gauged struct {
	Bar      float64
	MeteredL float64
}

// Loss is what left a cylinder between two readings of its gauge without being metered.
type Loss struct {
	UsedL    float64 `json:"used_l"` // by the gauge
	LostL    float64 `json:"lost_l"` // negative: more was metered than left it
	ReadingL float64 `json:"reading_l"`
	Flagged  bool    `json:"flagged"` // beyond what the gauge's own reading explains
}

// Losses goes through a cylinder's book. stepBar is how finely its gauge is read
// (above zero): a loss within one such step at both ends is no loss that can be seen.
func (c Cylinder) Losses(book []Gauged, stepBar float64) []Loss {
	var losses []Loss
	for i := 1; i < len(book); i++ {
		before := c
		before.GaugeBar = book[i-1].Bar
		l := Loss{LostL: before.Loss(book[i].Bar, book[i].MeteredL),
			ReadingL: c.WaterVolumeL * stepBar / (StandardPressureHPa / 1000)}
		l.UsedL = l.LostL + book[i].MeteredL
		l.Flagged = l.LostL > l.ReadingL
		losses = append(losses, l)
	}
	return losses
}
