// Package shared is what several device families use: ways of computing and capturing of no one family.
package shared

import (
	"northneedle/core/procedure"
	"northneedle/core/quantity"
)

// Catalogue is what several families use.
var Catalogue = procedure.Catalogue{
	Methods: map[string]procedure.Method{
		"compare":   {Compute: compare, Words: "what the device shows, beside the value that a reference realises or is set to"},
		"delivered": {Compute: Delivered, Words: "what a reference reads of what the device gives, beside what the device was set to"},
		"setting":   {Compute: Setting, Words: "what the device was set to, beside what a reference reads: the other way round than delivered"},
		"measured":  {Compute: Measured, Words: "a value that a reference reads, held against a limit; the device shows and sets nothing"},
	},
	Captures: map[string]procedure.CaptureMethod{
		"steady":   {AtRest: true, Read: Steady},
		"gas-step": {Read: GasStep},
	},
}

// compare sets the device's indication beside the value a standard realises. The
// standard's certificate line either has a value, which is then the reference, or
// covers a range, and the reference is the value it was set to.
func compare(in procedure.Input) (procedure.Outcome, error) {
	c, per, factor, err := in.Only("certificate value")
	if err != nil {
		return procedure.Outcome{}, err
	}
	value := in.Target
	if c.From == 0 && c.To == 0 {
		value = c.Value
	}
	reference, err := quantity.Concentration(value, c.Unit, in.Shown, c.Quantity)
	if err != nil {
		return procedure.Outcome{}, err
	}
	return procedure.Outcome{
		Reference: reference, Unit: in.Shown, Factor: factor,
		Terms:   c.Terms("Reference", per, in.Years),
		Formula: "error = shown − reference",
	}, nil
}
