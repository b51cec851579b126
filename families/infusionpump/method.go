// Package infusionpump is the family of infusion pumps.
package infusionpump

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"northneedle/core/procedure"
	"northneedle/core/quantity"
	"northneedle/core/signal"
	"northneedle/core/uncertainty"
	"northneedle/families/shared"

	"gonum.org/v1/gonum/stat"
)

// Catalogue is what the family computes of its own.
var Catalogue = procedure.Catalogue{
	Methods: map[string]procedure.Method{
		"delivered-flow": {Compute: deliveredFlow,
			Words: "a flow weighed on a balance, beside the rate that was set", Params: []string{"minutes", "settle"},
			Stage: &procedure.Stage{Shows: "Weight of the cup", Unit: "g"}},
	},
	Captures: map[string]procedure.CaptureMethod{
		"weighing":          {Params: []string{"minutes", "settle", "jump", "division", "curves"}, RawUnits: true, Read: weighing},
		"pressure-at-alarm": {Params: []string{"patience"}, RawUnits: true, Read: pressureAtAlarm},
		"mass-gain":         {Params: []string{"released", "patience"}, RawUnits: true, AtRest: true, Read: massGain},
	},
	Patterns: map[string]procedure.Pattern{"delivery": {Read: delivery, Params: []string{"low", "high"}}},
}

// Plate fields of a weighing.
const (
	waterTemperature = "water_temperature"
	evaporation      = "evaporation"
)

// slowMLH and fineG: a flow below the one, in mL/h, wants a balance that shows steps of at most the other, in g.
const slowMLH, fineG = 5.0, 0.001

// stopwatchS is by how much, in s, starting and stopping a stage by hand may make it shorter or longer.
const stopwatchS = 1.0

// deliveredFlow holds what a balance says was delivered against the flow that was set, over-delivery positive: the readings
// are flows of mass in g/h; what evaporated is added back, and mass is turned into volume by the water's density, with the
// buoyancy of air. ISO 4787; IEC 60601-2-24.
func deliveredFlow(in procedure.Input) (procedure.Outcome, error) {
	if len(in.Certified) != 1 {
		return procedure.Outcome{}, fmt.Errorf("exactly one balance is needed for this point, there are %d",
			len(in.Certified))
	}
	c := in.Certified[0]
	factor, err := quantity.Scale(in.Unit, in.Shown)
	if err != nil {
		return procedure.Outcome{}, err
	}
	grams, err := quantity.Scale(c.Unit, "g")
	if err != nil {
		return procedure.Outcome{}, err
	}
	celsius, ok := in.Plate[waterTemperature]
	if !ok {
		return procedure.Outcome{}, fmt.Errorf("the temperature of the water is not recorded yet: one gram is not one millilitre")
	}
	if !in.Ambient.Recorded {
		return procedure.Outcome{}, fmt.Errorf("the room conditions are not recorded yet")
	}
	per, err := volumePerGram(celsius, in.Ambient)
	if err != nil {
		return procedure.Outcome{}, err
	}
	set := in.Target * factor
	if step := c.Resolution * grams; in.Target < slowMLH && step > fineG {
		return procedure.Outcome{}, fmt.Errorf("below %g mL/h a balance that shows %g mg or finer is needed: this one shows %.3g mg",
			slowMLH, 1000*fineG, 1000*step)
	}
	out := procedure.Outcome{Reference: set, Indicated: set, LimitBase: set, Unit: in.Shown, Factor: factor, Delivers: true,
		ReadingOffset: in.Plate[evaporation], UnitsPerReading: per * factor,
		Formula: fmt.Sprintf("error = (g/h + %.3g evaporated) · %.5f mL/g − set", in.Plate[evaporation], per)}
	minutes := in.With["minutes"]
	if in.Stage != nil {
		minutes = in.Stage.Seconds / 60
	}
	if minutes == 0 {
		minutes = 60
	}
	if len(in.Readings) > 0 {
		out.DeviceEntry = fmt.Sprintf("%s mL", quantity.Format((stat.Mean(in.Readings, nil)+out.ReadingOffset)*per*
			minutes/60, 0.01))
	}
	hours := minutes / 60
	u := c.U / c.K * grams * math.Sqrt2 / hours // of a difference of two weighings
	out.Terms = []uncertainty.Term{{Name: "Balance, difference of two weighings", Distribution: uncertainty.Normal,
		Width: u, K: 1, Sensitivity: new(out.UnitsPerReading)}}
	if in.Stage != nil {
		if c.Resolution > 0 { // each weighing is rounded to a step: their difference is triangular
			out.Terms = append(out.Terms, uncertainty.Term{
				Name:         "Step of the balance, read twice",
				Distribution: uncertainty.Triangular,
				Width:        c.Resolution * grams / hours,
				Sensitivity:  new(out.UnitsPerReading),
			})
		}
		out.Terms = append(out.Terms, uncertainty.Term{
			Name:         "Stopwatch, started and stopped by hand",
			Distribution: uncertainty.Rectangular,
			Width:        in.Stage.PerHour() * stopwatchS / in.Stage.Seconds,
			Sensitivity:  new(out.UnitsPerReading),
		})
	}
	if in.Quantum > 0 { // the first and the last drop each fall at a random phase
		out.Terms = append(out.Terms, uncertainty.Term{
			Name:         fmt.Sprintf("Drops of %.0f mg, one more or less", 1000*in.Quantum),
			Distribution: uncertainty.Triangular,
			Width:        in.Quantum / hours,
			Sensitivity:  new(out.UnitsPerReading),
		})
	}
	out.Minutes, out.Timed = minutes, slices.Clone(out.Terms)
	if e := in.Plate[evaporation]; e > 0 {
		out.Terms = append(out.Terms, uncertainty.Term{
			Name:         "Evaporation, half of the figure",
			Distribution: uncertainty.Rectangular,
			Width:        e / 2,
			Sensitivity:  new(out.UnitsPerReading),
		})
	}
	off := 1.0
	if celsius+off > warmest {
		off = -1
	}
	if other, err := volumePerGram(celsius+off, in.Ambient); err == nil {
		out.Terms = append(out.Terms, uncertainty.Term{
			Name:         "Water temperature, within 1 K",
			Distribution: uncertainty.Rectangular,
			Width:        1,
			Sensitivity:  new(set * (other - per) / per),
		})
	}
	return out, nil
}

