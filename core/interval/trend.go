package interval

import (
	"fmt"
	"math"
	"time"

	"northneedle/core/fit"
	"northneedle/core/quantity"

	"gonum.org/v1/gonum/stat/distuv"
)

// Shown is what one point of a device was off by on a day.
type Shown struct {
	At    time.Time
	Error float64
}

// Trend is how a point of a device has moved since it was last adjusted.
type Trend struct {
	N           int        `json:"n"`
	PerMonth    float64    `json:"per_month"`
	U           float64    `json:"u"`           // expanded (95 %) of that
	Significant bool       `json:"significant"` // it can be told from no drift
	About       *time.Time `json:"about,omitempty"`
	From        *time.Time `json:"from,omitempty"` // with 95 % confidence not before
	Words       string     `json:"words"`
}

// daysPerMonth is a mean month.
const daysPerMonth = 365.25 / 12

// TrendOf lays a line through errors by date, the oldest first (three on different days
// at least), and says when it reaches a limit: about then by the line itself, and from
// when on by its one-sided 95 % prediction bound. Errors and limits are in unit, a UCUM
// code; a limit may be missing. The prediction assumes that it goes on as before.
// ISO 11095; ILAC-G24 / OIML D 10.
func TrendOf(shown []Shown, low, high *float64, unit string) (Trend, error) {
	if len(shown) < 3 {
		return Trend{}, fmt.Errorf("three errors as found are needed to see a drift, there are %d", len(shown))
	}
	days, errors, mirrored := make([]float64, len(shown)), make([]float64, len(shown)), make([]float64, len(shown))
	for i, s := range shown {
		days[i], errors[i], mirrored[i] = s.At.Sub(shown[0].At).Hours()/24, s.Error, -s.Error
	}
	line, err := fit.LinearRegression(days, errors)
	if err != nil {
		return Trend{}, err
	}
	t := Trend{N: len(shown), PerMonth: line.Slope * daysPerMonth}
	t.U = distuv.StudentsT{Mu: 0, Sigma: 1, Nu: float64(line.N - 2)}.Quantile(0.975) * line.USlope * daysPerMonth
	t.Significant = math.Abs(t.PerMonth) > t.U
	last := shown[len(shown)-1].At
	reach := func(limit float64, errors []float64, slope, intercept float64) {
		if day := (limit - intercept) / slope; slope > 0 && day < lastDay {
			t.About = earlier(t.About, shown[0].At.Add(time.Duration(day*24)*time.Hour))
		}
		if day, ok, err := DriftTo(days, errors, limit); err == nil && ok {
			t.From = earlier(t.From, shown[0].At.AddDate(0, 0, day))
		}
	}
	if high != nil && *high > 0 {
		reach(*high, errors, line.Slope, line.Intercept)
	}
	if low != nil && *low < 0 {
		reach(-*low, mirrored, -line.Slope, -line.Intercept)
	}
	name := quantity.ShowUnit(unit)
	t.Words = fmt.Sprintf("Moves by %+.2g %s a month (U %.2g, %d times as found)", t.PerMonth, name, t.U, t.N)
	switch {
	case !t.Significant:
		t.Words += ": not to be told from standing still."
		t.About, t.From = nil, nil
	case t.About == nil && (high != nil || low != nil):
		t.Words += ": at this rate its limit is not reached within a hundred years, an estimate."
	case t.About != nil && t.About.After(last):
		t.Words += fmt.Sprintf(": at this rate its limit is reached about %s, an estimate.",
			t.About.Format("January 2006"))
	default:
		t.Words += "."
	}
	return t, nil
}

func earlier(a *time.Time, b time.Time) *time.Time {
	if a != nil && a.Before(b) {
		return a
	}
	return &b
}
