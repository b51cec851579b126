package quantity

import (
	"fmt"
	"maps"
	"slices"
)

// molar are molar masses in g/mol of what clinical laboratories state both by mass and by
// amount, from the standard atomic weights (IUPAC 2021).
var molar = map[string]float64{
	"glucose":       180.156,
	"creatinine":    113.118,
	"urea":          60.056,
	"cholesterol":   386.65,
	"triglycerides": 885.4,
	"uric acid":     168.11,
	"bilirubin":     584.67,
}

// Analytes are those with a known molar mass, by name.
func Analytes() []string { return slices.Sorted(maps.Keys(molar)) }

// MolarMass is an analyte's molar mass in g/mol.
func MolarMass(analyte string) (float64, error) {
	m, ok := molar[analyte]
	if !ok {
		return 0, fmt.Errorf("the molar mass of %q is not known here: one of %v", analyte, Analytes())
	}
	return m, nil
}

// Concentration takes a concentration of an analyte from one unit to another, over its
// molar mass where one is of mass and the other of amount (mg/dL, mmol/L, umol/L, g/L).
func Concentration(value float64, from, to, analyte string) (float64, error) {
	if same, err := Convert(value, from, to); err == nil {
		return same, nil
	}
	m, err := MolarMass(analyte)
	if err != nil {
		return 0, err
	}
	if grams, err := Convert(value, from, "g/L"); err == nil {
		return Convert(grams/m, "mol/L", to)
	}
	moles, err := Convert(value, from, "mol/L")
	if err != nil {
		return 0, err
	}
	return Convert(moles*m, "g/L", to)
}
