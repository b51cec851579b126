// Package flowanalyser is the family of flow analysers, which are references and prepared as devices.
package flowanalyser

import (
	"fmt"
	"northneedle/core/procedure"
	"northneedle/families/shared"
)

// Catalogue is what the family computes of its own.
var Catalogue = procedure.Catalogue{
	Captures: map[string]procedure.CaptureMethod{
		"flushed": {Params: []string{"flow", "seconds"}, RawUnits: true, Read: flushed},
	},
}

// flushed waits until an oxygen reading stands, and refuses it unless enough gas has
// passed the cell for long enough. Channels: oxygen, then flow in L/min. With: the flow
// in L/min and for how many seconds.
func flushed(in procedure.CaptureInput) procedure.LiveReading {
	live := shared.GasStep(in)
	if len(in.Channels) < 2 {
		live.Steady, live.Why = false, "oxygen and flow are needed"
		return live
	}
	flow := in.Traces[in.Channels[1]]
	need, seconds := in.With["flow"], in.With["seconds"]
	if len(flow) == 0 {
		live.Steady, live.Why = false, "waiting for the flow"
		return live
	}
	now := flow[len(flow)-1]
	since := now.T
	for i := len(flow) - 1; i >= 0 && flow[i].V >= need; i-- {
		since = flow[i].T
	}
	passed := now.T - since
	live.Say("flow", "%.1f L/min", now.V)
	live.Say("flushed", "%.0f of %.0f s", min(passed, seconds), seconds)
	switch {
	case now.V < need:
		live.Steady, live.Why = false, fmt.Sprintf("flow too low: %.1f L/min, %g are needed: the cell is not flushed",
			now.V, need)
	case passed < seconds:
		live.Steady, live.Why = false, fmt.Sprintf("flushing: %.0f s more", seconds-passed)
	}
	live.Detail = fmt.Sprintf("at %.1f L/min for %.0f s", now.V, passed)
	return live
}
