package sim

import (
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"strconv"
	"strings"

	"northneedle/core/gas"
	"northneedle/internal/instrument"
)

// The room of the simulated analyser, and the test lung.
const (
	labCelsius, labHPa, labHumidity = 21.0, 1010.0, 0.5
	lungCompliance                  = 50.0 // mL/cmH2O
	lungResistance                  = 0.1  // cmH2O per L/min
	circuitCompliance               = 2.5  // mL/cmH2O, of a closed circuit
	expiration                      = 0.3  // time constant, s
)

// FlowAnalyser models a ventilator on a test lung, and the flow analyser between them:
// its zero, its oxygen cell, and the gas condition and mixture it is set to, which change
// what it reports.
type FlowAnalyser struct {
	mode                            string // off, volume, pressure, hold, keep
	vt, rate, peep, ratio, top, set float64
	gas                             string // through the analyser by itself: oxygen, air or none
	alarm                           string
	alarmed                         float64 // since the alarm's condition was made, s

	clock  float64 // in the breath, or of the hold, s
	volume float64 // in the lung, mL
	flow   float64 // into the lung, L/min at the ventilator's condition
	press  float64
	oxygen float64 // at the cell, lagged, percent

	zeroFlow, zeroPressure float64 // what the analyser shows at rest
	cell                   float64 // its oxygen reading for one of true
	onSTPD, onOxygen       float64 // what it makes of a flow of 1, set so by mistake

	tag     string
	devices map[string]*ventilatorTruth
	faults  map[string]bool
	noise   *rand.Rand
}

type ventilatorTruth struct{ volume, pressure, oxygen float64 }

// NewFlowAnalyser makes an analyser with a ventilator that is off.
func NewFlowAnalyser() *FlowAnalyser {
	f := &FlowAnalyser{mode: "OFF", vt: 500, rate: 12, peep: 5, ratio: 2, top: 20, set: 21, gas: "NONE", oxygen: 20.93,
		cell: 0.995, zeroFlow: 0.02, zeroPressure: 0.02,
		devices: map[string]*ventilatorTruth{}, faults: map[string]bool{}, noise: seeded("flow analyser")}
	f.connect("BENCH")
	to, err := gas.Named("STPD", labCelsius, labHPa, labHumidity)
	if err == nil {
		f.onSTPD, err = gas.Factor(gas.BTPS(labHPa), to)
	}
	if err == nil {
		f.onOxygen, err = gas.Misread("air", "O2")
	}
	if err != nil {
		panic(err) // the room above is no room
	}
	return f
}

// IDN identifies it.
func (f *FlowAnalyser) IDN() string {
	return "North Needle,Flow analyser and ventilator simulated,FA-SIM,1"
}

// Channels are flow in L/min, pressure in cmH2O, oxygen in percent, inspired volume in
// mL, the output of the oxygen cell in mV, and 1 while an alarm sounds.
func (f *FlowAnalyser) Channels() []string {
	return []string{"FLOW", "PRESSURE", "VOLUME", "O2", "CELL", "ALARM"}
}

// Rate is 100 samples a second.
func (f *FlowAnalyser) Rate() int { return 100 }

// Controls are the faults of analyser, circuit and ventilator; zero and oxygen calibration of the analyser.
func (f *FlowAnalyser) Controls() instrument.Controls {
	return instrument.Controls{Faults: faultsOf(f.faults, "CONDITION", "analyser left on STPD", "MIXTURE",
		"analyser left on O2", "DRIFTED", "analyser not zeroed", "TUBE", "a tube left on the analyser",
		"LOWFLOW", "oxygen flow too low", "CELL", "oxygen cell aged", "LEAK", "leaking circuit", "WEAK",
		"ventilator delivers too little", "MIXER", "oxygen mixer low", "MUTE", "alarms silent"),
		Keys: routinesOf("ZERO", "zero", "OXYGEN", "oxygen cell, two points")}
}

func (f *FlowAnalyser) connect(tag string) {
	f.tag = tag
	if f.devices[tag] == nil {
		r := seeded(tag + " ventilator")
		f.devices[tag] = &ventilatorTruth{volume: 1 + 0.012*r.NormFloat64(), pressure: 1 + 0.008*r.NormFloat64(),
			oxygen: 1 + 0.006*r.NormFloat64()}
	}
}