// warmest is up to what temperature in °C the density of water is known here.
const warmest = 35

// volumePerGram is mL of water for one gram of balance reading.
func volumePerGram(celsius float64, room procedure.Ambient) (float64, error) {
	w := Weighing{
		MassEndG:          1,
		Minutes:           1,
		WaterTemperatureC: celsius,
		AirTemperatureC:   room.TemperatureC,
		PressureHPa:       room.PressureHPa,
		HumidityPercent:   room.HumidityPercent,
	}
	d, err := w.Delivered()
	return d.VolumeML, err
}

// weighing is the flow of mass in g/h onto a balance over the last minutes of its trace
// in g, after it has settled. With: minutes; settle in s; jump, the largest step in g
// that is a drop and no disturbance.
func weighing(in procedure.CaptureInput) procedure.LiveReading {
	trace := in.Trace()
	if len(trace) < 2 {
		return procedure.LiveReading{Why: "waiting for the balance"}
	}
	begin, end := trace[0].T, trace[len(trace)-1].T
	need := in.With["minutes"] * 60
	live := procedure.LiveReading{}
	from := 0
	for from < len(trace)-1 && trace[from].T < max(begin+in.With["settle"], end-need) {
		from++
	}
	part := trace[from:]
	span := end - part[0].T
	gained := part[len(part)-1].V - part[0].V
	live.Say("delivered", "%.3f g", gained)
	quantum, jump := steps(part, in.Reference)
	if quantum > 0 {
		live.Say("drops of about", "%.0f mg", 1000*quantum)
		live.Quantum = quantum
	}
	if span > 1 {
		flow := gained / span * 3600
		live.Value, live.Values = &flow, []float64{flow}
	}
	least := max(10*quantum, 50*in.With["division"])
	t, narrow, err := trumpetOf(part, in.Reference, least)
	if err == nil {
		live.Figures = map[string]any{"trumpet": t}
	}
	passed := end - begin - in.With["settle"]
	live.Detail = fmt.Sprintf("%.4f g in %.0f s", gained, span)
	live.Detail += t.words() + narrow
	if in.With["curves"] > 0 && err == nil {
		live.Curves = []procedure.Curve{startUp(trace, in.Reference, least), t.curve()}
	}
	if still := stall(part, in.Reference, quantum); still > 0 {
		live.Say("stood still", "%.0f s: a bubble?", still)
		live.Detail += fmt.Sprintf("; it stood still for %.0f s: a bubble?", still)
	}
	switch {
	case passed <= 0:
		live.Why = fmt.Sprintf("starting up: %.0f s more", math.Ceil(-passed))
	case in.With["jump"] > 0 && math.Abs(jump) > in.With["jump"]:
		live.Why = fmt.Sprintf("disturbed: the mass jumped by %.3f g; nobody touches the cup. Withdraw and repeat, or wait until it has left the window", jump)
	case passed < need:
		live.Why = fmt.Sprintf("weighing: %.0f s more", math.Ceil(need-passed))
	default:
		live.Steady, live.Why = true, fmt.Sprintf("weighed for %.1f min", need/60)
	}
	return live
}

