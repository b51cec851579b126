package procedure

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"northneedle/core/adjust"
	"northneedle/core/conformity"
	"northneedle/core/method"
	"northneedle/core/quantity"
)

// FieldError is one mistake in a procedure. Path leads to the field, as in
// "steps[3].points[0].at"; a loader turns it into a line.
type FieldError struct {
	Path    string
	Message string
}

func (e FieldError) Error() string { return e.Path + ": " + e.Message }

type checker struct {
	p      Procedure
	errors []FieldError
}

func (c *checker) say(path, format string, args ...any) {
	c.errors = append(c.errors, FieldError{path, fmt.Sprintf(format, args...)})
}

func (c *checker) need(path, value string) {
	if strings.TrimSpace(value) == "" {
		c.say(path, "is missing")
	}
}

// Check finds every mistake in a settled procedure; none means that it can be run.
func (p Procedure) Check() []FieldError {
	c := &checker{p: p}
	c.need("id", p.ID)
	if p.ID != "" && Slug(p.ID) != p.ID {
		c.say("id", "%q must be lower case letters, digits and hyphens: %q would do", p.ID, Slug(p.ID))
	}
	if p.Revision < 1 {
		c.say("revision", "must be 1 or more, it is %d", p.Revision)
	}
	c.need("title", p.Title)
	c.need("family", p.Family)
	if len(p.Cautions) == 0 {
		c.say("cautions", "is missing: every procedure states its cautions")
	}
	if _, err := p.Next.After(time.Unix(0, 0)); err != nil {
		c.say("next.months", "%s", err)
	}
	if _, ok := p.RoleOf(p.Next.Within); p.Next.Within != "" && !ok {
		c.say("next.within", "role %q is not declared under roles", p.Next.Within)
	}
	if p.Policy != nil {
		if err := p.Policy.Check(); err != nil {
			c.say("policy", "%s", err)
		}
	}
	if p.Rule != nil {
		if err := p.Rule.Check(); err != nil {
			c.say("rule", "%s", err)
		}
	}
	if p.Review != "" && p.Review != ReviewNever && p.Review != ReviewOnFailure && p.Review != ReviewAlways {
		c.say("review", "%q is not known: use never, on failure or always", p.Review)
	}
	c.roles()
	c.steps()
	c.parts()
	return c.errors
}

func (c *checker) parts() {
	for i, part := range c.p.Parts {
		at := fmt.Sprintf("parts[%d]", i)
		c.need(at+".id", part.ID)
		c.need(at+".title", part.Title)
		if len(part.Invalidates) == 0 {
			c.say(at+".invalidates", "is missing: name the steps that are to be done again")
		}
		for j, id := range part.Invalidates {
			step, ok := c.p.Step(id)
			if kind := step.Kind(); !ok || kind != StepCheck && kind != StepAct && kind != StepMeasure {
				c.say(fmt.Sprintf("%s.invalidates[%d]", at, j), "%q is no check, act or measure of this procedure", id)
			}
		}
	}
}

func (c *checker) roles() {
	seen := map[string]bool{}
	for i, r := range c.p.Roles {
		at := fmt.Sprintf("roles[%d]", i)
		c.need(at+".role", r.ID)
		c.need(at+".title", r.Title)
		c.need(at+".kind", r.Kind)
		if seen[r.ID] {
			c.say(at+".role", "%q stands twice", r.ID)
		}
		seen[r.ID] = true
		for j, prepared := range r.Prepared {
			path := fmt.Sprintf("%s.prepared[%d]", at, j)
			c.need(path+".by", prepared.By)
			c.need(path+".finding", prepared.Finding)
			c.need(path+".title", prepared.Title)
			if !(prepared.Hours > 0) {
				c.say(path+".hours", "must be above zero, it is %g", prepared.Hours)
			}
		}
		for j, n := range r.Needs {
			path := fmt.Sprintf("%s.needs[%d]", at, j)
			c.need(path+".quantity", n.Quantity)
			if _, err := quantity.ParseUnit(n.Unit); err != nil {
				c.say(path+".unit", "%s", err)
			}
			if n.From > n.To {
				c.say(path+".from", "%g is above to, %g", n.From, n.To)
			}
		}
	}
}

