package method

import (
	"fmt"
	"math"
	"slices"
)

// LevelError is the error of a tone's level in dB: what the coupler measured, against
// the dial with the reference equivalent threshold of the earphone. ANSI/ASA S3.6.
func LevelError(measuredSPL, dialHL, retspl float64) float64 { return measuredSPL - (dialHL + retspl) }

// StepErrors are the errors of each step of an attenuator in dB, and the largest by
// magnitude; both series have the same length, two at least, whichever way the dial runs.
func StepErrors(dial, measured []float64) ([]float64, float64, error) {
	if len(dial) != len(measured) || len(dial) < 2 {
		return nil, 0, fmt.Errorf("steps need two levels at least, as many measured as dialled: there are %d and %d", len(measured), len(dial))
	}
	var steps []float64
	worst := 0.0
	for i := 1; i < len(dial); i++ {
		e := (measured[i] - measured[i-1]) - (dial[i] - dial[i-1])
		steps = append(steps, e)
		worst = math.Max(worst, math.Abs(e))
	}
	return steps, worst, nil
}

// EnergySum adds levels in dB by their energy.
func EnergySum(levels ...float64) float64 {
	sum := 0.0
	for _, l := range levels {
		sum += math.Pow(10, l/10)
	}
	return 10 * math.Log10(sum)
}

// RoomTable is a table of permissible octave-band levels of a test room, in dB by the
// band's centre frequency in Hz.
type RoomTable string

const (
	OSHATableD1 RoomTable = "osha-table-d-1"                  // 29 CFR 1910.95 appendix D
	EarsCovered RoomTable = "ansi-s3.1-ears-covered-500-8000" // ANSI/ASA S3.1-1999
)

var roomTables = map[RoomTable]map[int]float64{
	OSHATableD1: {500: 40, 1000: 40, 2000: 47, 4000: 57, 8000: 62},
	EarsCovered: {125: 49, 250: 35, 500: 21, 1000: 26, 2000: 34, 4000: 37, 8000: 37},
}

// RoomNoise is how far a room is from its limit in the worst band.
type RoomNoise struct {
	MarginDB float64 // negative if over
	BandHz   int
}

// Judge finds the band with the least margin. Every band of the table must be measured.
func (t RoomTable) Judge(levels map[int]float64) (RoomNoise, error) {
	limits, ok := roomTables[t]
	if !ok {
		return RoomNoise{}, fmt.Errorf("the table of room noise %q is not known", t)
	}
	bands := make([]int, 0, len(limits))
	for band := range limits {
		bands = append(bands, band)
	}
	slices.Sort(bands)
	worst := RoomNoise{MarginDB: math.Inf(1)}
	for _, band := range bands {
		level, measured := levels[band]
		if !measured || math.IsNaN(level) || math.IsInf(level, 0) {
			return RoomNoise{}, fmt.Errorf("the octave band at %d Hz was not measured", band)
		}
		if margin := limits[band] - level; margin < worst.MarginDB {
			worst = RoomNoise{margin, band}
		}
	}
	return worst, nil
}
