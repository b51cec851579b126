package rehearsal

import (
	"fmt"
	"strings"
	"time"

	"northneedle/core/procedure"
	"northneedle/internal/demo"
)

// Play works through a procedure by the book against healthy stand-ins, in simulated time,
// with a fitting standard of the scenario for every role. The error says what a
// technician would come to a stop at.
func Play(p procedure.Procedure, at time.Time) (procedure.View, error) {
	b := New(demo.World())
	w := &demo.Technician{Person: procedure.Person{ID: "rehearsal", Name: "Rehearsal", Role: procedure.Technician}, Reviewer: procedure.Person{ID: "lead", Name: "Lead", Role: procedure.Lead}, At: at,
		Truth: healthy{b, p}, Room: [3]string{"21.4", "1008", "46"}, Plate: map[string]string{"capacity": "200", "division": "0.1", "water_temperature": "22", "evaporation": "0.02"}, Capture: b.Capture,
		Standard: func(_ procedure.Run, role procedure.Role) procedure.Standard { return demo.Fitting(role, at) }}
	run, _, err := w.Work(p, procedure.RunOpened{Procedure: p.ID, Revision: p.Revision, Hash: "rehearsal", Lab: demo.Lab(), Device: procedure.Device{ID: "rehearsal", Tag: "REHEARSAL", Maker: "simulated", Model: "device", Family: p.Family}})
	return run.View(w.At), err
}

// healthy is a device that shows what is expected where nothing is linked, and whose
// controls are those of the stand-in.
type healthy struct {
	bench *Bench
	p     procedure.Procedure
}

// Read is what it shows.
func (h healthy) Read(_, _ string, expected float64) float64 { return expected }

// Turn presses the control on the stand-in that the procedure's measures are linked to.
func (h healthy) Turn(control, point string, change float64) {
	for _, s := range h.p.Steps {
		for _, c := range s.Controls {
			if c.ID != control {
				continue
			}
			steps := change
			if c.Step > 0 {
				steps = change / c.Step
			}
			for _, m := range s.Judges {
				if measure, ok := h.p.Step(m); ok && measure.Capture != nil {
					command := fmt.Sprintf("SIMulate:PRESs %s,%.0f", strings.ToUpper(control), steps)
					if _, entry, found := strings.Cut(point, "/"); found {
						command += "," + entry
					}
					_ = h.bench.Tell(measure.Capture.Instrument, command) // a control that the stand-in lacks shows in the readings
					return
				}
			}
		}
	}
}
