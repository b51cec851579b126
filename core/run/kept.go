package run

import (
	"fmt"

	"northneedle/core/procedure"
)

// FittedPart is a part that was fitted in a run, with what stands on it.
type FittedPart struct {
	Title  string
	Amount int
	Number string // its maker's order number
	Lot    string // its lot or serial number; empty where it bears none
}

// Words are the part with what stands on it: "2 × Gas inlet filter (order number F-20)".
func (p FittedPart) Words() string {
	words := procedure.ExchangedPart{Title: p.Title, Amount: p.Amount}.Named()
	if p.Lot != "" {
		return fmt.Sprintf("%s (order number %s, lot or serial number %s)", words, p.Number, p.Lot)
	}
	return fmt.Sprintf("%s (order number %s)", words, p.Number)
}

// Fitted are the parts that were fitted in the run.
func (r Run) Fitted() (parts []FittedPart) {
	for _, p := range r.Procedure.Exchanged() {
		number, lot := p.Numbers(r.Choices)
		if number == "" && lot == "" {
			continue
		}
		parts = append(parts, FittedPart{Title: p.Title, Amount: max(1, p.Amount), Number: number, Lot: lot})
	}
	return parts
}

// Count is what a counter of the device showed.
type Count struct {
	Of      string // in the words of the duties that go by it: "hours"
	Shows   float64
	SetBack bool // it was set back to nothing after it was read
}

// Counts are the counters of the device that were read in the run.
func (r Run) Counts() (counts []Count) {
	for f := range r.Procedure.Fields() {
		if v, read := r.Plate[f.ID]; read && f.Counts != "" {
			counts = append(counts, Count{Of: f.Counts, Shows: v, SetBack: f.SetBack})
		}
	}
	return counts
}

// Software is the version of the device's software as the run recorded it; empty where it did not.
func (r Run) Software() string {
	for f := range r.Procedure.Fields() {
		if f.Keeps == procedure.Software && r.Choices[f.ID] != "" {
			return r.Choices[f.ID]
		}
	}
	return ""
}
