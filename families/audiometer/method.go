// Package audiometer is the family of audiometers and their rooms.
package audiometer

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"northneedle/core/procedure"
	"northneedle/core/quantity"
	"northneedle/core/uncertainty"

	"gonum.org/v1/gonum/stat"
)

// Catalogue is what the family computes of its own.
var Catalogue = procedure.Catalogue{
	Methods: map[string]procedure.Method{
		"tone-level": {Compute: toneLevel,
			Words: "the level of a tone in a coupler, beside the dial and the earphone's zero", Params: []string{"retspl", "seating", "hertz"}},
		"bone-level": {Compute: boneLevel,
			Words: "the force level of a bone vibrator, beside the dial and its zero", Params: []string{"retfl", "hertz"}},
		"attenuator-step": {Compute: attenuatorStep,
			Words: "a step of the dial, beside the difference of two levels that were read", Series: true},
	},
	Captures: map[string]procedure.CaptureMethod{
		"tone-times": {Params: []string{"fall"}, RawUnits: true, Read: toneTimes},
	},
	Patterns: map[string]procedure.Pattern{
		"earphones":  {Read: earphones, Params: []string{"ear", "hertz"}},
		"attenuator": {Read: attenuator, Params: []string{"electric", "dial", "level", "join"}},
		"test-room":  {Read: testRoom, Params: []string{"hertz", "table"}},
	},
}

// toneLevel is the level of a tone in dB HL against the dial: what the coupler measured in
// dB SPL, less the reference equivalent threshold of this earphone in this coupler (with:
// retspl). ANSI/ASA S3.6; ISO 389-1.
func toneLevel(in procedure.Input) (procedure.Outcome, error) {
	out, err := hearingLevel(in, "Coupler", in.With["retspl"])
	if half := in.With["seating"]; err == nil && half > 0 {
		out.Terms = append(out.Terms, uncertainty.Term{Name: "Seating of the transducer", Distribution: uncertainty.Rectangular, Width: half})
	}
	out.Formula = fmt.Sprintf("error = SPL − (dial + %g dB)", in.With["retspl"])
	return out, err
}

// boneLevel is the level of a bone vibrator in dB HL against the dial: what the mastoid measured in dB re 1 µN, less the
// reference equivalent threshold force level (with: retfl). ISO 389-3.
func boneLevel(in procedure.Input) (procedure.Outcome, error) {
	out, err := hearingLevel(in, "Artificial mastoid", in.With["retfl"])
	out.Formula = fmt.Sprintf("error = force level − (dial + %g dB)", in.With["retfl"])
	return out, err
}

// hearingLevel is a level read on a standard in dB, less a threshold, against the dial. Levels in dB of different references
// do not convert into one another; their differences do, so that an uncertainty in dB of one is one of the other.
func hearingLevel(in procedure.Input, standard string, threshold float64) (procedure.Outcome, error) {
	if len(in.Certified) != 1 {
		return procedure.Outcome{}, fmt.Errorf("exactly one %s is needed for this point, there are %d", strings.ToLower(standard), len(in.Certified))
	}
	terms := in.Certified[0].Terms(standard, 1, in.Years)
	for name, title := range map[string]string{"analyser": "Analyser", "calibrator": "Calibrator that it was set by"} {
		if beside := in.Also[name]; len(beside.Lines) > 0 {
			terms = append(terms, beside.Lines[0].Terms(title, 1, beside.Years)...)
			if beside.Found > 0 {
				terms = append(terms, uncertainty.Term{Name: title + ", as its check found it", Distribution: uncertainty.Rectangular, Width: beside.Found})
			}
		}
	}
	slices.SortFunc(terms, func(a, b uncertainty.Term) int { return strings.Compare(a.Name, b.Name) })
	return procedure.Outcome{Reference: in.Target, Unit: in.Shown, Factor: 1, ReadingOffset: -threshold, Terms: terms, Delivers: true}, nil
}

