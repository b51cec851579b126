// Package ventilator is the family of ventilators.
package ventilator

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"gonum.org/v1/gonum/stat"

	"northneedle/core/gas"
	"northneedle/core/procedure"
	"northneedle/core/quantity"
	"northneedle/core/signal"
	"northneedle/core/uncertainty"
	"northneedle/families/shared"
)

// Catalogue is what the family computes of its own.
var Catalogue = procedure.Catalogue{
	Methods: map[string]procedure.Method{"ventilated-volume": {Compute: ventilatedVolume, Words: "a volume that a flow analyser reads of a breath, in the conditions that were chosen"}},
	Captures: map[string]procedure.CaptureMethod{
		"breath-volume": ofBreaths(func(b signal.Ventilated) float64 { return b.VTi }),
		"breath-peak":   ofBreaths(func(b signal.Ventilated) float64 { return b.Peak }),
		"breath-peep":   ofBreaths(func(b signal.Ventilated) float64 { return b.PEEP }),
		"breath-rate":   ofBreaths(func(b signal.Ventilated) float64 { return b.Rate }),
		"breath-ratio":  ofBreaths(func(b signal.Ventilated) float64 { return b.Ratio }),
		"time-to-alarm": {Params: []string{"patience"}, RawUnits: true, Read: timeToAlarm},
		"pressure-hold": {Params: []string{"compliance", "pressure", "hold"}, RawUnits: true, Read: pressureHold},
	},
	Patterns: map[string]procedure.Pattern{"ventilation": {Read: ventilationPattern, Params: []string{"peep"}}},
}

// ofBreaths captures one figure of the last breaths.
func ofBreaths(of func(signal.Ventilated) float64) procedure.CaptureMethod {
	return procedure.CaptureMethod{
		Params:   []string{"start", "end", "delay", "bias"},
		RawUnits: true,
		Read:     func(in procedure.CaptureInput) procedure.LiveReading { return ventilation(in, of) },
	}
}

// Choices that say how volumes are stated.
const (
	analyserCondition   = "analyser_condition"
	ventilatorCondition = "ventilator_condition"
	mixtureSet          = "mixture_set"
)

// ventilatedVolume is [setting] for a volume: what the analyser reads in its gas
// condition is stated in the ventilator's before it is compared.
func ventilatedVolume(in procedure.Input) (procedure.Outcome, error) {
	out, err := shared.Setting(in)
	if err != nil {
		return out, err
	}
	if !in.Ambient.Recorded {
		return out, fmt.Errorf("the room conditions are not recorded yet")
	}
	if out.UnitsPerReading, err = conditionFactor(in.Choices[analyserCondition], in.Choices[ventilatorCondition],
		in.Ambient); err != nil {
		return out, err
	}
	for i := range out.Terms {
		*out.Terms[i].Sensitivity *= out.UnitsPerReading
	}
	warmer := in.Ambient
	warmer.TemperatureC++
	if other, err := conditionFactor(in.Choices[analyserCondition], in.Choices[ventilatorCondition], warmer); err ==
		nil && other != out.UnitsPerReading {
		out.Terms = append(out.Terms, uncertainty.Term{
			Name:         "Gas temperature, within 1 K",
			Distribution: uncertainty.Rectangular,
			Width:        1,
			Sensitivity:  new(out.Indicated * (other - out.UnitsPerReading) / out.UnitsPerReading),
		})
	}
	out.Formula = fmt.Sprintf("error = set − measured · %.4f, from %s to %s", out.UnitsPerReading,
		in.Choices[analyserCondition], in.Choices[ventilatorCondition])
	return out, nil
}

// conditionFactor turns a volume stated at one named condition into another.
func conditionFactor(from, to string, room procedure.Ambient) (float64, error) {
	if from == "" || to == "" {
		return 0, fmt.Errorf("the gas conditions of analyser and ventilator are not recorded yet")
	}
	a, err := gas.Named(from, room.TemperatureC, room.PressureHPa, room.HumidityPercent/100)
	if err != nil {
		return 0, err
	}
	b, err := gas.Named(to, room.TemperatureC, room.PressureHPa, room.HumidityPercent/100)
	if err != nil {
		return 0, err
	}
	return gas.Factor(a, b)
}