func (c *checker) steps() {
	if len(c.p.Steps) == 0 {
		c.say("steps", "is missing: a procedure has at least one step")
	}
	seen := map[string]bool{bringID: true, cautionsID: true, signID: true}
	measured := map[string]bool{}
	opened := map[string]bool{}
	for i, s := range c.p.Steps {
		at := fmt.Sprintf("steps[%d]", i)
		if s.Kind() == "" {
			c.say(at, "needs exactly one of check, act, wait, ambient, record, measure, finding")
			continue
		}
		if seen[s.ID] {
			c.say(at, "has the id %q of an earlier step: give it an id of its own", s.ID)
		}
		seen[s.ID] = true
		if s.Skip != "" && s.Skip != "lead" {
			c.say(at+".skip", "%q is not known: leave it out, or say lead", s.Skip)
		}
		c.when(at+".when", s.When, c.p.Steps[:i])
		if s.Answers != "" && s.Answers != "passed" {
			c.say(at+".answers", "%q is not known: leave it out, or say passed", s.Answers)
		}
		if s.Opens != "" {
			opened[s.Opens] = true
		}
		for j, end := range s.Closes {
			if !opened[end] {
				c.say(fmt.Sprintf("%s.closes[%d]", at, j), "%q was not opened by an earlier step", end)
			}
		}
		c.step(at, s, measured)
	}
	for i, s := range c.p.Steps {
		if s.Kind() == StepMeasure {
			if _, ok := c.p.FindingOf(s.ID); !ok {
				c.say(fmt.Sprintf("steps[%d].measure", i), "%q is judged by no finding", s.ID)
			}
		}
	}
}

func (c *checker) step(at string, s Step, measured map[string]bool) {
	switch s.Kind() {
	case StepWait:
		if !(s.Minutes > 0 && s.Minutes <= 24*60) {
			c.say(at+".minutes", "must be above 0 and at most 1440, it is %g", s.Minutes)
		}
		c.need(at+".why", s.Why)
	case StepAmbient:
		if w := s.Temperature; w != nil {
			if !(w.From < w.To) {
				c.say(at+".temperature", "runs backwards: %g to %g", w.From, w.To)
			}
			c.need(at+".temperature.why", w.Why)
		}
	case StepRecord:
		if len(s.Fields) == 0 {
			c.say(at+".fields", "is missing")
		}
		for j, f := range s.Fields {
			c.need(fmt.Sprintf("%s.fields[%d].id", at, j), f.ID)
			if f.Text {
				continue
			}
			if len(f.Options) > 0 {
				c.choice(fmt.Sprintf("%s.fields[%d]", at, j), f, s.Fields[:j])
				continue
			}
			if _, err := quantity.ParseUnit(f.Unit); err != nil {
				c.say(fmt.Sprintf("%s.fields[%d].unit", at, j), "%s", err)
			}
		}
	case StepMeasure:
		measured[s.ID] = true
		c.measure(at, s)
	case StepFinding:
		if len(s.Judges) == 0 {
			c.say(at+".judges", "is missing: name the measures it judges")
		}
		for j, m := range s.Judges {
			if !measured[m] {
				c.say(fmt.Sprintf("%s.judges[%d]", at, j), "%q is not a measure that comes before", m)
			}
		}
		if s.Pattern != "" && !method.KnownPattern(s.Pattern) {
			c.say(at+".pattern", "%q is not known: use one of %s", s.Pattern, strings.Join(method.Patterns(), ", "))
		}
		for j, k := range s.Controls {
			path := fmt.Sprintf("%s.controls[%d]", at, j)
			c.need(path+".id", k.ID)
			c.need(path+".label", k.Label)
			if !(k.Step > 0) && k.Kind != adjust.Routine {
				c.say(path+".step", "must be above zero, it is %g", k.Step)
			}
			c.when(path+".when", k.When, c.p.Steps)
			if k.Sense != "" && k.Sense != "value" {
				c.say(path+".sense", "%q is not known: leave it out for presses, or say value", k.Sense)
			}
			if !slices.Contains(adjust.Kinds, k.Kind) {
				c.say(path+".kind", "%q is not known: use offset, gain, factor, table, zone or routine", k.Kind)
			}
			for n, id := range k.On {
				if !slices.Contains(s.Judges, id) {
					c.say(fmt.Sprintf("%s.on[%d]", path, n), "%q is not judged by this finding", id)
				}
			}
		}
	}
}

