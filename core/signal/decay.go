package signal

import (
	"fmt"
	"math"

	"northneedle/core/fit"
)

// DecayTime is the time constant in s with which a pressure falls through a leak, p = p0·exp(−t/τ): the least-squares line of
// ln p on t, with a free intercept. Infinite where it does not fall. Pressures must be above zero. Boyle's law with a constant
// compliance, linear leak.
func DecayTime(pressure []Sample) (float64, error) {
	times, logs := columns(pressure)
	for i, p := range logs {
		if !(p > 0) {
			return 0, fmt.Errorf("the pressure fell to %g: a time constant needs pressures above zero", p)
		}
		logs[i] = math.Log(p)
	}
	line, err := fit.LinearRegression(times, logs)
	if err != nil {
		return 0, err
	}
	if line.Slope >= 0 {
		return math.Inf(1), nil
	}
	return -1 / line.Slope, nil
}

// Leak is what a compliance in mL/cmH2O loses at a test pressure in cmH2O with a time constant in s, in L/min: C·p/τ.
func Leak(compliance, pressure, tau float64) float64 { return compliance * pressure / tau * 60 / 1000 }