// ventilation takes one figure of the last breaths, and shows them all. Channels: flow
// in L/min and pressure in cmH2O. With: the trigger.
func ventilation(in procedure.CaptureInput, of func(signal.Ventilated) float64) procedure.LiveReading {
	if len(in.Channels) < 2 {
		return procedure.LiveReading{Why: "flow and pressure are needed"}
	}
	flow := signal.Unbroken(in.Trace(), in.Rate)
	trigger := signal.Trigger{
		Start: in.With["start"],
		End:   in.With["end"],
		Delay: in.With["delay"],
		Bias:  in.With["bias"],
	}
	breaths := signal.Ventilation(flow, in.Traces[in.Channels[1]], trigger)
	if len(breaths) > 0 {
		breaths = breaths[1:] // the first after a change of settings is still on its way
	}
	live := procedure.LiveReading{}
	if len(breaths) == 0 {
		live.Why = "waiting for the first whole breaths"
		return live
	}
	breaths = breaths[max(0, len(breaths)-in.Count):]
	values := make([]float64, len(breaths))
	for i, b := range breaths {
		values[i] = of(b)
	}
	mean := stat.Mean(values, nil)
	last := breaths[len(breaths)-1]
	live.Value, live.Values = &mean, values
	live.Say("VT", "%.0f mL", last.VTi)
	live.Say("rate", "%.1f /min", last.Rate)
	live.Say("peak", "%.1f", last.Peak)
	if last.Pause > 0 {
		live.Say("plateau", "%.1f", last.Plateau)
		live.Say("mL per cmH₂O", "%.0f", last.Compliance)
	}
	live.Say("PEEP", "%.1f", last.PEEP)
	live.Say("mean", "%.1f cmH₂O", last.Mean)
	live.Say("I:E", "1:%.1f", last.Ratio)
	live.Say("leak", "%.0f %%", last.Leak)
	scatter := slices.Max(values) - slices.Min(values)
	live.Detail = fmt.Sprintf("%d breaths, %.4g from least to most", len(values), scatter)
	switch {
	case len(values) < in.Count:
		live.Why = fmt.Sprintf("%d more breaths", in.Count-len(values))
	case scatter > in.Limit:
		live.Why = "the last breaths are not alike yet"
	default:
		live.Steady, live.Why = true, "the last breaths are alike"
	}
	return live
}

// timeToAlarm waits for an alarm since the condition was made, which is when the trace
// begins. With: patience in s, after which there is none (and the reading is that long).
func timeToAlarm(in procedure.CaptureInput) procedure.LiveReading {
	trace := in.Trace()
	if len(trace) == 0 {
		return procedure.LiveReading{Why: "waiting for the instrument"}
	}
	for _, s := range trace {
		if s.V > 0.5 {
			after := s.T - trace[0].T
			live := procedure.LiveReading{
				Value:  &after,
				Values: []float64{after},
				Steady: true,
				Why:    fmt.Sprintf("the alarm came after %.1f s", after),
			}
			live.Detail = live.Why
			return live
		}
	}
	waited := trace[len(trace)-1].T - trace[0].T
	live := procedure.LiveReading{Value: &waited, Values: []float64{waited},
		Why: fmt.Sprintf("no alarm for %.1f s", waited)}
	if patience := in.With["patience"]; patience > 0 && waited >= patience {
		live.Steady, live.Absent, live.Detail = true, true, fmt.Sprintf("no alarm within %.0f s", patience)
	}
	return live
}

// pressureHold is the leak of a closed circuit in L/min at a test pressure: C · p ÷ τ, with the time constant of the fall.
// With: compliance in mL/cmH2O, pressure in cmH2O, hold in s.
func pressureHold(in procedure.CaptureInput) procedure.LiveReading {
	trace := in.Trace()
	hold := in.With["hold"]
	if len(trace) < 5 || trace[len(trace)-1].T-trace[0].T < 2 {
		return procedure.LiveReading{Why: "watching the pressure"}
	}
	from := max(trace[0].T+1, trace[len(trace)-1].T-hold) // the first second still settles
	var part []signal.Sample
	for _, s := range trace {
		if s.T >= from {
			part = append(part, s)
		}
	}
	tau, err := signal.DecayTime(part)
	if err != nil {
		return procedure.LiveReading{Why: err.Error()}
	}
	leak := signal.Leak(in.With["compliance"], in.With["pressure"], tau)
	live := procedure.LiveReading{Value: &leak, Values: []float64{leak}}
	live.Say("pressure", "%.1f cmH₂O", part[len(part)-1].V)
	falls := part[len(part)-1].V / tau
	live.Say("falls by", "%.2f cmH₂O/s", falls)
	if left := hold + 1 - (trace[len(trace)-1].T - trace[0].T); left > 0 {
		live.Why = fmt.Sprintf("hold for %.0f s more", math.Ceil(left))
		return live
	}
	live.Steady, live.Why = true, fmt.Sprintf("held for %.0f s", hold)
	live.Detail = fmt.Sprintf("pressure fell with a time constant of %.3g s; %g mL/cmH2O, at %g cmH2O", tau,
		in.With["compliance"], in.With["pressure"])
	return live
}

// enough is how far off, as a share, a common factor must be to be looked into.
const enough = 0.03

