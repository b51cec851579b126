package infusionpump

import (
	"fmt"
	"math"

	"northneedle/core/gas"
	"northneedle/core/procedure"
	"northneedle/core/quantity"
)

// Weighing is what a pump delivered onto a balance between two readings of it.
type Weighing struct {
	MassStartG, MassEndG float64
	Minutes              float64 // above zero
	EvaporationGPerMin   float64
	WaterTemperatureC    float64
	AirTemperatureC      float64
	PressureHPa          float64
	HumidityPercent      float64
}

// Delivered is the volume and the flow that follow.
type Delivered struct {
	MassG, VolumeML, FlowMLH float64
	WaterDensity, AirDensity float64 // kg/m³
}

// Delivered computes the volume from the mass, with what evaporated put back and the
// buoyancy of weights of 8000 kg/m³ taken into account. ISO 4787; ISO 8655-6.
func (w Weighing) Delivered() (Delivered, error) {
	if !(w.Minutes > 0) || math.IsInf(w.Minutes, 0) {
		return Delivered{}, fmt.Errorf("the time between the two weighings must be above zero, it is %g min", w.Minutes)
	}
	water, err := gas.WaterDensity(w.WaterTemperatureC)
	if err != nil {
		return Delivered{}, err
	}
	air, err := gas.AirDensity(w.AirTemperatureC, w.PressureHPa, w.HumidityPercent)
	if err != nil {
		return Delivered{}, err
	}
	d := Delivered{MassG: w.MassEndG - w.MassStartG + w.EvaporationGPerMin*w.Minutes, WaterDensity: water,
		AirDensity: air}
	d.VolumeML = 1000 * d.MassG * (1 - air/8000) / (water - air)
	d.FlowMLH = d.VolumeML / (w.Minutes / 60)
	return d, nil
}

// PercentError is 100 · (found − nominal) ÷ nominal; the nominal value must not be zero.
func PercentError(found, nominal float64) (float64, error) {
	if nominal == 0 || math.IsNaN(nominal) {
		return 0, fmt.Errorf("a percentage of zero means nothing: the nominal value is %g", nominal)
	}
	return 100 * (found - nominal) / nominal, nil
}

// Trumpet is the largest and the smallest mean flow error over every stretch of each length.
type Trumpet struct {
	WindowsMin []float64 `json:"windows_min"`
	Max        []float64 `json:"ep_max_percent"`
	Min        []float64 `json:"ep_min_percent"`
	Mean       float64   `json:"mean_error_percent"`
}

// TrumpetCurve computes it from flows in mL/h, each the mean over sampleMin minutes,
// for a set rate above zero and windows that are whole numbers of samples no longer
// than the series. IEC 60601-2-24:2012.
func TrumpetCurve(flow []float64, sampleMin, set float64, windows []float64) (Trumpet, error) {
	if !(set > 0) || !(sampleMin > 0) || len(flow) == 0 {
		return Trumpet{}, fmt.Errorf("a trumpet curve needs flows, a set rate and a sample interval above zero")
	}
	sums := make([]float64, len(flow)+1)
	for i, q := range flow {
		if math.IsNaN(q) || math.IsInf(q, 0) {
			return Trumpet{}, fmt.Errorf("flow %d is not a number", i+1)
		}
		sums[i+1] = sums[i] + 100*(q-set)/set
	}
	t := Trumpet{WindowsMin: windows, Mean: sums[len(flow)] / float64(len(flow))}
	for _, w := range windows {
		n := int(math.Round(w / sampleMin))
		if n < 1 || n > len(flow) || math.Abs(float64(n)*sampleMin-w) > 1e-9*w {
			return Trumpet{}, fmt.Errorf("a window of %g min is no whole number of samples of %g min, or longer than the series", w, sampleMin)
		}
		high, low := math.Inf(-1), math.Inf(1)
		for j := 0; j+n <= len(flow); j++ {
			e := (sums[j+n] - sums[j]) / float64(n)
			high, low = math.Max(high, e), math.Min(low, e)
		}
		t.Max, t.Min = append(t.Max, high), append(t.Min, low)
	}
	return t, nil
}

// FlowUncertainty is the expanded uncertainty (k = 2) in mL/h of a flow that was weighed drop by drop: mass in g over
// minutes, drops of a size in g (0: it runs evenly), a balance with its expanded uncertainty in g, and millilitres for each
// gram. The first and the last drop fall at a random phase each, so that their difference is triangular; the balance
// is read twice. With it the minutes after which that is a share of the same flow. JCGM 100, 4.3.9.
func FlowUncertainty(mass, minutes, drop, balance, perGram, share float64) (flow, u, minutesNeeded float64, err error) {
	if !(mass > 0 && minutes > 0 && drop >= 0 && balance >= 0 && perGram > 0 && share > 0) {
		return 0, 0, 0, fmt.Errorf("mass, minutes, millilitres per gram and share are above zero, drop and balance not below")
	}
	uMass := math.Sqrt(balance*balance/2 + drop*drop/6)
	hours := minutes / 60
	return mass * perGram / hours, 2 * uMass * perGram / hours, 2 * uMass * minutes / (mass * share), nil
}

// curve is its drawing.
func (t Trumpet) curve() procedure.Curve {
	return procedure.Curve{Title: "Trumpet curve", X: "window, min", Y: "error of the mean flow, %", At: t.WindowsMin,
		Lines: []procedure.CurveLine{{Name: "largest", Values: t.Max}, {Name: "smallest", Values: t.Min}}}
}

// words are the largest deviations from the set rate over each window, in percent.
func (t Trumpet) words() string {
	words := ""
	for i, minutes := range t.WindowsMin {
		words += fmt.Sprintf("; over %g min %s to %s %%", minutes, quantity.FormatSigned(t.Min[i], 0.1), quantity.FormatSigned(t.Max[i], 0.1))
	}
	return words
}
