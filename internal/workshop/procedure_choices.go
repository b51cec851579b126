package workshop

import (
	"maps"
	"slices"

	"northneedle/core/procedure"
	"northneedle/core/quantity"
	"northneedle/internal/definition"
)

// ProcedureTemplate is a short procedure to begin with.
type ProcedureTemplate struct {
	ID    string `json:"id"`
	Title string `json:"title"`
	About string `json:"about" doc:"what it is for"`
	Text  string `json:"text"`
}

// ProcedureTemplates are procedures to begin with.
func (ws *Workshop) ProcedureTemplates() ([]ProcedureTemplate, error) {
	all, err := definition.Templates()
	if err != nil {
		return nil, err
	}
	list := []ProcedureTemplate{}
	for _, p := range all {
		list = append(list, ProcedureTemplate{p.ID, p.Title, p.Summary, p.Text})
	}
	return list, nil
}

// ProcedureChoice is something that a procedure can name.
type ProcedureChoice struct {
	Name  string `json:"name"`
	Words string `json:"words,omitempty" doc:"what it is"`
}

// ProcedureChoices are what can be picked in writing a procedure.
type ProcedureChoices struct {
	Families    []ProcedureChoice `json:"families"`
	Kinds       []ProcedureChoice `json:"kinds" doc:"of references"`
	Quantities  []ProcedureChoice `json:"quantities" doc:"that references are certified for"`
	Units       []ProcedureChoice `json:"units" doc:"UCUM, with how each is shown"`
	Methods     []ProcedureChoice `json:"methods"`
	Captures    []ProcedureChoice `json:"captures"`
	Patterns    []ProcedureChoice `json:"patterns"`
	Instruments []ProcedureChoice `json:"instruments" doc:"kinds that can be linked"`
	Tables      []ProcedureChoice `json:"tables" doc:"of limits, that a tolerance can name"`
}

// Choices are what can be picked in writing a procedure: what the program knows, and what is in use.
func (ws *Workshop) Choices() (v ProcedureChoices, err error) {
	families, kinds, quantities, units, instruments := choices{}, choices{}, choices{}, choices{}, choices{}
	for _, p := range ws.procedures() {
		families.add(p.Family)
		for _, r := range p.Roles {
			kinds.add(r.Kind)
			for _, n := range r.Needs {
				quantities.add(n.Quantity)
				units.unit(n.Unit)
			}
		}
		for _, m := range p.Measures() {
			quantities.add(m.Quantity)
			units.unit(m.Unit)
			if m.Capture != nil {
				instruments.add(m.Capture.Instrument)
			}
		}
	}
	standards, err := ws.Ledger.Standards("")
	if err != nil {
		return v, err
	}
	for _, s := range standards {
		kinds.add(s.Kind)
		for _, c := range s.Values {
			quantities.add(c.Quantity)
			units.unit(c.Unit)
		}
	}
	for _, p := range ws.Profiles {
		instruments.add(p.Kind)
	}
	c := definition.Catalogue()
	v = ProcedureChoices{Families: families.sorted(), Kinds: kinds.sorted(), Quantities: quantities.sorted(), Units: units.sorted(),
		Instruments: instruments.sorted()}
	v.Methods = named(c.Methods, func(m procedure.Method) string { return m.Words })
	v.Captures = named(c.Captures, func(procedure.CaptureMethod) string { return "" })
	v.Patterns = named(c.Patterns, func(procedure.Pattern) string { return "" })
	v.Tables = named(c.Tables, func(procedure.LimitsFunc) string { return "" })
	return v, nil
}

// choices gathers what can be picked, each once, with its words.
type choices map[string]string

func (c choices) add(name string) {
	if name != "" {
		c[name] = ""
	}
}

// unit adds a unit with how it is shown, where that is not how it is written.
func (c choices) unit(code string) {
	if code == "" {
		return
	}
	if c[code] = quantity.ShowUnit(code); c[code] == code {
		c[code] = ""
	}
}

func (c choices) sorted() []ProcedureChoice {
	all := []ProcedureChoice{}
	for _, name := range slices.Sorted(maps.Keys(c)) {
		all = append(all, ProcedureChoice{name, c[name]})
	}
	return all
}

// named are the things of a part of the catalogue, with what each is.
func named[T any](of map[string]T, words func(T) string) []ProcedureChoice {
	all := choices{}
	for name, one := range of {
		all[name] = words(one)
	}
	return all.sorted()
}
