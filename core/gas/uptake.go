package gas

import (
	"fmt"
	"math"
)

// Exchange is what an exercise or a metabolic measurement rests on: expired
// ventilation in L/min as it stands in the room (saturated, at the room's temperature
// and pressure) and dry fractions, 0 to 1, of the inspired and expired gas.
type Exchange struct {
	VE           float64 // L/min, ATPS
	TemperatureC float64
	PressureHPa  float64
	FIO2, FICO2  float64
	FEO2, FECO2  float64
}

// Uptake is what follows from it, in L/min STPD, and the respiratory exchange ratio.
type Uptake struct {
	VE, VI, VO2, VCO2 float64
	RER               float64
}

// Uptake computes oxygen uptake and carbon dioxide output by the nitrogen balance
// (Haldane transformation). It is an error where the fractions leave no inert gas, or
// where no oxygen is taken up, so that the ratio means nothing.
func (e Exchange) Uptake() (Uptake, error) {
	factor, err := Factor(Condition{e.TemperatureC, e.PressureHPa, 1}, STPD())
	if err != nil {
		return Uptake{}, err
	}
	return e.uptake(factor)
}

// uptake is the balance for a factor from room to STPD that is known already.
func (e Exchange) uptake(factor float64) (Uptake, error) {
	inspired := 1 - e.FIO2 - e.FICO2
	expired := 1 - e.FEO2 - e.FECO2
	if !(inspired > 0 && expired > 0) {
		return Uptake{}, fmt.Errorf("the fractions of oxygen and carbon dioxide leave no other gas: check that they are fractions, not percent")
	}
	u := Uptake{VE: e.VE * factor}
	u.VI = u.VE * expired / inspired
	u.VO2 = u.VI*e.FIO2 - u.VE*e.FEO2
	u.VCO2 = u.VE*e.FECO2 - u.VI*e.FICO2
	if u.RER = u.VCO2 / u.VO2; math.IsNaN(u.RER) || math.IsInf(u.RER, 0) {
		return Uptake{}, fmt.Errorf("no oxygen is taken up: inspired and expired gas are the same")
	}
	return u, nil
}

// Model is the oxygen uptake in L/min STPD as a function of VE (L/min ATPS), FEO2 and
// FECO2, in this order, with everything else as in e: for propagating distributions.
// It gives NaN where there is no uptake to compute.
func (e Exchange) Model() (func(x []float64) float64, error) {
	factor, err := Factor(Condition{e.TemperatureC, e.PressureHPa, 1}, STPD())
	if err != nil {
		return nil, err
	}
	return func(x []float64) float64 {
		e := e
		e.VE, e.FEO2, e.FECO2 = x[0], x[1], x[2]
		u, err := e.uptake(factor)
		if err != nil {
			return math.NaN()
		}
		return u.VO2
	}, nil
}

// Named is a gas condition by its name, at an ambient temperature in °C, pressure in
// hPa and relative humidity from 0 to 1: ATP (as it is in the room), ATPS, ATPD, BTPS,
// STPD, and the dry conditions at 20 or 21 °C that flow analysers use: STPD20 and
// STPD21 at one standard atmosphere, ATPD20 and ATPD21 at the ambient pressure.
// ISO 26782, ISO 23747.
func Named(name string, celsius, pressureHPa, humidity float64) (Condition, error) {
	switch name {
	case "ATP":
		return Condition{celsius, pressureHPa, humidity}, nil
	case "ATPS":
		return Condition{celsius, pressureHPa, 1}, nil
	case "ATPD":
		return Condition{celsius, pressureHPa, 0}, nil
	case "BTPS":
		return BTPS(pressureHPa), nil
	case "STPD":
		return STPD(), nil
	case "STPD20":
		return Condition{20, StandardPressureHPa, 0}, nil
	case "STPD21":
		return Condition{21, StandardPressureHPa, 0}, nil
	case "ATPD20":
		return Condition{20, pressureHPa, 0}, nil
	case "ATPD21":
		return Condition{21, pressureHPa, 0}, nil
	}
	return Condition{}, fmt.Errorf("the gas condition %q is not known: use ATP, ATPS, ATPD, BTPS, STPD, or STPD or ATPD with 20 or 21", name)
}
