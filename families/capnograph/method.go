// Package capnograph is the family of capnographs with pulse oximeters.
package capnograph

import (
	"fmt"
	"math"
	"slices"

	"northneedle/core/gas"
	"northneedle/core/procedure"
	"northneedle/core/quantity"
	"northneedle/core/signal"
	"northneedle/core/uncertainty"
	"northneedle/families/shared"
)

// Catalogue is what the family computes of its own.
var Catalogue = procedure.Catalogue{
	Methods: map[string]procedure.Method{"co2": {Compute: co2,
		Words: "carbon dioxide shown, beside a certified mixture, at the room's pressure and in the device's own unit"}},
	Captures: map[string]procedure.CaptureMethod{
		"capnogram": {Read: capnogram},
		"rate":      {Read: breathRate},
	},
}

// capnogram takes the mean end-tidal plateau of the last breaths; a point without
// breaths (room air) is read when it stands.
func capnogram(in procedure.CaptureInput) procedure.LiveReading {
	if in.Reference < in.Floor {
		return shared.Steady(in)
	}
	c := signal.Breaths(in.Trace(), in.Count, in.Limit, in.Floor)
	live := breaths(c, in)
	if len(c.Breaths) > 0 {
		live.Value, live.Values = &c.Plateau, c.Plateaus(in.Count)
		live.Detail = fmt.Sprintf("mean end-tidal plateau of %d breaths, rise time %.2f s", len(live.Values), c.Rise)
	}
	return live
}

// breathRate takes the rates from breath to breath.
func breathRate(in procedure.CaptureInput) procedure.LiveReading {
	c := signal.Breaths(in.Trace(), in.Count, math.Inf(1), in.Floor) // the plateaus do not matter here
	live := breaths(c, in)
	if c.Rate == 0 {
		return live
	}
	live.Value, live.Values = &c.Rate, []float64{c.Rate}
	live.Detail = fmt.Sprintf("%d breaths", min(len(c.Breaths), in.Count))
	if rates := c.Rates(in.Count - 1); live.Steady && slices.Max(rates)-slices.Min(rates) > in.Limit {
		live.Steady, live.Why = false, "the rhythm is still settling"
	}
	return live
}

// quiet is for how many s no breath may be seen before it is said, where no rhythm is known.
const quiet = 10

// breaths is what every capnogram shows. Breaths that have stopped are not steady, however alike the last were.
func breaths(c signal.Capnogram, in procedure.CaptureInput) procedure.LiveReading {
	live := procedure.LiveReading{Steady: c.Steady, Why: c.Why}
	trace, want := in.Trace(), in.Count
	if len(trace) == 0 {
		return live
	}
	last, patience := trace[0].T, float64(quiet)
	if n := len(c.Breaths); n > 0 {
		last = c.Breaths[n-1].End
		if c.Rate > 0 {
			patience = min(quiet, 2.5*60/c.Rate)
		}
	}
	if since := trace[len(trace)-1].T - last; since > patience {
		live.Steady = false
		live.Why = fmt.Sprintf("no breath for %.0f s: is the gas on, the line open, the cylinder empty?", since)
	}
	if len(c.Breaths) == 0 {
		return live
	}
	live.Say("breaths", "%d of %d", min(len(c.Breaths), want), want)
	if c.Rate > 0 {
		live.Say("rate", "%.1f /min", c.Rate)
	}
	live.Say("rise", "%.2f s", c.Rise)
	return live
}

// co2 compares a capnograph's plateau with a certified dry gas fraction. A device
// that shows a fraction is compared with the certificate directly; one that shows
// a partial pressure, with the pressure that fraction has in this room under the
// device's own convention (setting co2_basis: ambient-dry or btps).
// Dalton's law; ISO 80601-2-55.
func co2(in procedure.Input) (procedure.Outcome, error) {
	if len(in.Certified) != 1 {
		return procedure.Outcome{}, fmt.Errorf("exactly one gas is needed for this point, there are %d",
			len(in.Certified))
	}
	c := in.Certified[0]
	percent, err := quantity.Convert(c.Value, c.Unit, "%{vol}")
	if err != nil {
		return procedure.Outcome{}, fmt.Errorf("the gas certificate: %w", err)
	}
	perCertificate, _ := quantity.Scale(c.Unit, "%{vol}")
	if _, err := quantity.Convert(1, "%{vol}", in.Shown); err == nil {
		factor, _ := quantity.Scale("%{vol}", in.Shown)
		return procedure.Outcome{
			Reference: percent * factor,
			Unit:      in.Shown,
			Factor:    factor,
			Terms:     c.Terms("Gas", perCertificate*factor, in.Years),
			Formula:   "error = plateau − certified fraction",
		}, nil
	}
	return partialPressure(in, percent, perCertificate)
}

func partialPressure(in procedure.Input, percent, perCertificate float64) (procedure.Outcome, error) {
	if !in.Ambient.Recorded {
		return procedure.Outcome{}, fmt.Errorf("the room's pressure is needed before a partial pressure can be expected: record the room conditions")
	}
	basis := gas.Basis(in.Settings["co2_basis"])
	if basis == "" {
		return procedure.Outcome{}, fmt.Errorf("the device shows a pressure, and its convention is not recorded: set co2_basis to %s or %s", gas.AmbientDry, gas.BodySaturated)
	}
	hpa, err := gas.PartialPressure(percent, in.Ambient.PressureHPa, basis)
	if err != nil {
		return procedure.Outcome{}, err
	}
	perPercent, err := gas.PartialPressure(1, in.Ambient.PressureHPa, basis)
	if err != nil {
		return procedure.Outcome{}, err
	}
	shown, err := quantity.Convert(1, "hPa", in.Shown)
	if err != nil {
		return procedure.Outcome{}, err
	}
	terms := in.Certified[0].Terms("Gas", perCertificate*perPercent*shown, in.Years)
	if in.Ambient.UPressureHPa > 0 && percent > 0 {
		terms = append(terms, uncertainty.Term{
			Name:         "Room pressure",
			Distribution: uncertainty.Normal,
			Width:        in.Ambient.UPressureHPa,
			K:            2,
			Sensitivity:  new(percent / 100 * shown),
		})
	}
	formula := "p = F · PB"
	if basis == gas.BodySaturated {
		formula = "p = F · (PB − pH₂O at 37 °C)"
	}
	return procedure.Outcome{
		Reference: hpa * shown,
		Unit:      in.Shown,
		Factor:    perPercent * shown,
		Terms:     terms,
		Formula:   formula + "; error = plateau − p",
	}, nil
}