// ventilationPattern tells one factor in every volume (a gas condition or mixture that
// does not match), one amount in every pressure or volume (not zeroed), and a loss that
// grows with pressure (a leak). Volumes are the points of the measure "vt", pressures
// those of "peep" and "peak".
func ventilationPattern(c procedure.FindingInput) procedure.Diagnosis {
	volumes := ofMeasure(c.Points, "vt")
	pressures := append(ofMeasure(c.Points, "peep"), ofMeasure(c.Points, "peak")...)
	if low, high, ok := lostWithPressure(volumes); ok {
		return procedure.Diagnosis{Shape: "leak", Investigate: true,
			Words: fmt.Sprintf("More is lost the higher the pressure: of the same volume %s %% at low and %s %% at high PEEP. A leak, or the compressible volume of the circuit.", quantity.Format(100*low, 0.1), quantity.Format(100*high, 0.1))}
	}
	switch shape, size := volumeShape(volumes); shape {
	case "factor":
		return explain(c, size)
	case "offset":
		return procedure.Diagnosis{Shape: "offset", Investigate: true,
			Words: fmt.Sprintf("Every volume is off by about the same %s mL, whatever is set: the analyser was not zeroed.", quantity.FormatSigned(size, 1))}
	}
	if offset, ok := common(pressures); ok {
		return procedure.Diagnosis{Shape: "offset", Investigate: true,
			Words: fmt.Sprintf("Every pressure reads %s cmH₂O off, whatever is set: the analyser was not zeroed.",
				quantity.FormatSigned(-offset, 0.1))}
	}
	for _, p := range c.Points {
		if math.Abs(p.ErrorToLimit) > 1 {
			return procedure.Diagnosis{Shape: "ventilator",
				Words: p.Label + " is off by itself: nothing in the set-up explains it."}
		}
	}
	return procedure.Diagnosis{Shape: "none", Words: "Nothing in the errors points to the set-up."}
}

func ofMeasure(points []procedure.JudgedPoint, id string) (of []procedure.JudgedPoint) {
	for _, p := range points {
		if p.Measure == id {
			of = append(of, p)
		}
	}
	return of
}

// lostWithPressure is what share of one set volume is lost at its lowest and highest
// PEEP (with: peep), where that grows: the sign of a leak, which the volumes alone do not
// give on a test lung, whose pressure grows with them.
func lostWithPressure(points []procedure.JudgedPoint) (low, high float64, ok bool) {
	for _, p := range points {
		for _, q := range points {
			set := p.Reference + p.Error
			if q.With["peep"] <= p.With["peep"] || math.Abs(q.Reference+q.Error-set) > 1e-9 {
				continue
			}
			low, high = p.Error/set, q.Error/set
			if high-low > enough && high > 0 {
				return low, high, true
			}
		}
	}
	return 0, 0, false
}

// volumeShape finds which one thing explains the volumes best: a factor of measured on
// set, or the same amount everywhere, by least squares of the relative errors. Nothing
// where the errors are small or neither explains them.
func volumeShape(points []procedure.JudgedPoint) (shape string, size float64) {
	if len(points) < 3 {
		return "", 0
	}
	factor, amount, weight := 0.0, 0.0, 0.0
	for _, p := range points {
		set := p.Reference + p.Error
		factor += p.Reference / set / float64(len(points))
		amount, weight = amount-p.Error/(set*set), weight+1/(set*set)
	}
	offset := amount / weight
	residual := func(model func(set float64) float64) float64 {
		sum := 0.0
		for _, p := range points {
			set := p.Reference + p.Error
			d := (p.Reference - model(set)) / set
			sum += d * d
		}
		return math.Sqrt(sum / float64(len(points)))
	}
	none := residual(func(set float64) float64 { return set })
	asFactor := residual(func(set float64) float64 { return factor * set })
	asOffset := residual(func(set float64) float64 { return set + offset })
	switch {
	case none < enough || math.Min(asFactor, asOffset) > none/2:
		return "", 0
	case asOffset < asFactor:
		return "offset", offset
	}
	return "factor", factor
}

// common is the amount that every point is off by, where it is one and significant.
func common(points []procedure.JudgedPoint) (float64, bool) {
	if len(points) < 3 {
		return 0, false
	}
	mean, u := 0.0, 0.0
	low, high := math.Inf(1), math.Inf(-1)
	for _, p := range points {
		mean += p.Error / float64(len(points))
		u = math.Max(u, p.U)
		low, high = math.Min(low, p.Error), math.Max(high, p.Error)
	}
	return mean, math.Abs(mean) > u && high-low < math.Abs(mean)
}

var mixtureWords = map[string]string{
	"air":    "air",
	"O2":     "pure oxygen",
	"N2O/O2": "nitrous oxide and oxygen",
	"heliox": "helium and oxygen",
}

