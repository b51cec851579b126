package reference

import (
	"fmt"
	"math"
	"time"

	"northneedle/core/interval"
)

// Absence is where a standard is that was sent out, to be calibrated or repaired.
type Absence struct {
	To    string     `json:"to"`
	Since time.Time  `json:"since"`
	Until *time.Time `json:"until,omitempty"` // when it is due back; nil: no day was agreed
	Price float64    `json:"price,omitempty"` // agreed, in the currency of the workshop's prices
}

// Words say it in a sentence without its stop: "with Fennick Metrology since 2026-03-02, due back on 2026-03-20".
func (a Absence) Words(now time.Time) string {
	text := fmt.Sprintf("with %s since %s", a.To, a.Since.Format(time.DateOnly))
	switch {
	case a.Until == nil:
	case interval.Past(*a.Until, now):
		text += "; it was due back on " + a.Until.Format(time.DateOnly)
	default:
		text += ", due back on " + a.Until.Format(time.DateOnly)
	}
	return text
}

// AsFound is what was found of a standard, by a laboratory before it changed anything or by a check between two certificates:
// the true value of one line of its last certificate, with the expanded uncertainty U (k = 2), both in the line's unit.
type AsFound struct {
	Quantity string   `json:"quantity" minLength:"1" maxLength:"60"`
	Piece    string   `json:"piece,omitempty" maxLength:"60"`
	At       *float64 `json:"at,omitempty" doc:"what it should be, where its certificate covers a range"`
	Value    float64  `json:"value"`
	U        float64  `json:"u" minimum:"0"`
}

// Moved is a standard's value as found against the one that was certified last.
type Moved struct {
	AsFound
	Certified float64 `json:"certified"`
	Unit      string  `json:"unit"`
	By        float64 `json:"by"`      // found less certified
	Allowed   float64 `json:"allowed"` // what it may have moved by, unnoticed and stated
	Held      bool    `json:"held"`    // it stayed within that: what rested on it stands
}

// Compare holds what was found of a standard against its certificate of before. It may have moved by the drift that the
// certificate allows for the years since, and be off by both uncertainties besides, which are expanded to k = 2 and added by
// their squares: |found − certified| ≤ drift·years + √(U² + u²), the idea of the En number (ISO 13528) with drift. Of a line that
// covers a range the certified value is what it should have been there. The error names a quantity that the certificate
// states neither as a value nor as a range around that.
func Compare(found AsFound, before []Certified, certified, at time.Time) (m Moved, err error) {
	for _, line := range before {
		ranged := line.From != 0 || line.To != 0
		if line.Quantity != found.Quantity || line.Piece != found.Piece || ranged && (found.At == nil || !line.Covers(*found.At)) {
			continue
		}
		should := line.Value
		if ranged {
			should = *found.At
		}
		years := max(0, at.Sub(certified).Hours()/24/365.25)
		m = Moved{AsFound: found, Certified: should, Unit: line.Unit, By: found.Value - should}
		m.Allowed = line.DriftPerYear*years + math.Hypot(2*line.U/line.K, found.U)
		m.Held = math.Abs(m.By) <= m.Allowed
		return m, nil
	}
	return m, fmt.Errorf("%s: its last certificate states no value of that, and no range around what it should be", found.Quantity)
}
