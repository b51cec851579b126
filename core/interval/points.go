package interval

import (
	"math"
	"slices"
	"time"
)

// Reading is what one point of a device was off by in one run. Error and limits are in Unit, a UCUM
// code; a limit may be missing.
type Reading struct {
	Measure, Point, Label, Unit string

	At        time.Time
	Error     float64
	Low, High *float64
	AsLeft    bool // after an adjustment
}

// PointHistory is how one point of a device went since it was last adjusted; the limits are those
// of its last reading.
type PointHistory struct {
	Measure, Point, Label, Unit string

	Low, High *float64
	Shown     []Shown // the oldest first
}

// HistoriesOf groups a device's readings by point, the oldest first. The history of a point restarts
// at its as-left reading whenever it was adjusted.
func HistoriesOf(readings []Reading) []PointHistory {
	readings = slices.Clone(readings)
	slices.SortStableFunc(readings, func(a, b Reading) int { return a.At.Compare(b.At) })
	all := []PointHistory{}
	for _, r := range readings {
		at := slices.IndexFunc(all, func(p PointHistory) bool { return p.Measure == r.Measure && p.Point == r.Point })
		if at < 0 {
			at = len(all)
			all = append(all, PointHistory{Measure: r.Measure, Point: r.Point})
		}
		p := &all[at]
		if r.AsLeft {
			p.Shown = nil
		}
		p.Label, p.Unit, p.Low, p.High = r.Label, r.Unit, r.Low, r.High
		p.Shown = append(p.Shown, Shown{r.At, r.Error})
	}
	return all
}

// Trend is how the point moves; see [TrendOf].
func (p PointHistory) Trend() (Trend, error) { return TrendOf(p.Shown, p.Low, p.High, p.Unit) }

// Course is the history counted in days from its first reading.
func (p PointHistory) Course() Course {
	c := Course{Label: p.Label, Low: math.Inf(-1), High: math.Inf(1)}
	if p.Low != nil {
		c.Low = *p.Low
	}
	if p.High != nil {
		c.High = *p.High
	}
	for _, s := range p.Shown {
		c.Days = append(c.Days, s.At.Sub(p.Shown[0].At).Hours()/24)
		c.Errors = append(c.Errors, s.Error)
	}
	return c
}

// Verification is a signed run on a device, and whether every point was inside its limits as found.
type Verification struct {
	Device      string
	At          time.Time
	InTolerance bool
}

// RecordsOf are verifications of one model, by device and then by time, as the ways of finding an
// interval count them: each a day or more after the one before; and each device's own.
func RecordsOf(all []Verification) (model []Record, own map[string][]bool) {
	own = map[string][]bool{}
	for i, v := range all {
		own[v.Device] = append(own[v.Device], v.InTolerance)
		if i > 0 && all[i-1].Device == v.Device {
			if days := v.At.Sub(all[i-1].At).Hours() / 24; days >= 1 {
				model = append(model, Record{Days: days, InTolerance: v.InTolerance})
			}
		}
	}
	return model, own
}

// Holding is the interval, risk and rule of one device among the devices of its model.
type Holding struct {
	Days  int // its interval
	Risk  int
	Fixed bool // a rule binds it
}

// CommonOf summarises the devices of a model: the most frequent interval, the highest risk (1 to 5), and
// whether a rule fixes any of them.
func CommonOf(all []Holding) (common Holding) {
	count := map[int]int{}
	for _, h := range all {
		if count[h.Days]++; count[h.Days] > count[common.Days] || common.Days == 0 {
			common.Days = h.Days
		}
		common.Risk, common.Fixed = max(common.Risk, h.Risk), common.Fixed || h.Fixed
	}
	common.Risk = max(1, min(5, common.Risk))
	return common
}
