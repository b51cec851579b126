package audiometer

import (
	"fmt"
	"math"
	"slices"
)

// DialLevel is what was measured in dB at a setting of the attenuator.
type DialLevel struct{ Dial, Level float64 }

// Deviation is how far off a level is in dB against the dial, from the reference setting on.
type Deviation struct{ Dial, DB float64 }

// Attenuator is what an attenuator does over its whole range.
type Attenuator struct {
	Joined       bool        // some dial was read in both parts
	Shared       int         // how many were
	Span         float64     // dB between the highest and the lowest of them
	JoinResidual float64     // the largest disagreement of both parts over the shared dials, dB
	Deviations   []Deviation // downwards; acoustic where it was measured acoustically
	Largest      Deviation   // by magnitude
	StepErrors   []float64   // each deviation less the one before it
}

// AttenuatorLevels compares levels with the dial, downwards: acoustic ones from a reference setting on, which is one of them, and
// electrical ones, whose scale has an arbitrary constant, joined to them over the dials that were read in both. Where there
// is none, only the acoustic part is judged. ANSI/ASA S3.6, IEC 60645-1.
func AttenuatorLevels(reference float64, acoustic, electrical []DialLevel) (Attenuator, error) {
	at := slices.IndexFunc(acoustic, func(l DialLevel) bool { return l.Dial == reference })
	if at < 0 {
		return Attenuator{}, fmt.Errorf("the reference setting of %g dB was not measured acoustically", reference)
	}
	var a Attenuator
	heard := map[float64]float64{}
	for _, l := range acoustic {
		heard[l.Dial] = (l.Level - acoustic[at].Level) - (l.Dial - reference)
		a.Deviations = append(a.Deviations, Deviation{l.Dial, heard[l.Dial]})
	}
	offset, low, high := 0.0, math.Inf(1), math.Inf(-1)
	for _, l := range electrical {
		if d, both := heard[l.Dial]; both {
			a.Shared, offset = a.Shared+1, offset+d-(l.Level-l.Dial)
			low, high = min(low, l.Dial), max(high, l.Dial)
		}
	}
	if a.Joined = a.Shared > 0; a.Joined {
		offset /= float64(a.Shared)
		a.Span = high - low
		for _, l := range electrical {
			d := l.Level - l.Dial + offset
			if acoustic, both := heard[l.Dial]; both {
				a.JoinResidual = max(a.JoinResidual, math.Abs(acoustic-d))
				continue
			}
			a.Deviations = append(a.Deviations, Deviation{l.Dial, d})
		}
	}
	slices.SortStableFunc(a.Deviations, func(x, y Deviation) int { return int(math.Copysign(1, y.Dial-x.Dial)) })
	for i, d := range a.Deviations {
		if math.Abs(d.DB) > math.Abs(a.Largest.DB) {
			a.Largest = d
		}
		if i > 0 {
			a.StepErrors = append(a.StepErrors, d.DB-a.Deviations[i-1].DB)
		}
	}
	return a, nil
}
