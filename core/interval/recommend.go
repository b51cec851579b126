package interval

import (
	"fmt"
	"math"
	"slices"

	"gonum.org/v1/gonum/floats"
)

// Ways of finding an interval.
const (
	ByRule        = "fixed"
	ByStaircase   = "staircase"
	ByDrift       = "drift"
	ByReliability = "reliability"
	ByRisk        = "risk"
)

// Rules are a lab's figures for its intervals.
type Rules struct {
	Targets   [5]float64 `json:"targets"`    // share in tolerance wanted at the end of the interval, by risk 1 to 5
	Ceilings  [5]int     `json:"ceilings"`   // days, by risk 1 to 5
	Floor     int        `json:"floor"`      // days: no shorter, or it is replaced
	Rhythm    int        `json:"rhythm"`     // days: the lab's visiting rhythm, which an interval is rounded down to
	InARow    int        `json:"in_a_row"`   // conforming, before the staircase goes up
	Up        float64    `json:"up"`         // by this factor
	Down      float64    `json:"down"`       // and down by this one, on a failure
	LeastOut  int        `json:"least_out"`  // found out, before a reliability is fitted
	LeastSeen int        `json:"least_seen"` // verifications, before it is
}

// DefaultRules are where a lab begins: 90 % in tolerance at the end, 95 % for life
// support; a year for the gravest, three for the least; half-yearly steps of a month.
var DefaultRules = Rules{
	Targets:   [5]float64{0.85, 0.88, 0.90, 0.92, 0.95},
	Ceilings:  [5]int{1095, 730, 730, 548, 365},
	Floor:     30,
	Rhythm:    30,
	InARow:    3,
	Up:        1.5,
	Down:      0.5,
	LeastOut:  2,
	LeastSeen: 8,
}

// Check reports what is wrong with the rules, if anything.
func (r Rules) Check() error {
	for i, t := range r.Targets {
		if !(t > 0 && t < 1) {
			return fmt.Errorf("targets: the share for risk %d must lie between 0 and 1, it is %g", i+1, t)
		}
		if r.Ceilings[i] < r.Floor || r.Ceilings[i] > 3650 {
			return fmt.Errorf("ceilings: for risk %d it must lie between the floor and 3650 days, it is %d", i+1,
				r.Ceilings[i])
		}
	}
	switch {
	case r.Floor < 1 || r.Rhythm < 1:
		return fmt.Errorf("floor and rhythm must be a day at least")
	case r.InARow < 1 || !(r.Up >= 1) || !(r.Down > 0 && r.Down <= 1):
		return fmt.Errorf("the staircase needs one in a row at least, up by 1 or more, down by 1 or less")
	case r.LeastOut < 1 || r.LeastSeen < 2:
		return fmt.Errorf("a reliability needs one found out and two seen at least")
	}
	return nil
}

// History is what is known of a device and its model when its interval is looked at.
type History struct {
	Current int    // days now
	Fixed   bool   // a rule binds it: the present interval is its ceiling
	Rule    string // whose rule, in words
	Risk    int    // 1 to 5
	Own     []bool // the device's verifications, the oldest first: found in tolerance

	Points []Course // of the device, since it was last adjusted

	Model   []Record // of every device of the model
	Devices int      // that the interval is for
	OfModel int      // that the model's verifications are of
	Hours   float64  // of work for one verification
}

// Course is how one point of the device went since it was last adjusted: days since, the
// errors found, and the limits on them; all in one unit.
type Course struct {
	Label     string
	Days      []float64
	Errors    []float64
	Low, High float64 // infinite on a side without one
}

// Found is what one way of looking gives.
type Found struct {
	Way   string `json:"way" enum:"fixed,staircase,drift,reliability,risk"`
	Days  int    `json:"days"`          // 0 where it cannot tell
	Now   bool   `json:"now,omitempty"` // it is due now; Days are from then on
	Words string `json:"words"`
}

// Choice is one possible interval with its expected consequences.
type Choice struct {
	Days     int     `json:"days"`
	Out      float64 `json:"out"`      // expected share found out of tolerance at its end
	Exposure float64 `json:"exposure"` // device-days a year that such devices were in use unnoticed
	Hours    float64 `json:"hours"`    // of work a year
	Recall   string  `json:"recall"`   // what has to be looked back on where its end is out, in words
}

// Recommendation is an interval with the sentence why, and what others would mean.
type Recommendation struct {
	Days     int      `json:"days"`
	Way      string   `json:"way" enum:"fixed,staircase,drift,reliability,risk"`
	Sentence string   `json:"sentence"`
	Found    []Found  `json:"found"` // by every way
	Curve    []Choice `json:"curve"`
	Now      bool     `json:"now,omitempty"` // it is due now
	Bound    bool     `json:"bound"`         // the curve is a bound, not an estimate: nothing was found out yet
	Records  int      `json:"records"`
	Out      int      `json:"out"`
}

