package quantity

// Scale is how many of a unit make one of another, for differences (offsets of °C and °F drop out).
func Scale(from, to string) (float64, error) {
	one, err := Convert(1, from, to)
	if err != nil {
		return 0, err
	}
	zero, err := Convert(0, from, to)
	return one - zero, err
}

// ScaleOf is the same for an analyte, over its molar mass where one unit is of mass and the other of amount (mg/dL, mmol/L).
func ScaleOf(analyte, from, to string) (float64, error) {
	scale, err := Scale(from, to)
	if err == nil || molar[analyte] == 0 {
		return scale, err
	}
	return Concentration(1, from, to, analyte)
}
