package method

import (
	"northneedle/core/quantity"
)

func init() { register("compare", compare) }

// compare sets the device's indication beside the value a standard realises. The
// standard's certificate line either has a value, which is then the reference, or
// covers a range, and the reference is the value it was set to.
func compare(in Input) (Outcome, error) {
	c, per, factor, err := in.only("certificate value")
	if err != nil {
		return Outcome{}, err
	}
	value := in.Target
	if c.From == 0 && c.To == 0 {
		value = c.Value
	}
	reference, err := quantity.Convert(value, c.Unit, in.Shown)
	if err != nil {
		return Outcome{}, err
	}
	return Outcome{
		Reference: reference, Unit: in.Shown, Factor: factor,
		Terms:   c.terms("Reference", per, in.Years),
		Formula: "error = shown − reference",
	}, nil
}

// scale is how many of a unit make one of another, for differences (offsets of °C and °F drop out).
func scale(from, to string) (float64, error) {
	one, err := quantity.Convert(1, from, to)
	if err != nil {
		return 0, err
	}
	zero, err := quantity.Convert(0, from, to)
	return one - zero, err
}