// Step lets the ventilator breathe.
func (f *FlowAnalyser) Step(dt float64) {
	f.clock += dt
	f.alarmed += dt
	whole := 60 / f.rate
	ti := whole / (1 + f.ratio)
	for f.mode != "HOLD" && f.clock >= whole {
		f.clock -= whole
	}
	t := f.devices[f.tag]
	f.flow = 0
	switch f.mode {
	case "VOLUME":
		if f.clock < ti {
			f.flow = f.delivered(t) / 1000 * 60 / ti
		}
		f.breathe(dt, f.clock < ti, f.peep)
	case "PRESSURE":
		if f.clock < ti {
			f.flow = math.Max(0, (f.top*t.pressure-f.peep-f.volume/lungCompliance)/lungResistance*
				(1-math.Exp(-f.clock/0.05)))
		}
		f.breathe(dt, f.clock < ti, f.peep)
		if f.clock < ti {
			f.press = f.peep + (f.top*t.pressure-f.peep)*(1-math.Exp(-f.clock/0.05))
		}
	case "HOLD": // blocked: what leaks lowers the pressure
		f.press *= math.Exp(-f.leak() * 1000 / 60 / circuitCompliance / 40 * dt)
	case "KEEP":
		f.press, f.flow = 40, f.leak()
	default:
		f.press, f.volume = 0, 0
	}
	f.oxygen += (f.inspired(t) - f.oxygen) * (1 - math.Exp(-dt/3))
}

// breathe moves the lung on: filled by the flow, or emptied by itself.
func (f *FlowAnalyser) breathe(dt float64, in bool, peep float64) {
	if !in {
		f.flow = -f.volume / expiration / 1000 * 60
	}
	f.volume = math.Max(0, f.volume+f.flow*1000/60*dt)
	f.press = peep + f.volume/lungCompliance
	if in {
		f.press += lungResistance * f.flow
	}
	if f.faults["LEAK"] {
		f.press *= 0.92
	}
}

// delivered is the tidal volume that reaches the lung, in mL at the ventilator's condition.
func (f *FlowAnalyser) delivered(t *ventilatorTruth) float64 {
	v := f.vt * t.volume
	if f.faults["WEAK"] {
		v *= 0.78
	}
	if f.faults["LEAK"] { // goes with the mean pressure of the inspiration
		v -= f.vt * 0.008 * (f.peep + f.vt/lungCompliance/2)
	}
	return math.Max(0, v)
}

// leak of the closed circuit at 40 cmH2O, in L/min.
func (f *FlowAnalyser) leak() float64 {
	if f.faults["LEAK"] {
		return 0.42
	}
	return 0.03
}

// inspired is the oxygen at the cell, in percent.
func (f *FlowAnalyser) inspired(t *ventilatorTruth) float64 {
	switch {
	case f.gas == "OXYGEN" && f.faults["LOWFLOW"]:
		return 88
	case f.gas == "OXYGEN":
		return 100
	case f.mode != "VOLUME" && f.mode != "PRESSURE":
		return 20.93
	}
	added := (f.set - 20.93) * t.oxygen
	if f.faults["MIXER"] {
		added *= 0.8
	}
	return math.Min(100, 20.93+added)
}

// Value is what the analyser reports.
func (f *FlowAnalyser) Value(channel string) float64 {
	gain := 1.0
	if f.faults["CELL"] {
		gain = 0.93
	}
	switch channel {
	case "FLOW":
		flow := f.flow
		switch {
		case f.gas != "NONE" && f.faults["LOWFLOW"]:
			flow = 4
		case f.gas != "NONE":
			flow = 25
		}
		if f.faults["DRIFTED"] {
			flow += 0.7
		}
		return flow*f.reported() + f.zeroFlow + 0.01*f.noise.NormFloat64()
	case "PRESSURE":
		p := f.press
		if f.faults["TUBE"] && f.mode == "OFF" {
			p += 5
		}
		if f.faults["DRIFTED"] {
			p += 1.6
		}
		return p + f.zeroPressure + 0.01*f.noise.NormFloat64()
	case "VOLUME":
		return f.volume * f.reported()
	case "O2":
		return f.oxygen*f.cell*gain + 0.02*f.noise.NormFloat64()
	case "CELL":
		return 11.8*gain*gain*gain*gain*f.oxygen/20.93 + 0.01*f.noise.NormFloat64()
	}
	return f.sounds()
}

// reported is what the analyser makes of a flow at the ventilator's condition, which is
// that of the body: stated in the condition it is set to, for the mixture it is set to.
func (f *FlowAnalyser) reported() float64 {
	factor := 1.0
	if f.faults["CONDITION"] {
		factor *= f.onSTPD
	}
	if f.faults["MIXTURE"] {
		factor *= f.onOxygen
	}
	return factor
}

// delays are how long after its condition each alarm sounds, in s.
var delays = map[string]float64{"DISCONNECT": 6, "PRESSURE": 2, "VOLUME": 9, "OXYGEN": 12}

