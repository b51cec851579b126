package reference

import (
	"fmt"
	"math"
	"slices"
	"time"

	"northneedle/core/quantity"
)

// ReferenceError is what is known by now of a reference that runs were made with: the true value
// of its quantity is the certified one plus Error, with an expanded uncertainty U (k = 2),
// both in Unit. Remove says that the error is taken out; otherwise it is taken into the
// uncertainty. Where a reference has a range and no value, it can only be taken into that.
type ReferenceError struct {
	Standard string  `json:"standard"` // its id
	Quantity string  `json:"quantity"`
	Piece    string  `json:"piece,omitempty"` // of a kit; empty: it is of all that it certifies for that quantity
	Error    float64 `json:"error"`
	U        float64 `json:"u"`
	Unit     string  `json:"unit"`
	Remove   bool    `json:"remove"`

	Before *time.Time `json:"before,omitempty"` // only what rested on a certificate of before that day; nil: on any
}

// Concerns reports whether the error is of a standard as it was bound: a certificate of the day it was found, or of a later
// one, knows of it already.
func (k ReferenceError) Concerns(s Standard) bool {
	return s.ID == k.Standard && (k.Before == nil || s.Certificate.On.Before(*k.Before))
}

// Check reports what is wrong with it, if anything.
func (k ReferenceError) Check() error {
	switch {
	case k.Standard == "" || k.Quantity == "":
		return fmt.Errorf("say which reference, and which of its quantities")
	case math.IsNaN(k.Error) || math.IsInf(k.Error, 0) || k.Error == 0:
		return fmt.Errorf("say by how much it is off: more than nothing")
	case !(k.U > 0) || math.IsInf(k.U, 0):
		return fmt.Errorf("say how certain that is: an expanded uncertainty above zero")
	}
	_, err := quantity.ParseUnit(k.Unit)
	return err
}

// Lines are the certified lines of a standard with what is known of them by now. Where they are the pieces of a kit, each
// keeps its value beside what it is off by: which of them were taken was chosen by that. Of several pieces with one name
// nobody can tell which was taken: then it counts in the uncertainty of each.
func (k ReferenceError) Lines(all []Certified) ([]Certified, error) {
	pieces, called := 0, 0
	for _, line := range all {
		if line.Quantity != k.Quantity || line.Piece == "" {
			continue
		}
		if pieces++; line.Piece == k.Piece {
			called++
		}
	}
	if called > 1 {
		k.Remove = false
	}
	known := slices.Clone(all)
	for i, line := range all {
		if line.Quantity != k.Quantity || k.Piece != "" && line.Piece != k.Piece {
			continue
		}
		now, err := k.line(line)
		if err != nil {
			return nil, err
		}
		if pieces > 1 {
			now.Shift, now.Value = now.Value-line.Value, line.Value
		}
		known[i] = now
	}
	return known, nil
}

// line is a certified line with what is known of it by now.
func (k ReferenceError) line(line Certified) (Certified, error) {
	e, err := quantity.Convert(k.Error, k.Unit, line.Unit)
	if err != nil {
		return line, err
	}
	u, err := quantity.Convert(k.U, k.Unit, line.Unit)
	if err != nil {
		return line, err
	}
	standard := line.U / line.K
	if k.Remove && line.From == 0 && line.To == 0 {
		line.Value += e
		line.U, line.K = u, 2
		return line, nil
	}
	// The error itself counts as a half-width of which nothing more is known.
	line.U, line.K = 2*math.Sqrt(standard*standard+e*e/3+u*u/4), 2
	return line, nil
}
