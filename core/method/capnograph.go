package method

import (
	"fmt"

	"northneedle/core/gas"
	"northneedle/core/quantity"
	"northneedle/core/uncertainty"
)

func init() { register("co2", co2) }

// co2 compares a capnograph's plateau with a certified dry gas fraction. A device
// that shows a fraction is compared with the certificate directly; one that shows
// a partial pressure, with the pressure that fraction has in this room under the
// device's own convention (setting co2_basis: ambient-dry or btps).
// Dalton's law; ISO 80601-2-55.
func co2(in Input) (Outcome, error) {
	if len(in.Certified) != 1 {
		return Outcome{}, fmt.Errorf("exactly one gas is needed for this point, there are %d", len(in.Certified))
	}
	c := in.Certified[0]
	percent, err := quantity.Convert(c.Value, c.Unit, "%{vol}")
	if err != nil {
		return Outcome{}, fmt.Errorf("the gas certificate: %w", err)
	}
	perCertificate, _ := scale(c.Unit, "%{vol}")
	if _, err := quantity.Convert(1, "%{vol}", in.Shown); err == nil {
		factor, _ := scale("%{vol}", in.Shown)
		return Outcome{Reference: percent * factor, Unit: in.Shown, Factor: factor, Terms: c.terms("Gas", perCertificate*factor, in.Years), Formula: "error = plateau − certified fraction"}, nil
	}
	return partialPressure(in, percent, perCertificate)
}

func partialPressure(in Input, percent, perCertificate float64) (Outcome, error) {
	if !in.Ambient.Recorded {
		return Outcome{}, fmt.Errorf("the room's pressure is needed before a partial pressure can be expected: record the room conditions")
	}
	basis := gas.Basis(in.Settings["co2_basis"])
	if basis == "" {
		return Outcome{}, fmt.Errorf("the device shows a pressure, and its convention is not recorded: set co2_basis to %s or %s", gas.AmbientDry, gas.BodySaturated)
	}
	hpa, err := gas.PartialPressure(percent, in.Ambient.PressureHPa, basis)
	if err != nil {
		return Outcome{}, err
	}
	perPercent, err := gas.PartialPressure(1, in.Ambient.PressureHPa, basis)
	if err != nil {
		return Outcome{}, err
	}
	shown, err := quantity.Convert(1, "hPa", in.Shown)
	if err != nil {
		return Outcome{}, err
	}
	terms := in.Certified[0].terms("Gas", perCertificate*perPercent*shown, in.Years)
	if in.Ambient.UPressureHPa > 0 && percent > 0 {
		terms = append(terms, uncertainty.Term{Name: "Room pressure", Distribution: uncertainty.Normal, Width: in.Ambient.UPressureHPa, K: 2, Sensitivity: percent / 100 * shown})
	}
	formula := "p = F · PB"
	if basis == gas.BodySaturated {
		formula = "p = F · (PB − pH₂O at 37 °C)"
	}
	return Outcome{Reference: hpa * shown, Unit: in.Shown, Factor: perPercent * shown, Terms: terms, Formula: formula + "; error = plateau − p"}, nil
}
