package control

import (
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"northneedle/core/interval"

	"gonum.org/v1/gonum/stat"
)

// Lot is a lot of control material of one level, with its target.
type Lot struct {
	ID       string
	Number   string
	Level    int // 1 and up
	Mean, SD float64
	Allowed  float64 // total error allowed, percent; 0 where none is stated
	From     time.Time
	Expires  time.Time
}

// Value is what one measurement of a lot gave, in the lot's unit.
type Value struct {
	Run   string // values of one run are judged together
	Lot   string // its id
	At    time.Time
	Value float64
}

// Point is one level in one run.
type Point struct {
	Level int     `json:"level"`
	Lot   string  `json:"lot"`
	Value float64 `json:"value"`
	Z     float64 `json:"z"`
}

// Run is one control run with its verdict.
type Run struct {
	ID     string
	At     time.Time
	Points []Point
	Begins string // why a new segment begins with it; empty where it goes on
	Verdict
}

// Start is a calibration or a corrective action. The rules do not count control runs from before it together with later ones.
type Start struct {
	At  time.Time
	Why string
}

// Series is an analyte's controls on an analyser over time.
type Series struct {
	Runs     []Run
	Blocked  bool       // the last run was rejected: no patient work
	LastGood *time.Time // when controls were last accepted; what came after is in doubt
	Words    string
}

// SeriesOf groups values, the oldest first, into runs, scores each by the target of its own lot, and
// judges each run together with the runs before it in its segment: one begins with the first run after a start, and where a
// level's lot is a new one. It leaves out a value whose lot is unknown or has
// no standard deviation.
func SeriesOf(lots []Lot, values []Value, starts ...Start) Series {
	s := Series{Runs: []Run{}, Words: "No control was measured yet."}
	of, top := map[string]Lot{}, 0
	for _, lot := range lots {
		of[lot.ID] = lot
		top = max(top, lot.Level)
	}
	var z [][]float64
	for _, v := range values {
		lot := of[v.Lot]
		score, err := Z(v.Value, lot.Mean, lot.SD)
		if err != nil {
			continue
		}
		if n := len(s.Runs); n == 0 || s.Runs[n-1].ID != v.Run {
			s.Runs = append(s.Runs, Run{ID: v.Run, At: v.At, Points: []Point{}})
			scores := make([]float64, top)
			for i := range scores {
				scores[i] = math.NaN()
			}
			z = append(z, scores)
		}
		last := &s.Runs[len(s.Runs)-1]
		last.Points = append(last.Points, Point{lot.Level, lot.Number, v.Value, score})
		if lot.Level > 0 {
			z[len(z)-1][lot.Level-1] = score
		}
	}
	var begins []int
	for i := range s.Runs {
		r := &s.Runs[i]
		if i > 0 {
			if r.Begins = beginning(s.Runs[i-1], *r, s.Runs[:i], starts); r.Begins != "" {
				begins = append(begins, i)
			}
		}
		r.Verdict = Judge(z, i, begins...)
		if !r.Rejected {
			s.LastGood = &r.At
		}
		s.Blocked, s.Words = r.Rejected, r.Words
	}
	return s
}

// beginning says why a new segment begins with a run; empty where the series goes on. A lot is new where another of its level
// was measured last.
func beginning(last, run Run, before []Run, starts []Start) string {
	var why []string
	for _, s := range starts {
		if s.At.After(last.At) && !s.At.After(run.At) {
			why = append(why, s.Why)
		}
	}
	for _, p := range run.Points {
		for i := len(before) - 1; i >= 0; i-- {
			if at := slices.IndexFunc(before[i].Points, func(q Point) bool { return q.Level == p.Level }); at >= 0 {
				if lot := before[i].Points[at].Lot; lot != p.Lot {
					why = append(why, fmt.Sprintf("lot %s of level %d", p.Lot, p.Level))
				}
				break
			}
		}
	}
	return strings.Join(why, ", ")
}

// InUse are the lots in use at a time, one of each level: the one that was begun last.
func InUse(lots []Lot, now time.Time) []Lot {
	latest := map[int]Lot{}
	for _, lot := range lots {
		if !lot.From.After(now) && lot.From.After(latest[lot.Level].From) {
			latest[lot.Level] = lot
		}
	}
	used := make([]Lot, 0, len(latest))
	for _, lot := range latest {
		used = append(used, lot)
	}
	slices.SortFunc(used, func(a, b Lot) int { return a.Level - b.Level })
	return used
}

// Expired reports whether the lot's last day is past.
func (l Lot) Expired(now time.Time) bool { return interval.Past(l.Expires, now) }

// Performance is what a method does at one level, in percent of its mean.
type Performance struct {
	N     int      `json:"n"`
	Bias  float64  `json:"bias" doc:"of what was found with this lot, percent of its mean"`
	CV    float64  `json:"cv" doc:"percent"`
	Sigma *float64 `json:"sigma,omitempty"`
	Words string   `json:"words"`
}

// Performance is the bias, the coefficient of variation (sample standard deviation ÷ mean) and the
// sigma metric of the values measured of a lot. Fewer than three values say nothing yet.
func (l Lot) Performance(values []Value) Performance {
	var of []float64
	for _, v := range values {
		if v.Lot == l.ID {
			of = append(of, v.Value)
		}
	}
	p := Performance{N: len(of)}
	if p.N < 3 || l.Mean == 0 {
		return p
	}
	mean, sd := stat.MeanStdDev(of, nil)
	p.Bias, p.CV = 100*(mean-l.Mean)/l.Mean, 100*sd/math.Abs(mean)
	if sigma, err := Sigma(l.Allowed, p.Bias, p.CV); err == nil && l.Allowed > 0 {
		p.Sigma, p.Words = &sigma, SigmaWords(sigma)
	}
	return p
}
