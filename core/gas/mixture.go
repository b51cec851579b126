package gas

import (
	"fmt"
	"math"
)

// pure gases: viscosity in µPa·s at 20 °C and one atmosphere, molar mass in g/mol.
// Air and oxygen: Lemmon and Jacobsen, Int. J. Thermophys. 25 (2004) 21; the others:
// CRC Handbook of Chemistry and Physics, "Viscosity of Gases".
var pure = map[string]struct{ viscosity, molar float64 }{
	"N2": {17.6, 28.013}, "O2": {20.3, 31.999}, "N2O": {14.6, 44.013}, "He": {19.6, 4.003}, "CO2": {14.7, 44.010},
}

// mixtures by the name an instrument gives them, as fractions of the pure gases.
var mixtures = map[string]map[string]float64{
	"air": {"N2": 0.79, "O2": 0.21}, "O2": {"O2": 1}, "N2O/O2": {"N2O": 0.5, "O2": 0.5},
	"heliox": {"He": 0.79, "O2": 0.21},
}

// Mixtures are the names of the gas mixtures a flow sensor can be set to.
func Mixtures() []string { return []string{"air", "O2", "N2O/O2", "heliox"} }

// Viscosity is the viscosity in µPa·s of a gas mixture at about 20 °C, by its name.
//
// Wilke, J. Chem. Phys. 18 (1950) 517.
func Viscosity(mixture string) (float64, error) {
	parts, ok := mixtures[mixture]
	if !ok {
		return 0, fmt.Errorf("the gas mixture %q is not known: use one of %v", mixture, Mixtures())
	}
	sum := 0.0
	for i, x := range parts {
		below := 0.0
		for j, y := range parts {
			a, b := pure[i], pure[j]
			root := 1 + math.Sqrt(a.viscosity/b.viscosity)*math.Pow(b.molar/a.molar, 0.25)
			below += y * root * root / math.Sqrt(8*(1+a.molar/b.molar))
		}
		sum += x * pure[i].viscosity / below
	}
	return sum, nil
}

// Misread is what a flow sensor with a laminar element shows of a flow, as a factor, when
// one mixture flows and it is set to another: the ratio of their viscosities
// (Hagen–Poiseuille: the pressure drop goes with flow and viscosity).
func Misread(flowing, set string) (float64, error) {
	a, err := Viscosity(flowing)
	if err != nil {
		return 0, err
	}
	b, err := Viscosity(set)
	return a / b, err
}

// Carboxyhaemoglobin estimates the share of carboxyhaemoglobin in blood, in percent,
// from carbon monoxide in breath held until it is alveolar, in ppm (0 to 500), at a
// barometric pressure in hPa: Haldane's relation with an affinity of 220 against an
// alveolar oxygen pressure of 133 hPa. An estimate: breath hold, oxygen and age shift it.
//
// Coburn, Forster and Kane, J. Clin. Invest. 44 (1965) 1899.
func Carboxyhaemoglobin(ppm, barometricHPa float64) (float64, error) {
	if !(ppm >= 0 && ppm <= 500) {
		return 0, fmt.Errorf("%g ppm is outside 0 to 500", ppm)
	}
	dry, err := BTPS(barometricHPa).dryPressure()
	if err != nil {
		return 0, err
	}
	const affinity, oxygen = 220, 133.0
	ratio := affinity * ppm * 1e-6 * dry / oxygen
	return 100 * ratio / (1 + ratio), nil
}
