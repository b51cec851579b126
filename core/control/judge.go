package control

import (
	"fmt"
	"math"
	"strings"
)

// Verdict is what the multirule says of the last run of a series.
type Verdict struct {
	Fired      []Rule `json:"fired"`
	Rejected   bool   `json:"rejected"`
	Warning    bool   `json:"warning"`
	Suggestion string `json:"suggestion,omitempty" enum:"random,systematic"`
	Words      string `json:"words"`
}

// sort of error that each rule points to.
var pointsTo = map[Rule]string{
	R13s: "random",
	R4s:  "random",
	R22s: "systematic",
	R41s: "systematic",
	R10x: "systematic",
}

// Judge says whether a run is accepted. runs and starts are as for [Rule.First]; the run judged is
// i. 1-2s by itself only warns; any other rule rejects. What it suggests: 1-3s and R-4s
// a random error, 2-2s, 4-1s and 10-x a systematic one. CLSI C24.
func Judge(runs [][]float64, i int, starts ...int) Verdict {
	segment := segmentOf(runs, starts, i)
	v := Verdict{Fired: []Rule{}}
	kinds := map[string]bool{}
	for _, rule := range Rules {
		if !rule.At(segment, len(segment)-1) {
			continue
		}
		v.Fired = append(v.Fired, rule)
		if rule == R12s {
			v.Warning = true
			continue
		}
		v.Rejected = true
		kinds[pointsTo[rule]] = true
	}
	switch {
	case kinds["systematic"]:
		v.Suggestion = "systematic"
	case kinds["random"]:
		v.Suggestion = "random"
	}
	var names []string // of the rules that reject: 1-2s never does
	for _, rule := range v.Fired {
		if rule != R12s {
			names = append(names, string(rule))
		}
	}
	switch {
	case v.Suggestion == "systematic":
		v.Words = fmt.Sprintf("Rejected by %s: it suggests a systematic error. Calibrator, reagent lot, temperature, lamp.", strings.Join(names, ", "))
	case v.Rejected:
		v.Words = fmt.Sprintf("Rejected by %s: it suggests a random error. Bubble, drop on the tip, mixing, a clot.",
			strings.Join(names, ", "))
	case v.Warning:
		v.Words = "Accepted, with a warning (1-2s): look at the next one."
	default:
		v.Words = "Accepted."
	}
	return v
}

// Sigma is the sigma metric of a method at a level: (total error allowed − |bias|) ÷ CV,
// all in percent; the CV must be above zero.
func Sigma(allowed, bias, cv float64) (float64, error) {
	if !(cv > 0) || math.IsInf(cv, 0) {
		return 0, fmt.Errorf("the coefficient of variation must be above zero, it is %g %%", cv)
	}
	return (allowed - math.Abs(bias)) / cv, nil
}

// SigmaWords says what a sigma metric is worth.
func SigmaWords(sigma float64) string {
	switch {
	case sigma >= 6:
		return "excellent: 1-3s is rule enough"
	case sigma >= 4:
		return "good: keep the multirule"
	case sigma >= 3:
		return "poor: every rule, and more controls"
	}
	return "not fit for this requirement"
}
