package report

import "slices"

// Part is one part of what is handed to an inspector.
type Part string

const (
	Register     Part = "register"
	Certificates Part = "certificates"
	References   Part = "references"
	Competences  Part = "competence"
	LookBacks    Part = "look-backs"
	Controls     Part = "controls"
	Procedures   Part = "procedures"
	Log          Part = "log"
	Checkpoints  Part = "checkpoints"
)

// Parts are all of them, in the order of a pack.
var Parts = []Part{Register, Certificates, References, Competences, LookBacks, Controls, Procedures, Log, Checkpoints}

// Clause is what an inspector asks to see who goes by a clause of a standard.
type Clause struct {
	Standard string `json:"standard" yaml:"standard"` // its number and year
	Clause   string `json:"clause" yaml:"clause"`     // its number
	About    string `json:"about" yaml:"about"`       // in our own words
	Parts    []Part `json:"parts" yaml:"parts"`
}

// Named is the clause with its standard, as it is asked for.
func (c Clause) Named() string { return c.Standard + ", " + c.Clause }

// PartsFor are the parts that a clause asks for, in the order of a pack; all where none is named. It is false where there is
// no such clause.
func PartsFor(named string, all []Clause) ([]Part, bool) {
	if named == "" {
		return Parts, true
	}
	at := slices.IndexFunc(all, func(c Clause) bool { return c.Named() == named })
	if at < 0 {
		return nil, false
	}
	var parts []Part
	for _, p := range Parts {
		if slices.Contains(all[at].Parts, p) {
			parts = append(parts, p)
		}
	}
	return parts, true
}