// when checks what a step, a point or a control asks for: an optional role, or a choice
// of an earlier record.
func (c *checker) when(at, when string, before []Step) {
	field, option, choice := chosenBy(when)
	if !choice {
		if role, ok := c.p.RoleOf(when); when != "" && !(ok && role.Optional) {
			c.say(at, "%q is no optional role", when)
		}
		return
	}
	for _, s := range before {
		for _, f := range s.Fields {
			if f.ID == field && slices.ContainsFunc(f.Options, func(o Option) bool { return o.ID == option }) {
				return
			}
		}
	}
	c.say(at, "no earlier record lets %q be chosen for %q", option, field)
}

// choice checks what can be chosen in a record.
func (c *checker) choice(at string, f Field, before []Field) {
	for i, o := range f.Options {
		c.need(fmt.Sprintf("%s.options[%d].id", at, i), o.ID)
		c.need(fmt.Sprintf("%s.options[%d].title", at, i), o.Title)
	}
	if f.SameAs != "" && !slices.ContainsFunc(before, func(b Field) bool { return b.ID == f.SameAs }) {
		c.say(at+".same_as", "%q is no earlier field of this record", f.SameAs)
	}
}

func (c *checker) measure(at string, s Step) {
	if !method.Known(s.Method) {
		c.say(at+".method", "%q is not known: use one of %s", s.Method, strings.Join(method.Names(), ", "))
	}
	if _, err := quantity.ParseUnit(s.Unit); err != nil {
		c.say(at+".unit", "%s", err)
	}
	if _, err := quantity.ParseUnit(s.Reads); s.Reads != "" && err != nil {
		c.say(at+".reads", "%s", err)
	}
	if _, err := limitsOf(s.Tolerance); err != nil {
		c.say(at+".tolerance", "%s", err)
	}
	if !(s.Resolution > 0) {
		c.say(at+".resolution", "must be above zero, it is %g", s.Resolution)
	}
	if s.Gross <= 1 {
		c.say(at+".gross", "is a multiple of the tolerance above 1, it is %g", s.Gross)
	}
	if s.Direction != "" && s.Direction != "rising" && s.Direction != "falling" {
		c.say(at+".direction", "%q is not known: use rising or falling", s.Direction)
	}
	if s.Repeats < 1 || s.Repeats > 50 {
		c.say(at+".repeats", "must be 1 to 50, it is %d", s.Repeats)
	}
	if len(s.Points) == 0 {
		c.say(at+".points", "is missing")
	}
	if len(s.Schools) > 0 && s.School == "" {
		c.say(at+".school", "is missing: where other schools stand beside it, its own has a title too")
	}
	for j, school := range s.Schools {
		path := fmt.Sprintf("%s.schools[%d]", at, j)
		c.need(path+".title", school.Title)
		if _, err := limitsOf(school.Tolerance); err != nil {
			c.say(path+".tolerance", "%s", err)
		}
	}
	if s.Capture != nil {
		c.capture(at+".capture", *s.Capture)
	}
	seen := map[string]bool{}
	for j, point := range s.Points {
		path := fmt.Sprintf("%s.points[%d]", at, j)
		c.need(path+".label", point.Label)
		c.when(path+".when", point.When, c.p.Steps)
		if seen[point.ID] {
			c.say(path, "has the id %q of an earlier point: give it an id of its own", point.ID)
		}
		seen[point.ID] = true
		if s.Capture != nil {
			if reader, ok := method.ReaderOf(s.Capture.Kind); ok {
				c.with(path+".with", point.With, append(c.asks(s), reader.Params...))
			}
		} else {
			c.with(path+".with", point.With, c.asks(s))
		}
		for name := range point.Drive {
			if !isName(name) {
				c.say(path+".drive."+name, "is no setting of an instrument: lower case letters and digits")
			}
		}
		c.point(path, s, point)
	}
}

