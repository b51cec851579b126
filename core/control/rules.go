// Package control watches series of control measurements: the rules that fire when
// an analyser wanders or scatters.
package control

import (
	"fmt"
	"math"
)

// Rule is one of the multirule set.
type Rule string

const (
	R12s Rule = "1-2s" // one value beyond 2 SD: a warning
	R13s Rule = "1-3s" // one value beyond 3 SD
	R22s Rule = "2-2s" // two beyond 2 SD on the same side
	R4s  Rule = "R-4s" // one level above +2 SD and another below −2 SD in one run
	R41s Rule = "4-1s" // four in a row of one level beyond 1 SD on the same side
	R10x Rule = "10-x" // ten in a row of one level on the same side of the mean
)

// Rules lists them, from a warning to the subtlest.
var Rules = []Rule{R12s, R13s, R22s, R4s, R41s, R10x}

// Z is (value − mean) ÷ SD, or an error where the SD is not above zero.
func Z(value, mean, sd float64) (float64, error) {
	if !(sd > 0) || math.IsInf(sd, 0) {
		return 0, fmt.Errorf("the control's standard deviation must be above zero, it is %g", sd)
	}
	return (value - mean) / sd, nil
}

// First is the index of the first run at which a rule fires, and false where it never
// does. Starts are the indices of runs at which a new segment begins, after a calibration, a new lot or a corrective
// action, in any order; the first run begins one in any case, and a rule sees only runs of one. runs[i][j] is the z score of level j in run i; every run has the same levels,
// NaN where a level was not measured. Comparisons are strict; a rule fires at the run
// that completes its pattern and waits for no other rule. CLSI C24.
func (rule Rule) First(runs [][]float64, starts ...int) (int, bool) {
	for i := range runs {
		if segment := segmentOf(runs, starts, i); rule.At(segment, len(segment)-1) {
			return i, true
		}
	}
	return 0, false
}

// segmentOf are the runs of a run's own segment, up to it.
func segmentOf(runs [][]float64, starts []int, i int) [][]float64 {
	from := 0
	for _, s := range starts {
		if s <= i {
			from = max(from, s)
		}
	}
	return runs[from : i+1]
}

// At reports whether the rule fires at a run of one segment.
func (rule Rule) At(runs [][]float64, i int) bool {
	switch rule {
	case R12s:
		return anyBeyond(runs[i], 2)
	case R13s:
		return anyBeyond(runs[i], 3)
	case R22s:
		return count(runs[i], 2) >= 2 || count(runs[i], -2) >= 2 || eachLevel(runs, i, 2, 2)
	case R4s:
		return count(runs[i], 2) >= 1 && count(runs[i], -2) >= 1
	case R41s:
		return eachLevel(runs, i, 4, 1)
	case R10x:
		return eachLevel(runs, i, 10, 0)
	}
	return false
}

func anyBeyond(run []float64, limit float64) bool {
	return count(run, limit) > 0 || count(run, -limit) > 0
}

// count is how many values of a run are beyond a limit, on the limit's side.
func count(run []float64, limit float64) (n int) {
	for _, z := range run {
		if limit >= 0 && z > limit || limit < 0 && z < limit {
			n++
		}
	}
	return n
}

// eachLevel reports whether some level's last n values up to run i are all beyond the limit on one side.
func eachLevel(runs [][]float64, i, n int, limit float64) bool {
	if i < n-1 {
		return false
	}
	for level := range runs[i] {
		above, below := 0, 0
		for _, run := range runs[i-n+1 : i+1] {
			if level < len(run) && run[level] > limit {
				above++
			}
			if level < len(run) && run[level] < -limit {
				below++
			}
		}
		if above == n || below == n {
			return true
		}
	}
	return false
}
