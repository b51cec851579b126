package procedure

import (
	"slices"

	"northneedle/core/field"
	"northneedle/core/reference"
)

// Procedure is a compiled definition: every tolerance, target, unit and condition is parsed and
// every name resolved, once. It is only read; runs share it.
type Procedure struct {
	Definition
	Catalogue Catalogue
	Text      string // as it is kept
	Hash      string // of Text: the procedure's identity

	way   []Step
	steps map[string]Step
}

// Compile fills in what follows from the rest, checks a definition against a catalogue and
// resolves its names. It returns every mistake; with any, the procedure is nil. The definition
// itself stays as it was.
func Compile(d Definition, c Catalogue) (*Procedure, []field.Error) {
	p := &Procedure{Definition: d, Catalogue: c, steps: map[string]Step{}}
	p.Happens = slices.Clone(d.Happens)
	for i := range p.Happens {
		p.Happens[i].Condition = parseCondition(p.Happens[i].When)
	}
	p.Steps = make(Steps, len(d.Steps))
	for i, s := range d.Steps {
		p.Steps[i] = withDefaults(s)
	}
	bring := &BringStep{StepBase{ID: bringID, Title: "Bring together"}}
	cautions := &CautionsStep{StepBase{ID: cautionsID, Title: "Cautions"}}
	sign := &SignStep{StepBase{ID: signID, Title: "Sign"}}
	p.way = append(append([]Step{bring, cautions}, p.Steps...), sign)
	for _, s := range p.way {
		if s == nil {
			continue
		}
		if _, taken := p.steps[s.Base().ID]; !taken {
			p.steps[s.Base().ID] = s
		}
	}
	k := &checker{p: p}
	k.all()
	if len(k.errors) > 0 {
		return nil, k.errors
	}
	return p, nil
}

const (
	bringID    = "bring-together"
	cautionsID = "cautions"
	signID     = "sign"
)

// withDefaults is a copy of a step with its id, title and defaults filled in.
func withDefaults(s Step) Step {
	var out Step
	switch s := s.(type) {
	case *CheckStep:
		c := *s
		out = &c
	case *ActStep:
		c := *s
		out = &c
	case *WaitStep:
		c := *s
		out = &c
	case *AmbientStep:
		c := *s
		out = &c
	case *RecordStep:
		c := *s
		c.Fields = append(slices.Clip(s.Fields), partFields(s.Parts)...)
		out = &c
	case *Measure:
		c := s.withDefaults()
		out = &c
	case *Finding:
		c := *s
		c.Measures, c.Conditions = nil, nil // resolved again
		out = &c
	default:
		return nil
	}
	b, title := out.Base(), words(out)
	if b.ID == "" {
		b.ID = Slug(title)
	}
	if b.Title == "" {
		b.Title = title
	}
	b.Condition = parseCondition(b.When)
	return out
}

func (m Measure) withDefaults() Measure {
	m.Judge, m.Table = nil, nil // resolved again
	if m.Repeats == 0 {
		m.Repeats = 1
	}
	if m.Gross == 0 {
		m.Gross = 3
	}
	m.Alternatives = slices.Clone(m.Alternatives)
	if m.Trend != nil {
		trend := *m.Trend
		m.Trend = &trend
	}
	m.Points = slices.Clone(m.Points)
	for i := range m.Points {
		p := &m.Points[i]
		if p.ID == "" {
			p.ID = Slug(p.Label)
		}
		if p.Role == "" {
			p.Role = m.Role
		}
		p.Condition = parseCondition(p.When)
	}
	if m.Capture != nil {
		capture := *m.Capture
		if capture.Share == 0 {
			capture.Share = 0.25
		}
		if capture.Unmoved == 0 {
			capture.Unmoved = 30
		}
		m.Capture = &capture
	}
	return m
}

// WithPoint is the procedure with a point more in one of its measures; the mistakes are those of the point.
func (p *Procedure) WithPoint(measure string, point Point) (*Procedure, []field.Error) {
	d := p.Definition
	d.Steps = slices.Clone(d.Steps)
	for i, s := range d.Steps {
		if m, ok := s.(*Measure); ok && m.ID == measure {
			longer := *m
			longer.Points = append(slices.Clip(m.Points), point)
			d.Steps[i] = &longer
		}
	}
	next, mistakes := Compile(d, p.Catalogue)
	if len(mistakes) > 0 {
		return nil, mistakes
	}
	next.Text, next.Hash = p.Text, p.Hash
	return next, nil
}

// KeepsFigures reports whether a finding is about what is reckoned with on the device from then on, such as the tubing before a
// meter: its figures are kept on the device.
func (p *Procedure) KeepsFigures() bool {
	return slices.ContainsFunc(p.Findings(), func(f *Finding) bool { return f.About != "" && f.PatternName != "" })
}

// Way is the whole order of a run: what every run begins with, the procedure's own steps, and signing.
func (p *Procedure) Way() []Step { return p.way }

// Step finds a step of the way by its id; nil where there is none.
func (p *Procedure) Step(id string) Step { return p.steps[id] }

// Measure finds a measure by its id; nil where there is none.
func (p *Procedure) Measure(id string) *Measure {
	m, _ := p.steps[id].(*Measure)
	return m
}

// RoleOf finds a role by its id.
func (p *Procedure) RoleOf(id string) (reference.Role, bool) {
	at := slices.IndexFunc(p.Roles, func(r reference.Role) bool { return r.ID == id })
	if at < 0 {
		return reference.Role{}, false
	}
	return p.Roles[at], true
}

// Measures lists the measures in their order.
func (p *Procedure) Measures() (all []*Measure) {
	for _, s := range p.Steps {
		if m, ok := s.(*Measure); ok {
			all = append(all, m)
		}
	}
	return all
}

// Findings lists the findings in their order.
func (p *Procedure) Findings() (all []*Finding) {
	for _, s := range p.Steps {
		if f, ok := s.(*Finding); ok {
			all = append(all, f)
		}
	}
	return all
}