// Candidate is something that would make every volume read as a share of what it is.
type Candidate struct {
	Name   string
	Factor float64
}

// ExplainedBy are the candidates that make a gain (what was delivered over what was set) one of a device within its relative
// tolerance, with the relative expanded uncertainty of the gain added; the nearest first. Whether the device is inside as it
// stands does not matter.
func ExplainedBy(gain, u, tolerance float64, all []Candidate) []Candidate {
	off := func(c Candidate) float64 { return math.Abs(gain/c.Factor - 1) }
	found := slices.DeleteFunc(slices.Clone(all), func(c Candidate) bool { return off(c) > tolerance+u+1e-9 })
	slices.SortStableFunc(found, func(a, b Candidate) int { return cmp.Compare(off(a), off(b)) })
	return found
}

// asWell is how near a candidate must come where the device is inside its own tolerance: then only what fits closely is worth
// a look.
const asWell = 0.012

// explain names what would make every volume read as much of what is set as they do, at the room's pressure and temperature.
// What the analyser's settings exclude, as it read them back, is not offered; after reading again under matched conditions
// nothing is.
func explain(c procedure.FindingInput, factor float64) procedure.Diagnosis {
	words := fmt.Sprintf("Every volume is off by one factor: %s %% of what is set is measured.",
		quantity.Format(100*factor, 0.1))
	u, tolerance, inside := ownTolerance(ofMeasure(c.Points, "vt"))
	if inside {
		tolerance = asWell
	}
	found := ExplainedBy(factor, u, tolerance, candidates(c))
	switch {
	case c.Again:
		return procedure.Diagnosis{Shape: "factor",
			Words: words + " It was read again under matched conditions: it is the ventilator’s own, or the analyser’s."}
	case len(found) == 0:
		return procedure.Diagnosis{Shape: "factor",
			Words: words + " No gas condition or mixture explains it: look at the ventilator’s own flow sensor, and at the analyser’s."}
	}
	seen := procedure.Diagnosis{Shape: "condition", Investigate: true,
		Words: words + " It looks like " + found[0].Name + ". Look, match it, and read again."}
	for _, k := range found[:min(4, len(found))] {
		seen.Lines = append(seen.Lines, fmt.Sprintf("%s would give %s %%", k.Name, quantity.Format(100*k.Factor, 0.1)))
	}
	return seen
}

// ownTolerance is what the ventilator may be off by itself, and how well that is known, as shares of the largest volume; and
// whether all volumes are inside as they stand.
func ownTolerance(volumes []procedure.JudgedPoint) (u, tolerance float64, inside bool) {
	largest := 0.0
	inside = true
	for _, p := range volumes {
		set := p.Reference + p.Error
		inside = inside && math.Abs(p.ErrorToLimit) <= 1
		if set > largest && p.ErrorToLimit != 0 {
			largest, u, tolerance = set, p.U/set, math.Abs(p.Error/p.ErrorToLimit)/set
		}
	}
	return u, tolerance, inside
}

// candidates are gas conditions and mixtures that may not match, each with what it makes of every volume.
func candidates(c procedure.FindingInput) []Candidate {
	var all []Candidate
	_, conditionSeen := c.Set["condition"]
	_, mixtureSeen := c.Set["mixture"]
	recorded, ventilator := c.Choices[analyserCondition], c.Choices[ventilatorCondition]
	for _, name := range []string{"ATP", "ATPD", "ATPS", "BTPS", "STPD", "STPD20", "STPD21"} {
		// Read at another condition than recorded, the analyser shows less or more of it.
		if makes, err := conditionFactor(recorded, name, c.Ambient); err == nil && name != recorded && !conditionSeen {
			all = append(all, Candidate{fmt.Sprintf("the analyser set to %s, not to %s as recorded", name, recorded), makes})
		}
		if makes, err := conditionFactor(name, ventilator, c.Ambient); err == nil && name != ventilator {
			all = append(all, Candidate{fmt.Sprintf("the ventilator stating volumes in %s, not in %s as recorded", name,
				ventilator), makes})
		}
	}
	set := c.Choices[mixtureSet]
	for _, name := range gas.Mixtures() {
		if makes, err := gas.Misread(set, name); err == nil && name != set && !mixtureSeen {
			all = append(all, Candidate{fmt.Sprintf("the analyser set to %s while %s flows", mixtureWords[name],
				mixtureWords[set]), makes})
		}
		if makes, err := gas.Misread(name, set); err == nil && name != set {
			all = append(all, Candidate{fmt.Sprintf("%s flowing, not %s as recorded", mixtureWords[name],
				mixtureWords[set]), makes})
		}
	}
	return all
}
