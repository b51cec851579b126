package gas

import (
	"fmt"
	"math"
)

// WaterDensity is the density of air-free water in kg/m³ at a temperature in °C,
// valid from 15 to 35 °C, and an error outside that range.
//
// Tanaka et al., Metrologia 38 (2001) 301, equation (1).
func WaterDensity(celsius float64) (float64, error) {
	if !(celsius >= 15 && celsius <= 35) {
		return 0, fmt.Errorf("water temperature %g °C is outside 15 to 35 °C, where the density formula is used",
			celsius)
	}
	const a1, a2, a3, a4, a5 = -3.983035, 301.797, 522528.9, 69.34881, 999.974950
	return a5 * (1 - (celsius+a1)*(celsius+a1)*(celsius+a2)/(a3*(celsius+a4))), nil
}

// AirDensity is the density of moist air in kg/m³ at a temperature in °C (0 to 50), a
// pressure in hPa (300 to 1500) and a relative humidity in percent.
//
// Simplified CIPM formula, OIML R 111-1 (2004), (E.3-1).
func AirDensity(celsius, pressureHPa, humidityPercent float64) (float64, error) {
	switch {
	case !(celsius >= 0 && celsius <= 50):
		return 0, fmt.Errorf("air temperature %g °C is outside 0 to 50 °C", celsius)
	case !(pressureHPa >= 300 && pressureHPa <= 1500):
		return 0, fmt.Errorf("pressure %g hPa is outside 300 to 1500 hPa: check the barometer's unit", pressureHPa)
	case !(humidityPercent >= 0 && humidityPercent <= 100):
		return 0, fmt.Errorf("relative humidity %g %% is outside 0 to 100", humidityPercent)
	}
	return (0.34848*pressureHPa - 0.009*humidityPercent*math.Exp(0.061*celsius)) / (273.15 + celsius), nil
}

// StandardPressure is the pressure of the standard atmosphere at a height above the sea in metres (−500 to 9 000), in hPa:
// ISO 2533, the layer of the constant lapse rate. Weather moves the real one about it.
func StandardPressure(height float64) (float64, error) {
	if !(height >= -500 && height <= 9000) {
		return 0, fmt.Errorf("the height is −500 to 9 000 m, it is %g", height)
	}
	const (
		sea      = 1013.25 // hPa
		lapse    = 0.0065  // K per m
		seaK     = 288.15
		exponent = 5.25588 // g · M / (R · lapse)
	)
	return sea * math.Pow(1-lapse*height/seaK, exponent), nil
}