// attenuatorStep compares the step from the level read before with the step of the dial:
// the first level is where a series begins, and has no error. The analyser's own error
// falls out of the difference; its step accuracy remains.
func attenuatorStep(in procedure.Input) (procedure.Outcome, error) {
	c, _, factor, err := in.Only("analyser")
	if err != nil {
		return procedure.Outcome{}, err
	}
	out := procedure.Outcome{Reference: in.Target * factor, Unit: in.Shown, Factor: factor,
		Terms: []uncertainty.Term{{Name: "Step of the analyser, a quarter of its level's",
			Distribution: uncertainty.Normal, Width: c.U / 4, K: c.K}},
		Formula: "error = (level − level before) − (dial − dial before)"}
	switch {
	case in.Before != nil:
		out.Reference = in.Before.Reading + (in.Target-in.Before.Target)*factor
	case len(in.Readings) > 0:
		out.Reference = stat.Mean(in.Readings, nil)
	}
	return out, nil
}

// toneTimes is how long a tone takes from −20 to −1 dB of its level when it is switched
// on, in ms, or back when it is switched off (with: fall). The trace is its envelope in dB
// of its level. IEC 60645-1.
func toneTimes(in procedure.CaptureInput) procedure.LiveReading {
	trace := in.Trace()
	fall := in.With["fall"] > 0
	cross := func(i int, level float64) float64 {
		a, b := trace[i-1], trace[i]
		return a.T + (level-a.V)/(b.V-a.V)*(b.T-a.T)
	}
	first, second := -20.0, -1.0
	if fall {
		first, second = second, first
	}
	from := math.NaN()
	var times []float64
	for i := 1; i < len(trace); i++ {
		passed := func(level float64) bool {
			return !fall && trace[i-1].V < level && trace[i].V >= level ||
				fall && trace[i-1].V > level && trace[i].V <= level
		}
		if passed(first) {
			from = cross(i, first)
		}
		if passed(second) && !math.IsNaN(from) {
			times, from = append(times, 1000*(cross(i, second)-from)), math.NaN()
		}
	}
	times = times[max(0, len(times)-max(1, in.Count)):]
	live := procedure.LiveReading{Why: "waiting for the tone to be switched"}
	if len(times) == 0 {
		return live
	}
	middle := stat.Mean(times, nil)
	live.Value, live.Values = &middle, times
	if live.Steady = len(times) >= in.Count; live.Steady {
		live.Why = fmt.Sprintf("%d times", len(times))
	} else {
		live.Why = fmt.Sprintf("%d more", in.Count-len(times))
	}
	return live
}

// earphones tells one frequency from a whole ear. Points say which ear (1 right, 2 left)
// and the frequency in hertz.
func earphones(c procedure.FindingInput) procedure.Diagnosis {
	var off []procedure.JudgedPoint
	mean := map[float64]float64{}
	count := map[float64]float64{}
	out := map[float64]int{}
	for _, p := range c.Points {
		ear := p.With["ear"]
		mean[ear] += p.Error
		count[ear]++
		if math.Abs(p.ErrorToLimit) > 1 {
			off = append(off, p)
			out[ear]++
		}
	}
	for ear, name := range map[float64]string{1: "right", 2: "left"} {
		if n := count[ear]; n > 2 && float64(out[ear]) > n/2 && out[3-ear] == 0 {
			return procedure.Diagnosis{Shape: "ear",
				Words: fmt.Sprintf("Nearly every frequency of the %s ear is off, by %s dB on average: its cable, its driver, or the coupler’s seat.", name, quantity.FormatSigned(mean[ear]/n, 0.1)), Investigate: true}
		}
	}
	switch len(off) {
	case 0:
		return procedure.Diagnosis{Shape: "none", Words: "Every level is inside its limit."}
	case 1:
		return procedure.Diagnosis{Shape: "frequency",
			Words: fmt.Sprintf("Only %s is off, by %s dB: the earphone’s resonance, or its entry.", off[0].Label,
				quantity.FormatSigned(off[0].Error, 0.1))}
	}
	return procedure.Diagnosis{Shape: "several", Words: fmt.Sprintf("%d levels are off in both ears.", len(off))}
}