func (f *FlowAnalyser) sounds() float64 {
	after, known := delays[f.alarm]
	if known && f.alarmed >= after && !f.faults["MUTE"] {
		return 1
	}
	return 0
}

// Command knows SOURce: MODE (off, volume, pressure, hold, keep), VT, RATE, PEEP, RATIO,
// PRESSURE, O2, GAS (none, air, oxygen) and ALARM (disconnect, pressure, volume, oxygen);
// SENSe: CONDition? and MIXTure?, the gas condition and the mixture that it is set to;
// SIMulate:DEVice, SIMulate:PRESs ZERO or OXYGEN and SIMulate:FAULt.
func (f *FlowAnalyser) Command(c Command) (string, bool, error) {
	switch {
	case c.Is("SOURce:MODE"):
		return f.turn(strings.ToUpper(c.Arg(0)))
	case c.Is("SOURce:GAS"):
		gas := strings.ToUpper(c.Arg(0))
		if !slices.Contains([]string{"NONE", "AIR", "OXYGEN"}, gas) {
			return "", true, fmt.Errorf(`-224,"Illegal parameter: none, air or oxygen"`)
		}
		f.gas = gas
	case c.Is("SOURce:ALARM"):
		alarm := strings.ToUpper(c.Arg(0))
		if _, known := delays[alarm]; !known {
			return "", true, fmt.Errorf(`-224,"Illegal parameter: disconnect, pressure, volume or oxygen"`)
		}
		f.alarm, f.alarmed = alarm, 0
	case c.Is("SENSe:CONDition") && c.Query:
		if f.faults["CONDITION"] {
			return "STPD", true, nil
		}
		return "BTPS", true, nil
	case c.Is("SENSe:MIXTure") && c.Query:
		if f.faults["MIXTURE"] {
			return "O2", true, nil
		}
		return "AIR", true, nil
	case c.Is("SIMulate:DEVice"):
		tag, err := deviceTag(c, len(f.devices))
		if err != nil {
			return "", true, err
		}
		f.connect(tag)
	case c.Is("SIMulate:PRESs"):
		return f.routine(c)
	case c.Is("SIMulate:FAULt"):
		return setFault(f.faults, c, codes(f.Controls().Faults)...)
	default:
		return f.setting(c)
	}
	return "OK", true, nil
}

func (f *FlowAnalyser) turn(mode string) (string, bool, error) {
	if !slices.Contains([]string{"OFF", "VOLUME", "PRESSURE", "HOLD", "KEEP"}, mode) {
		return "", true, fmt.Errorf(`-224,"Illegal parameter: off, volume, pressure, hold or keep"`)
	}
	if mode == "HOLD" {
		f.press = 40
	}
	if mode != f.mode {
		f.clock, f.volume = 0, 0
	}
	f.mode, f.alarm, f.gas = mode, "", "NONE"
	return "OK", true, nil
}

// setting sets one figure of the ventilator.
func (f *FlowAnalyser) setting(c Command) (string, bool, error) {
	for _, s := range []struct {
		name      string
		of        *float64
		low, high float64
	}{{"SOURce:VT", &f.vt, 20, 2000}, {"SOURce:RATE", &f.rate, 2, 80}, {"SOURce:PEEP", &f.peep, 0, 30},
		{"SOURce:RATIO", &f.ratio, 0.5, 6}, {"SOURce:PRESSURE", &f.top, 5, 80}, {"SOURce:O2", &f.set, 20, 100}} {
		if !c.Is(s.name) {
			continue
		}
		v, err := strconv.ParseFloat(c.Arg(0), 64)
		if err != nil || !(v >= s.low && v <= s.high) {
			return "", true, fmt.Errorf(`-222,"Data out of range: %g to %g"`, s.low, s.high)
		}
		*s.of = v
		return "OK", true, nil
	}
	return "", false, nil
}

// routine runs a calibration routine of the analyser.
func (f *FlowAnalyser) routine(c Command) (string, bool, error) {
	key, _, err := presses(c, f.Controls().Keys)
	if err != nil {
		return "", true, err
	}
	switch {
	case key == "ZERO" && (f.faults["TUBE"] || f.mode != "OFF" || f.gas != "NONE"):
		return "", true, fmt.Errorf(`-221,"Settings conflict: flow or pressure is present"`)
	case key == "ZERO":
		f.zeroFlow, f.zeroPressure = 0, 0
		delete(f.faults, "DRIFTED")
	default:
		gain := 1.0
		if f.faults["CELL"] {
			gain = 0.93
		}
		f.cell = 1 / gain
	}
	return "OK", true, nil
}
