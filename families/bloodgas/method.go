// Package bloodgas is the family of blood-gas analysers.
package bloodgas

import (
	"fmt"
	"math"
	"northneedle/core/procedure"
)

// Catalogue is what the family computes of its own.
var Catalogue = procedure.Catalogue{
	Patterns: map[string]procedure.Pattern{
		"blood-gas": {Read: bloodGas, Params: []string{"electronic", "level", "ph", "pco2", "po2", "other"}},
	},
}

// Bicarbonate is the bicarbonate in mmol/L that pH (6.5 to 8) and pCO2 in mmHg (above
// zero) go with. Henderson and Hasselbalch, with pK 6.1 and a solubility of 0.0307.
func Bicarbonate(ph, pco2 float64) (float64, error) {
	if !(ph >= 6.5 && ph <= 8) || !(pco2 > 0) {
		return 0, fmt.Errorf("pH %g and pCO₂ %g mmHg go with no blood: 6.5 to 8, and above zero", ph, pco2)
	}
	return 0.0307 * pco2 * math.Pow(10, ph-6.1), nil
}

// roomPO2 is about what a liquid shows that air has reached, in mmHg.
const roomPO2 = 150

// bloodGas tells a sensor from a cartridge lot or its handling, and a bubble from both.
// Points say electronic (1) or not, their level, and what they are of: ph, pco2 or po2 (1), or something else: other (1).
func bloodGas(c procedure.FindingInput) procedure.Diagnosis {
	seen := procedure.Diagnosis{Shape: "none", Words: "Every sensor and every liquid control is inside its range."}
	liquid := map[float64][2]float64{}
	var electronic, wet, towardsAir int
	worst := ""
	for _, p := range c.Points {
		shown := p.Reference + p.Error
		out := math.Abs(p.ErrorToLimit) > 1
		if p.With["electronic"] > 0 {
			if out {
				electronic++
				worst = p.Label
			}
			continue
		}
		pair := liquid[p.With["level"]]
		switch {
		case p.With["ph"] > 0:
			pair[0] = shown
		case p.With["pco2"] > 0:
			pair[1] = shown
		case p.With["other"] == 0 && out && math.Abs(shown-roomPO2) < math.Abs(p.Reference-roomPO2):
			towardsAir++
		}
		liquid[p.With["level"]] = pair
		if out {
			wet++
			if worst == "" {
				worst = p.Label
			}
		}
	}
	for level := 1.0; level <= 3; level++ {
		pair := liquid[level]
		if b, err := Bicarbonate(pair[0], pair[1]); err == nil {
			seen.Lines = append(seen.Lines,
				fmt.Sprintf("Level %.0f: pH %.2f and pCO₂ %.0f mmHg go with %.1f mmol/L bicarbonate", level, pair[0],
					pair[1], b))
		}
	}
	switch {
	case electronic > 0:
		seen.Shape, seen.Words = "sensor", fmt.Sprintf("The electronic reference fails too (%s): the sensor’s own electronics, not the cartridge.", worst)
	case towardsAir > 0 && towardsAir == wet:
		seen.Shape, seen.Investigate = "bubble", true
		seen.Words = "Only pO₂ is off, towards room air: a bubble, or an ampoule open for too long. Repeat with a fresh one."
	case wet > 0:
		seen.Shape, seen.Investigate = "lot", true
		seen.Words = fmt.Sprintf("The liquid fails and the electronic reference passes (%s): the cartridge lot, or its handling: temperature of the ampoule, mixing.", worst)
	}
	return seen
}