// Recommend looks at a device's history in every way, and recommends: by reliability or by
// drift, whichever has enough data and is shorter, else by the staircase; not beyond the
// ceiling of its risk or its rule, nor below the floor; rounded down to the lab's rhythm.
// ILAC-G24 / OIML D 10; NCSLI RP-1.
func Recommend(h History, rules Rules) (Recommendation, error) {
	if err := rules.Check(); err != nil {
		return Recommendation{}, err
	}
	if h.Current < 1 || h.Risk < 1 || h.Risk > 5 {
		return Recommendation{}, fmt.Errorf("the present interval (%d days) must be a day at least, and the risk (%d) 1 to 5", h.Current, h.Risk)
	}
	r := Recommendation{Records: len(h.Model)}
	for _, m := range h.Model {
		if !m.InTolerance {
			r.Out++
		}
	}
	if h.Current < rules.Rhythm {
		r.Days, r.Way, r.Found, r.Curve = h.Current, ByRule, []Found{{Way: ByRule, Days: h.Current,
			Words: "A check between visits"}}, []Choice{}
		r.Sentence = fmt.Sprintf("Keep %s. It is a check between visits, shorter than the lab's rhythm of %s: it goes by use, not by the record.", InDays(h.Current), InDays(rules.Rhythm))
		return r, nil
	}
	target := rules.Targets[h.Risk-1]
	ceiling := rules.Ceilings[h.Risk-1]
	r.Found = append(r.Found, Found{Way: ByRisk, Days: ceiling,
		Words: fmt.Sprintf("Risk %d: %g %% in tolerance at the end, and %s at most", h.Risk, 100*target, InDays(ceiling))})
	if h.Fixed {
		r.Found = append(r.Found, Found{Way: ByRule, Days: h.Current,
			Words: fmt.Sprintf("A rule binds it (%s): %s at most", orUnnamed(h.Rule), InDays(h.Current))})
		ceiling = min(ceiling, h.Current)
	}
	stair := staircase(h, rules)
	drift := drifts(h)
	reliable, theta := reliability(h, r, rules, target)
	if len(h.Own) > 0 || len(h.Points) > 0 { // one device, not a whole model
		r.Found = append(r.Found, stair, drift)
	}
	r.Found = append(r.Found, reliable)
	best := stair
	if len(h.Own) == 0 {
		best = Found{Way: ByStaircase, Days: h.Current, Words: reliable.Words}
	}
	switch {
	case drift.Now || drift.Days > 0 && (reliable.Days == 0 || drift.Days < reliable.Days):
		best = drift
	case reliable.Days > 0:
		best = reliable
	}
	r.Way, r.Days, r.Now = best.Way, best.Days, best.Now
	limited := ""
	failed := len(h.Own) > 0 && !h.Own[len(h.Own)-1]
	switch {
	case h.Fixed && r.Days >= h.Current:
		r.Way, r.Days, best.Words = ByRule, h.Current, "A rule binds it: "+orUnnamed(h.Rule)
	case failed && r.Days > h.Current:
		limited, r.Days = "; it was found out at its last verification, and is not lengthened", h.Current
	case r.Days > ceiling:
		limited, r.Days = fmt.Sprintf("; the ceiling is %s", InDays(ceiling)), ceiling
	case r.Days < rules.Floor && best.Way == ByDrift:
		limited, r.Days = fmt.Sprintf("; the floor is %s: once it is adjusted its drift begins anew", InDays(rules.Floor)), rules.Floor
	case r.Days < rules.Floor:
		limited, r.Days = fmt.Sprintf("; below the floor of %s: look whether it should be replaced",
			InDays(rules.Floor)), rules.Floor
	}
	r.Days = rounded(r.Days, rules)
	word := "Keep"
	switch {
	case r.Now:
		word = "Verify it now, and from then on every"
	case r.Days > h.Current+rules.Rhythm/2:
		word = "Lengthen to"
	case r.Days < h.Current-rules.Rhythm/2:
		word = "Shorten to"
	default:
		r.Days = h.Current
	}
	r.Sentence = fmt.Sprintf("%s %s. %s%s.%s", word, InDays(r.Days), best.Words, limited, boundAt(h, r.Days))
	r.Curve, r.Bound = curve(h, r, theta)
	return r, nil
}

func orUnnamed(rule string) string {
	if rule == "" {
		return "the maker's, or a local one"
	}
	return rule
}

// rounded brings days down to the lab's rhythm, not below the floor.
func rounded(days int, rules Rules) int {
	return max(rules.Floor, days/rules.Rhythm*rules.Rhythm)
}

// staircase goes up after so many conforming in a row, and down on a failure.
func staircase(h History, rules Rules) Found {
	row := 0
	for i := len(h.Own) - 1; i >= 0 && h.Own[i]; i-- {
		row++
	}
	f := Found{Way: ByStaircase, Days: h.Current}
	switch {
	case len(h.Own) == 0:
		f.Words = "A staircase goes by one device's own verifications, and there are none here"
	case len(h.Own) > 0 && row == 0:
		f.Days = int(float64(h.Current) * rules.Down)
		f.Words = fmt.Sprintf("It was found out at its last verification: %s by the staircase", InDays(f.Days))
	case row >= rules.InARow:
		f.Days = int(float64(h.Current) * rules.Up)
		f.Words = fmt.Sprintf("It conformed %d times in a row: %s by the staircase", row, InDays(f.Days))
	default:
		f.Words = fmt.Sprintf("It conformed %d times in a row, fewer than the %d that lengthen it", row, rules.InARow)
	}
	return f
}

