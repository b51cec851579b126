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

// Delivered compares what a reference instrument measures of what a device gives (a temperature, a flow) with what the device was
// set to: error = measured − set, so that too much is positive.
func Delivered(in procedure.Input) (procedure.Outcome, error) {
	c, per, factor, err := in.Only("reference range")
	if err != nil {
		return procedure.Outcome{}, err
	}
	return procedure.Outcome{
		Reference: in.Target * factor,
		Unit:      in.Shown,
		Factor:    factor,
		Terms:     c.Terms("Reference instrument", per, in.Years),
		Delivers:  true,
		Formula:   "error = measured − set",
	}, nil
}