func (c *checker) capture(at string, k Capture) {
	reader, known := method.ReaderOf(k.Kind)
	if !known {
		c.say(at+".kind", "%q is not known: use one of %s", k.Kind, strings.Join(method.Readers(), ", "))
		return
	}
	if !(k.Limit > 0) {
		c.say(at+".limit", "must be above zero, it is %g", k.Limit)
	}
	if k.Hands != "" && k.Hands != "free" {
		c.say(at+".hands", "%q is not known: leave it out, or say free", k.Hands)
	}
	c.need(at+".instrument", k.Instrument)
	c.need(at+".channel", k.Channel)
	c.with(at+".with", k.With, reader.Params)
}

// asks lists what a measure's method and its finding's pattern take from a point.
func (c *checker) asks(m Step) []string {
	finding, _ := c.p.FindingOf(m.ID)
	return method.Asks(m.Method, finding.Pattern)
}

// with refuses what nothing asks for.
func (c *checker) with(at string, given map[string]float64, params []string) {
	for name := range given {
		if !slices.Contains(params, name) {
			c.say(at+"."+name, "is not asked for here: %s", orNothing(params))
		}
	}
}

func orNothing(names []string) string {
	if len(names) == 0 {
		return "nothing here takes it"
	}
	return "use " + strings.Join(names, ", ")
}

func (c *checker) point(path string, s Step, point Point) {
	target, err := parseTarget(point.At)
	if err != nil {
		c.say(path+".at", "%s", err)
		return
	}
	role := point.Role
	if target.role != "" {
		role = target.role
	}
	if role == "" {
		if point.U <= 0 {
			c.say(path+".u", "is missing: without a role, say how uncertain the value is")
		}
		return
	}
	r, ok := c.p.RoleOf(role)
	if !ok {
		c.say(path+".at", "role %q is not declared under roles", role)
		return
	}
	name := s.Quantity
	if target.quantity != "" {
		name = target.quantity
	}
	if !slices.ContainsFunc(r.Needs, func(n Need) bool { return n.Quantity == name }) {
		c.say(path+".at", "role %q does not say that it needs the quantity %q", role, name)
	}
}

// isName reports whether a word is a setting's name.
func isName(word string) bool {
	return word != "" && strings.Trim(word, "abcdefghijklmnopqrstuvwxyz0123456789") == ""
}

// target is a point's "at", parsed.
type target struct {
	value          float64 // of a number, or the percentage
	role, quantity string
	of             string // the data plate's field of a percentage
}

func parseTarget(text string) (target, error) {
	clean := strings.TrimSpace(text)
	if number, field, ok := strings.Cut(clean, "% of "); ok {
		v, err := quantity.ParseNumber(number)
		if err != nil || strings.TrimSpace(field) == "" {
			return target{}, fmt.Errorf("%q is not understood: write it like \"25 %% of capacity\"", text)
		}
		return target{value: v, of: strings.TrimSpace(field)}, nil
	}
	if v, err := quantity.ParseNumber(clean); err == nil {
		return target{value: v}, nil
	}
	role, name, ok := strings.Cut(clean, ".")
	if !ok || role == "" || name == "" {
		return target{}, fmt.Errorf("%q is not understood: use a number, \"role.quantity\" or \"25 %% of capacity\"", text)
	}
	return target{role: role, quantity: name}, nil
}

// limitsOf reads a tolerance: a named table, or the text form.
func limitsOf(text string) (method.LimitsFunc, error) {
	if table := method.Limits(text); table != nil {
		return table, nil
	}
	t, err := conformity.ParseTolerance(text)
	if err != nil {
		return nil, err
	}
	return func(reference float64, _ map[string]float64) (conformity.Limits, error) { return t.Limits(reference) }, nil
}