// drifts is how many days after its last verification the first of the device's points may be out, by its own drift.
func drifts(h History) Found {
	f := Found{Way: ByDrift, Words: "Fewer than three errors as found since it was last adjusted: no drift to be seen"}
	least := math.MaxInt
	for _, c := range h.Points {
		d, err := c.Drift()
		if err != nil {
			continue
		}
		left, ever := d.Left(d.last)
		switch {
		case !ever && least == math.MaxInt:
			f.Words = "By its own drift it stays inside"
		case ever && left < least:
			least, f.Days, f.Now = left, left, left == 0
			f.Words = fmt.Sprintf("By its own drift (%s, %d times as found) it may reach its limit %d days after its last verification, with 95 %% confidence not before", c.Label, len(c.Errors), left)
			if f.Now {
				out, _ := d.Out()
				f.Days = max(1, out) // once it is adjusted
				f.Words = fmt.Sprintf("By its own drift (%s, %d times as found) its 95 %% bound is beyond its limit already", c.Label, len(c.Errors))
			}
		}
	}
	return f
}

// boundAt says how much of its limit a device's drift may take at the end of an interval, for the point where it is most;
// empty where no drift is to be seen.
func boundAt(h History, days int) string {
	worst, label := 0.0, ""
	for _, c := range h.Points {
		if d, err := c.Drift(); err == nil {
			if share := d.Share(d.last + float64(days)); share > worst {
				worst, label = share, c.Label
			}
		}
	}
	if label == "" {
		return ""
	}
	return fmt.Sprintf(" At its next due date its 95 %% bound stands at %.0f %% of the limit (%s).", 100*worst, label)
}

// reliability is the interval that keeps the model's share in tolerance, and its θ in days.
func reliability(h History, r Recommendation, rules Rules, target float64) (Found, float64) {
	f := Found{Way: ByReliability}
	switch {
	case r.Out < rules.LeastOut:
		f.Words = fmt.Sprintf("Of the model's %d verifications %d found it out: no reliability can be fitted with fewer than %d", r.Records, r.Out, rules.LeastOut)
	case r.Records < rules.LeastSeen:
		f.Words = fmt.Sprintf("The model's %d verifications, %d of them out, are too few to tell (%d and %d are wanted)", r.Records, r.Out, rules.LeastSeen, rules.LeastOut)
	}
	fit, err := Reliable(h.Model, target)
	if err != nil {
		return f, 0
	}
	if f.Words == "" {
		f.Days = max(1, int(fit.Days))
		f.Words = fmt.Sprintf("%d verifications of %s of this model, %d found out: %d days keep %g %% in tolerance", r.Records, devices(h.OfModel), r.Out, f.Days, 100*target)
	}
	return f, fit.Theta
}

func devices(n int) string {
	if n == 1 {
		return "one device"
	}
	return fmt.Sprintf("%d devices", n)
}

// curve is what intervals around the recommended one would mean. Without anything found
// out, θ is only known to be longer than what 95 % confidence allows: a bound.
func curve(h History, r Recommendation, theta float64) ([]Choice, bool) {
	bound := false
	if theta == 0 {
		days := make([]float64, len(h.Model))
		for i, m := range h.Model {
			days[i] = m.Days
		}
		sum := floats.Sum(days)
		if sum == 0 || r.Out > 0 {
			return []Choice{}, false
		}
		theta, bound = sum/-math.Log(0.05), true
	}
	days := []int{r.Days / 2, r.Days * 3 / 4, r.Days, h.Current, r.Days * 3 / 2, 2 * r.Days, 2 * h.Current, 3 * r.Days}
	slices.Sort(days)
	days = slices.Compact(days)
	var all []Choice
	for _, d := range days {
		if d < 1 {
			continue
		}
		t := float64(d)
		perYear := 365.25 / t * float64(max(1, h.Devices))
		out := -math.Expm1(-t / theta)
		all = append(all, Choice{
			Days:     d,
			Recall:   recall(d, out*perYear, bound),
			Out:      out,
			Exposure: perYear * (t + theta*math.Expm1(-t/theta)),
			Hours:    perYear * h.Hours,
		})
	}
	return all, bound
}

// recall says what a device that is found out at the end of an interval, in days, makes one look back on, and how often a year
// that is to be expected; bound: at most.
func recall(days int, aYear float64, bound bool) string {
	about := "about"
	if bound {
		about = "at most about"
	}
	return fmt.Sprintf("Found out at its end, a device's results of %d days have to be looked back on: by this curve %s %.2g times a year, an estimate.",
		days, about, aYear)
}
