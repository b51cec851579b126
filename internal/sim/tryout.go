package sim

import (
	"fmt"
	"strings"
	"time"

	"northneedle/core/person"
	"northneedle/core/procedure"
	"northneedle/core/reference"
	"northneedle/core/run"
	"northneedle/core/runview"
)

// TryOut plays a whole procedure under a lab's own rules: on a healthy device, against standards
// made from what its roles need, over simulated instruments where there is one of the kind, and
// typed where there is none. The error says at which step it stopped.
func TryOut(p *procedure.Procedure, lab run.Lab, at time.Time) (runview.View, error) {
	world := World{Cylinders: map[string]map[string]float64{}}
	standards := map[string]reference.Standard{}
	for _, role := range p.Roles {
		s := p.StandardFor(role, at)
		standards[role.ID] = s
		mix := map[string]float64{}
		for _, v := range s.Values {
			mix[v.Quantity] = v.Value
		}
		world.Cylinders[s.Tag] = mix
	}
	b := NewBench(world, at)
	t := &Technician{
		Person:   person.Person{ID: "try-out", Name: "Try-out", Role: person.Technician},
		Reviewer: person.Person{ID: "try-out-lead", Name: "Lead", Role: person.Lead},
		At:       at,
		Truth:    healthy{b, p},
		Room:     [3]string{"21.4", "1008", "46"},
		Plate: map[string]string{"capacity": "200", "division": "0.1", "water_temperature": "22",
			"evaporation": "0.02"},
		Capture:  b.Capture,
		Links:    b.Has,
		Standard: func(_ run.Run, role reference.Role) reference.Standard { return standards[role.ID] },
	}
	device := run.Device{ID: "try-out", Tag: "TRY-OUT", Maker: "simulated", Model: "device", Family: p.Family}
	r, _, err := t.Work(p, run.RunOpened{Procedure: p.ID, Revision: p.Revision, Hash: p.Hash, Lab: lab, Device: device})
	return runview.Of(r, t.At), err
}

// healthy is a device that shows what it should, and whose controls are those of the simulated one.
type healthy struct {
	bench *Bench
	p     *procedure.Procedure
}

func (h healthy) Read(_, _ string, expected float64) float64 { return expected }

func (h healthy) Turn(control, point string, change float64) {
	for _, f := range h.p.Findings() {
		for _, c := range f.Controls {
			if c.ID != control {
				continue
			}
			steps := change
			if c.Step > 0 {
				steps = change / c.Step
			}
			for _, m := range f.Measures {
				if m.Capture == nil {
					continue
				}
				command := fmt.Sprintf("SIMulate:PRESs %s,%.0f", strings.ToUpper(control), steps)
				if _, entry, found := strings.Cut(point, "/"); found {
					command += "," + entry
				}
				_ = h.bench.Tell(m.Capture.Instrument,
					command) // a control that the simulated device lacks shows in the readings
				return
			}
		}
	}
}
