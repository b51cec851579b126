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