// steps are the usual size of a drop in a trace of mass, 0 where it runs evenly, and the
// largest single step beyond what flows meanwhile at the expected flow in g/h: samples that were lost on the way are no jump.
func steps(trace []signal.Sample, perHour float64) (drop, largest float64) {
	var rises []float64
	for i := 1; i < len(trace); i++ {
		d := trace[i].V - trace[i-1].V
		if beyond := d - perHour/3600*(trace[i].T-trace[i-1].T); math.Abs(beyond) > math.Abs(largest) {
			largest = beyond
		}
		if d > 0.01 {
			rises = append(rises, d)
		}
	}
	if len(rises) > 2 && len(rises) < len(trace)/3 {
		slices.Sort(rises)
		drop = rises[len(rises)/2]
	}
	return drop, largest
}

// stall is the longest that a flow onto a balance stood still, in s, where that is much
// longer than a drop takes at the expected flow in g/h; else 0.
func stall(trace []signal.Sample, perHour, drop float64) float64 {
	usual := 6.0
	if perHour > 0 {
		usual = max(usual, 3*max(drop, 0.06)/perHour*3600)
	}
	longest, since := 0.0, 0
	for i := range trace {
		if trace[i].V-trace[since].V > 0.008 {
			longest, since = max(longest, trace[i].T-trace[since].T), i
		}
	}
	if longest < usual {
		return 0
	}
	return longest
}

// trumpetWindows are the observation windows in minutes of IEC 60601-2-24.
var trumpetWindows = []float64{1, 2, 5, 11, 19, 31}

// trumpetEvery is the sample interval of a trumpet curve, in minutes.
const trumpetEvery = 0.5

// flowsOf are the mean flows in g/h over each stretch of so many minutes of a trace of mass in g.
func flowsOf(trace []signal.Sample, every float64) []float64 {
	var flows []float64
	last := 0
	for i := range trace {
		if trace[i].T-trace[last].T >= every*60-1e-6 {
			flows = append(flows, (trace[i].V-trace[last].V)/(trace[i].T-trace[last].T)*3600)
			last = i
		}
	}
	return flows
}

// trumpetOf is the trumpet curve of a trace of mass in g against a set flow in g/h (near
// enough that of volume: both sides are in mass), for the windows that fit it. Those in which less than least, in g, is
// delivered are not evaluated: it is said which.
func trumpetOf(trace []signal.Sample, set, least float64) (t Trumpet, narrow string, err error) {
	flows := flowsOf(trace, trumpetEvery)
	var fit []float64
	var left []string
	for _, w := range trumpetWindows {
		switch {
		case int(w/trumpetEvery) > len(flows):
		case set*w/60 < least:
			left = append(left, fmt.Sprintf("%g", w))
		default:
			fit = append(fit, w)
		}
	}
	if len(left) > 0 {
		narrow = fmt.Sprintf("; over %s min not evaluated, fewer than ten drops or fifty divisions of the balance",
			strings.Join(left, ", "))
	}
	if len(fit) == 0 {
		return Trumpet{}, narrow, fmt.Errorf("no window of the trumpet curve can be evaluated yet")
	}
	t, err = TrumpetCurve(flows, trumpetEvery, set, fit)
	return t, narrow, err
}

// startUp is the curve of the flow from the first moment on, as a share of the set flow in g/h: means over as many half
// minutes as deliver least, in g. IEC 60601-2-24.
func startUp(trace []signal.Sample, set, least float64) procedure.Curve {
	every := trumpetEvery * max(1, math.Ceil(least/(set*trumpetEvery/60)))
	c := procedure.Curve{Title: "Start-up curve", X: "min", Y: fmt.Sprintf("mean over %g min, %% of the set rate", every),
		Lines: []procedure.CurveLine{{}}}
	for i, flow := range flowsOf(trace, every) {
		c.At = append(c.At, every*float64(i+1))
		c.Lines[0].Values = append(c.Lines[0].Values, 100*flow/set)
	}
	return c
}