// attenuator tells a step that is wrong from a room that is too loud for the lowest
// levels: there the acoustic series fails, and the electrical one does not (with: electric).
func attenuator(c procedure.FindingInput) procedure.Diagnosis {
	acoustic, electric, high := 0, 0, 0
	n := 0
	for _, p := range c.Points {
		if p.With["electric"] == 0 {
			n++
		}
	}
	i := 0
	for _, p := range c.Points {
		out := math.Abs(p.ErrorToLimit) > 1
		switch {
		case p.With["electric"] > 0 && out:
			electric++
		case p.With["electric"] == 0:
			if out {
				acoustic++
				if i < n*2/3 {
					high++
				}
			}
			i++
		}
	}
	whole := overTheRange(c.Points)
	switch {
	case acoustic+electric == 0:
		return whole
	case electric == 0 && high == 0:
		return procedure.Diagnosis{Shape: "floor", Investigate: true,
			Words: "Only the lowest acoustic steps fail, and electrically the same steps are right: room noise, not the attenuator."}
	}
	count := "1 step is"
	if n := acoustic + electric; n > 1 {
		count = fmt.Sprintf("%d steps are", n)
	}
	return procedure.Diagnosis{Shape: "steps", Words: count + " wrong: the attenuator, or its contacts.", Fails: whole.Fails}
}

// usual is the setting that levels are held against, in dB, where it was read; else the first.
const usual = 70

// shortestJoin is how far apart, in dB, the shared settings of both series must lie at least.
const shortestJoin = 10

// overTheRange judges what single steps do not show: levels that drift off the dial step by step, beyond the limit of a level,
// and two series that do not agree where they overlap. Points say their dial and whether they are electric (1); one of them
// the limits, level and join, in dB.
func overTheRange(points []procedure.JudgedPoint) procedure.Diagnosis {
	var heard, wired []DialLevel
	level, join := 0.0, 0.0
	for _, p := range points {
		l := DialLevel{p.With["dial"], p.Reference + p.Error}
		level, join = max(level, p.With["level"]), max(join, p.With["join"])
		if p.With["electric"] > 0 {
			wired = append(wired, l)
		} else {
			heard = append(heard, l)
		}
	}
	if len(heard) == 0 || level == 0 {
		return procedure.Diagnosis{Shape: "none", Words: "Every step is within its limit."}
	}
	reference := heard[0].Dial
	if slices.ContainsFunc(heard, func(l DialLevel) bool { return l.Dial == usual }) {
		reference = usual
	}
	a, err := AttenuatorLevels(reference, heard, wired)
	if err != nil {
		return procedure.Diagnosis{Shape: "unknown", Words: err.Error()}
	}
	joined := fmt.Sprintf("joined over %d settings, to within %s dB", a.Shared, quantity.Format(a.JoinResidual, 0.1))
	broken := a.Joined && a.JoinResidual > join
	if a.Shared < 2 || a.Span < shortestJoin || broken { // the wired series says nothing of levels then
		joined = "the electrical series is not joined to it: only its steps are judged"
		if a, err = AttenuatorLevels(reference, heard, nil); err != nil {
			return procedure.Diagnosis{Shape: "unknown", Words: err.Error()}
		}
	}
	off := fmt.Sprintf("at %s dB the level is %s dB off the dial", quantity.Format(a.Largest.Dial, 1), quantity.FormatSigned(a.Largest.DB, 0.1))
	switch {
	case math.Abs(a.Largest.DB) > level:
		fails := fmt.Sprintf("%s, more than %g dB", off, level)
		return procedure.Diagnosis{Shape: "level", Investigate: true, Fails: fails,
			Words: "Small errors of the steps add up: " + fails + "; " + joined + "."}
	case broken:
		return procedure.Diagnosis{Shape: "join", Investigate: true, Fails: fmt.Sprintf("the acoustic and the electrical series differ by more than %g dB where they overlap", join),
			Words: "The two series do not agree where they overlap: another path, a wrong cable, or a jump in the attenuator between them. Read the overlap again."}
	}
	return procedure.Diagnosis{Shape: "none", Words: fmt.Sprintf("Every step is within its limit, and the level stays with the dial: at most %s; %s.", off, joined)}
}

