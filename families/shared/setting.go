package shared

import "northneedle/core/procedure"

// Setting compares what a device was set to with what a reference instrument reads:
// error = set − measured.
func Setting(in procedure.Input) (procedure.Outcome, error) {
	c, per, factor, err := in.Only("reference range")
	if err != nil {
		return procedure.Outcome{}, err
	}
	set := in.Target * factor
	return procedure.Outcome{
		Reference:      set,
		Indicated:      set,
		Unit:           in.Shown,
		Factor:         factor,
		Terms:          c.Terms("Reference instrument", per, in.Years),
		ReadsReference: true,
		Formula:        "error = set − measured",
	}, nil
}