// pressureAtAlarm is the highest pressure until the alarm sounds. Channels: pressure,
// then the alarm. With: patience in s.
func pressureAtAlarm(in procedure.CaptureInput) procedure.LiveReading {
	if len(in.Channels) < 2 || len(in.Trace()) == 0 {
		return procedure.LiveReading{Why: "waiting for pressure and alarm"}
	}
	alarmed := math.Inf(1)
	for _, s := range in.Traces[in.Channels[1]] {
		if s.V > 0.5 {
			alarmed = s.T
			break
		}
	}
	peak, trace := math.Inf(-1), in.Trace()
	for _, s := range trace {
		if s.T <= alarmed {
			peak = math.Max(peak, s.V)
		}
	}
	live := procedure.LiveReading{Value: &peak, Values: []float64{peak}}
	waited := trace[len(trace)-1].T - trace[0].T
	switch {
	case !math.IsInf(alarmed, 1):
		live.Steady, live.Why = true, fmt.Sprintf("the alarm came after %.0f s", alarmed-trace[0].T)
	case in.With["patience"] > 0 && waited > in.With["patience"]:
		live.Steady, live.Absent, live.Why = true, true, fmt.Sprintf("no alarm within %.0f s", waited)
	default:
		live.Why = fmt.Sprintf("pressure rises; no alarm for %.0f s", waited)
	}
	live.Detail = live.Why
	return live
}

// massGain is what came onto the balance since the line was released, once it stands. Channels: mass in g, then the pressure
// in the line. With: released, in the unit of the pressure, below which the line is released; patience in s, after which the
// release has not come.
func massGain(in procedure.CaptureInput) procedure.LiveReading {
	trace := in.Trace()
	if len(trace) == 0 || len(in.Channels) < 2 {
		return procedure.LiveReading{Why: "waiting for balance and pressure"}
	}
	pressure := in.Traces[in.Channels[1]]
	released := math.Inf(1)
	for i := len(pressure) - 1; i >= 0 && pressure[i].V < in.With["released"]; i-- {
		released = pressure[i].T
	}
	end := trace[len(trace)-1].T
	if math.IsInf(released, 1) {
		waited := end - trace[0].T
		live := procedure.LiveReading{Why: "waiting for the release: the line still holds its pressure"}
		if len(pressure) > 0 {
			live.Say("pressure", "%.0f", pressure[len(pressure)-1].V)
		}
		if patience := in.With["patience"]; patience > 0 && waited > patience {
			live.Why = fmt.Sprintf("the line was not released within %.0f s: open it, or leave this point out", waited)
		}
		return live
	}
	before := trace[0].V // the last weight while the line was closed, or the first there is
	after := 0
	for after < len(trace)-1 && trace[after].T < released {
		before = trace[after].V
		after++
	}
	in.Traces = map[string][]signal.Sample{in.Channels[0]: trace[after:]}
	s := shared.Steady(in)
	if s.Value != nil {
		gain := *s.Value - before
		s.Value, s.Values, s.Final = &gain, []float64{gain}, nil
	}
	return s
}

// delivery tells one error at all rates from one at low rates only. Points say with low
// (1) that they are slow, and with high (1) that they are fast.
func delivery(c procedure.FindingInput) procedure.Diagnosis {
	low, high := procedure.Marked(c.Points, "low"), procedure.Marked(c.Points, "high")
	if len(low) == 0 || len(high) == 0 {
		return procedure.Diagnosis{Shape: "unknown",
			Words: "Slow and fast rates are both needed to tell the set from the weighing."}
	}
	share := func(points []procedure.JudgedPoint) (m float64) {
		for _, p := range points {
			m += 100 * p.Error / p.Reference / float64(len(points))
		}
		return m
	}
	a, b := share(low), share(high)
	out := slices.ContainsFunc(c.Points, func(p procedure.JudgedPoint) bool {
		return p.Significant() &&
			math.Abs(p.ErrorToLimit) > 0.5
	})
	words := fmt.Sprintf("Delivered %s %% at low and %s %% at high rates of what was set.",
		quantity.FormatSigned(a, 0.1), quantity.FormatSigned(b, 0.1))
	switch {
	case !out:
		return procedure.Diagnosis{Shape: "none", Words: words}
	case math.Abs(a-b) < 2.5:
		return procedure.Diagnosis{Shape: "set", Words: words +
			" The same everywhere: the wrong set is selected, or this set is worn."}
	case math.Abs(a) > math.Abs(b)+2.5:
		return procedure.Diagnosis{Shape: "low", Investigate: true,
			Words: words + " Only low rates are off: evaporation, drops on the cup’s rim, or a draught."}
	}
	return procedure.Diagnosis{Shape: "mixed", Words: words +
		" Only high rates are off: the supply line or its check valve."}
}