// testRoom judges a room's octave bands by the tables whose bands were measured, and says the lowest hearing level that can
// honestly be tested in it, by the one that was chosen. Points say their band under hertz, and their table (1 occupational,
// 2 ears covered, 3 ears not covered).
func testRoom(c procedure.FindingInput) procedure.Diagnosis {
	levels, chosen := map[int]float64{}, 0
	for _, p := range c.Points {
		levels[int(p.With["hertz"])] = p.Reference + p.Error
		chosen = int(p.With["table"])
	}
	seen := procedure.Diagnosis{Shape: "room"}
	lowest, thresholds := 0.0, false
	for i, table := range []struct {
		of    RoomTable
		words string
	}{{OSHATableD1, "For occupational programmes (29 CFR 1910.95, table D-1)"},
		{EarsCovered, "For thresholds down to 0 dB (ANSI/ASA S3.1, ears covered)"},
		{EarsUncovered, "For thresholds down to 0 dB by bone (ANSI/ASA S3.1, ears not covered)"}} {
		r, err := table.of.Judge(levels)
		if err != nil { // its bands were not measured: nothing is said by it
			continue
		}
		verdict := "quiet enough"
		if r.MarginDB < 0 {
			verdict = "too loud"
		}
		seen.Lines = append(seen.Lines, fmt.Sprintf("%s: %s, the worst band is %d Hz with %s dB in hand", table.words,
			verdict, r.BandHz, quantity.FormatSigned(r.MarginDB, 0.1)))
		if table.of != OSHATableD1 && i+1 == chosen {
			lowest, thresholds = math.Max(0, 5*math.Ceil(-r.MarginDB/5)), true
		}
	}
	seen.Words = "The room against its table; how low can be tested in it is said by the tables for thresholds only."
	if thresholds {
		seen.Words = fmt.Sprintf("The lowest hearing level that can honestly be tested here is about %g dB HL.", lowest)
	}
	return seen
}

// LevelError is the error of a tone's level in dB: what the coupler measured, against
// the dial with the reference equivalent threshold of the earphone. ANSI/ASA S3.6.
func LevelError(measuredSPL, dialHL, retspl float64) float64 { return measuredSPL - (dialHL + retspl) }

// StepErrors are the errors of each step of an attenuator in dB, and the largest by
// magnitude; both series have the same length, two at least, whichever way the dial runs.
func StepErrors(dial, measured []float64) ([]float64, float64, error) {
	if len(dial) != len(measured) || len(dial) < 2 {
		return nil, 0, fmt.Errorf("steps need two levels at least, as many measured as dialled: there are %d and %d",
			len(measured), len(dial))
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

	EarsUncovered RoomTable = "ansi-s3.1-ears-not-covered-125-8000" // ANSI/ASA S3.1-1999
)

var roomTables = map[RoomTable]map[int]float64{
	OSHATableD1: {500: 40, 1000: 40, 2000: 47, 4000: 57, 8000: 62},
	EarsCovered: {125: 49, 250: 35, 500: 21, 1000: 26, 2000: 34, 4000: 37, 8000: 37},

	EarsUncovered: {125: 29, 250: 21, 500: 16, 1000: 13, 2000: 14, 4000: 11, 8000: 14},
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
