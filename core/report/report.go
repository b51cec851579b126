// Package report adds up what a time of work came to: shares with their doubt, what is
// overdue by risk, and what it cost.
package report

import (
	"fmt"
	"math"
	"slices"
	"time"
)

// Share is how many of all. Low and High bound the share that lies behind the count, at
// 95 %: the Wilson score interval (E. B. Wilson, 1927), which holds for few and for none.
type Share struct {
	Of    int     `json:"of"`
	All   int     `json:"all"`
	Value float64 `json:"value"` // 0 to 1; 0 where there are none at all
	Low   float64 `json:"low"`
	High  float64 `json:"high"`
}

// z95 is the two-sided 95 % quantile of the normal distribution.
const z95 = 1.959963984540054

// ShareOf is a share with its bounds. Of must lie between 0 and all. Of nothing nothing is
// known: the bounds are 0 and 1.
func ShareOf(of, all int) (Share, error) {
	if of < 0 || of > all {
		return Share{}, fmt.Errorf("a share is of 0 to %d, it is %d", all, of)
	}
	if all == 0 {
		return Share{High: 1}, nil
	}
	n, p := float64(all), float64(of)/float64(all)
	middle := (p + z95*z95/(2*n)) / (1 + z95*z95/n)
	half := z95 / (1 + z95*z95/n) * math.Sqrt(p*(1-p)/n+z95*z95/(4*n*n))
	return Share{Of: of, All: all, Value: p, Low: max(0, middle-half), High: min(1, middle+half)}, nil
}

// Done is something that was done, and the day it was due.
type Done struct {
	Due time.Time
	On  time.Time
}

// late is by how many whole days it was done after its day; 0 or less: on time.
func (d Done) late() int {
	day := func(t time.Time) time.Time { return time.Date(t.Year(), t.Month(), t.Day(), 0, 0, 0, 0, time.UTC) }
	return int(day(d.On).Sub(day(d.Due)).Hours() / 24)
}

// Timeliness is how much was done on time, and by how many days the rest was late.
type Timeliness struct {
	Share
	MedianLate int `json:"median_late"` // days, of those that were late; 0 where none was
	WorstLate  int `json:"worst_late"`
}

// OnTime says how much was done up to its day. The whole day counts.
func OnTime(all []Done) Timeliness {
	var late []int
	for _, d := range all {
		if n := d.late(); n > 0 {
			late = append(late, n)
		}
	}
	t := Timeliness{}
	t.Share, _ = ShareOf(len(all)-len(late), len(all))
	if len(late) > 0 {
		slices.Sort(late)
		t.MedianLate, t.WorstLate = late[(len(late)-1)/2], late[len(late)-1]
	}
	return t
}

// Late is something that is overdue: its risk, 1 to 5, and for how many days.
type Late struct{ Risk, Days int }

// Exposure is what is overdue at one risk.
type Exposure struct {
	Risk    int `json:"risk"`
	Count   int `json:"count"`
	Longest int `json:"longest"` // days
	Days    int `json:"days"`    // device-days beyond their day, all together
}

// ByRisk is what is overdue from the gravest risk to the least; also those with none.
func ByRisk(all []Late) []Exposure {
	by := make([]Exposure, 5)
	for i := range by {
		by[i].Risk = 5 - i
	}
	for _, l := range all {
		e := &by[5-min(5, max(1, l.Risk))]
		e.Count++
		e.Longest = max(e.Longest, l.Days)
		e.Days += l.Days
	}
	return by
}

// Prices are what a workshop reckons with. Money is in one currency; 0: not priced.
type Prices struct {
	Currency    string  `json:"currency" maxLength:"10"`
	Hour        float64 `json:"hour" doc:"of a technician"`
	Litre       float64 `json:"litre" doc:"of gas"`
	Certificate float64 `json:"certificate" doc:"of a reference, from outside"`
}

// Check reports what is wrong with prices, if anything.
func (p Prices) Check() error {
	for _, price := range []struct {
		name string
		of   float64
	}{{"an hour", p.Hour}, {"a litre of gas", p.Litre}, {"a certificate", p.Certificate}} {
		if !(price.of >= 0) || math.IsInf(price.of, 0) {
			return fmt.Errorf("%s costs 0 or more, not %g", price.name, price.of)
		}
	}
	return nil
}

// Spent is what work took.
type Spent struct {
	Hours        float64
	Litres       float64
	Certificates int
}

// Cost is what it comes to.
func (p Prices) Cost(s Spent) float64 {
	return p.Hour*s.Hours + p.Litre*s.Litres + p.Certificate*float64(s.Certificates)
}
