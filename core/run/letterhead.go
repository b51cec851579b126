package run

import (
	"fmt"
	"slices"
	"strings"

	"northneedle/core/procedure"
	"northneedle/core/quantity"
)

// Letterhead is what a lab's papers carry besides its name.
type Letterhead struct {
	Address       string        `json:"address,omitempty"`
	Logo          string        `json:"logo,omitempty"` // hash of the picture, which is kept beside the record
	Accreditation Accreditation `json:"accreditation,omitzero"`
}

// Accreditation is what a lab is accredited for, and by whom (ISO/IEC 17025). The zero value: for nothing.
type Accreditation struct {
	Body   string  `json:"body,omitempty"`
	Number string  `json:"number,omitempty"`
	Scope  []Scope `json:"scope,omitempty"`
}

// Scope is one line of an accreditation: a quantity, as a measure of a procedure reads it, over a range, with the least
// expanded uncertainty (k = 2) that may be stated of it.
type Scope struct {
	Procedure string  `json:"procedure"`
	Measure   string  `json:"measure"`
	From      float64 `json:"from"`
	To        float64 `json:"to"`
	Unit      string  `json:"unit"` // UCUM
	CMC       float64 `json:"cmc"`  // in Unit
}

// Check reports the first thing that is wrong with an accreditation, if anything.
func (a Accreditation) Check() error {
	if (a.Body == "") != (a.Number == "") || a.Body == "" && len(a.Scope) > 0 {
		return fmt.Errorf("give the body that accredits and its number, or neither and no scope")
	}
	for i, s := range a.Scope {
		if _, err := quantity.ParseUnit(s.Unit); err != nil {
			return fmt.Errorf("scope %d: %w", i+1, err)
		}
		switch {
		case s.Procedure == "" || s.Measure == "":
			return fmt.Errorf("scope %d: say which measure of which procedure", i+1)
		case !(s.From <= s.To):
			return fmt.Errorf("scope %d: the range goes from the lower to the upper end", i+1)
		case !(s.CMC > 0):
			return fmt.Errorf("scope %d: the least uncertainty is above 0", i+1)
		}
	}
	return nil
}

// Accredited reports whether a verdict may be printed as accredited: quantity, range and method are in the scope, and U is
// not below its least uncertainty.
func (r Run) Accredited(m *procedure.Measure, v Verdict) bool {
	return slices.ContainsFunc(r.Lab.Letterhead.Accreditation.Scope, func(s Scope) bool {
		if s.Procedure != r.Procedure.ID || s.Measure != m.ID {
			return false
		}
		at, err := quantity.Convert(v.Reference, v.Unit, s.Unit)
		above, err2 := quantity.Convert(v.Reference+v.U, v.Unit, s.Unit)
		return err == nil && err2 == nil && at >= s.From && at <= s.To && above-at >= s.CMC*(1-1e-9)
	})
}

// Words names an accreditation in a line.
func (a Accreditation) Words() string { return strings.TrimSpace(a.Body + " no. " + a.Number) }
