package procedure

import (
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"northneedle/core/adjust"
	"northneedle/core/duty"
	"northneedle/core/field"
	"northneedle/core/fit"
	"northneedle/core/quantity"
	"northneedle/core/reference"
)

// checker finds the mistakes of a procedure and resolves its names on the way.
type checker struct {
	p      *Procedure
	errors []field.Error
}

func (c *checker) say(path, format string, args ...any) {
	c.errors = append(c.errors, field.Error{Path: path, Message: fmt.Sprintf(format, args...)})
}

func (c *checker) need(path, text string) {
	if strings.TrimSpace(text) == "" {
		c.say(path, "is missing")
	}
}

// known refuses a name that is not one of those there are.
func (c *checker) known(path, name string, is bool, there []string) bool {
	if !is {
		c.say(path, "%q is not known: use one of %s", name, strings.Join(there, ", "))
	}
	return is
}

func (c *checker) unit(path, unit string) {
	if _, err := quantity.ParseUnit(unit); err != nil {
		c.say(path, "%s", err)
	}
}

func (c *checker) all() {
	p := c.p
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
	for _, id := range p.Next.Within {
		if _, ok := p.RoleOf(id); !ok {
			c.say("next.within", "role %q is not declared under roles", id)
		}
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
	if p.Review != "" && !slices.Contains(Reviews, p.Review) {
		c.say("review", "%q is not known: use never, on failure or always", p.Review)
	}
	c.maintains()
	c.roles()
	c.steps()
	c.tables()
	c.values()
	c.parts()
}

// tables checks the tolerances that go by what is chosen.
func (c *checker) tables() {
	for _, name := range slices.Sorted(maps.Keys(c.p.Definition.Limits)) {
		table, at := c.p.Definition.Limits[name], "limits."+name
		c.need(at+".source", table.Source)
		if len(table.Rows) == 0 {
			c.say(at+".rows", "is missing")
		}
		for i, row := range table.Rows {
			path := fmt.Sprintf("%s.rows[%d]", at, i)
			c.limits(path+".tolerance", row.Tolerance)
			for _, field := range slices.Sorted(maps.Keys(row.When)) {
				when := field + " = " + row.When[field]
				c.when(path+".when."+field, when, parseCondition(when), c.p.Steps)
			}
		}
	}
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
			switch c.p.Step(id).(type) {
			case *CheckStep, *ActStep, *WaitStep, *RecordStep, *Measure:
			default:
				c.say(fmt.Sprintf("%s.invalidates[%d]", at, j),
					"%q is no check, act, wait, record or measure of this procedure", id)
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
			c.unit(path+".unit", n.Unit)
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
	opened := map[string]bool{}
	for i, s := range c.p.Steps {
		at := fmt.Sprintf("steps[%d]", i)
		if s == nil {
			c.say(at, "needs exactly one of check, act, wait, ambient, record, measure, finding")
			continue
		}
		b := s.Base()
		if seen[b.ID] {
			c.say(at, "has the id %q of an earlier step: give it an id of its own", b.ID)
		}
		seen[b.ID] = true
		c.need(at+"."+string(s.Kind()), words(s))
		if b.Skip != "" && b.Skip != "lead" {
			c.say(at+".skip", "%q is not known: leave it out, or say lead", b.Skip)
		}
		c.when(at+".when", b.When, b.Condition, c.p.Steps[:i])
		if b.Opens != "" {
			opened[b.Opens] = true
		}
		for j, end := range b.Closes {
			if !opened[end] {
				c.say(fmt.Sprintf("%s.closes[%d]", at, j), "%q was not opened by an earlier step", end)
			}
		}
		c.step(at, s, i)
	}
	c.closed()
	for i, h := range c.p.Happens {
		at := fmt.Sprintf("happens[%d]", i)
		if !slices.Contains(duty.Events, h.Event) {
			c.say(at+".event", "%q is not known: use one of %q", h.Event, duty.Events)
		}
		if !opened[h.Opened] {
			c.say(at+".opened", "%q is opened by no step", h.Opened)
		}
		c.need(at+".words", h.Words)
		c.when(at+".when", h.When, h.Condition, c.p.Steps)
	}
	for i, s := range c.p.Steps {
		if m, ok := s.(*Measure); ok {
			if m.Judge == nil {
				c.say(fmt.Sprintf("steps[%d].measure", i), "%q is judged by no finding", m.ID)
			}
			c.asked(fmt.Sprintf("steps[%d]", i), m)
		}
	}
}

// closed refuses a loose end that no later step closes: the run could not be signed.
func (c *checker) closed() {
	for i, s := range c.p.Steps {
		if s == nil || s.Base().Opens == "" {
			continue
		}
		closes := func(later Step) bool { return later != nil && slices.Contains(later.Base().Closes, s.Base().Opens) }
		if !slices.ContainsFunc(c.p.Steps[i+1:], closes) {
			c.say(fmt.Sprintf("steps[%d].opens", i),
				"%q is closed by no later step: name it under closes where it is set right again",
				s.Base().Opens)
		}
	}
}

func (c *checker) step(at string, s Step, place int) {
	switch s := s.(type) {
	case *CheckStep:
		if s.Answers != "" && s.Answers != "passed" {
			c.say(at+".answers", "%q is not known: leave it out, or say passed", s.Answers)
		}
		if s.ReadsControls() && len(c.p.Calibrates) == 0 {
			c.say(at+".reads", "says controls, and the procedure names no analyte under calibrates")
		}
	case *WaitStep:
		if !(s.Minutes > 0 && s.Minutes <= 24*60) {
			c.say(at+".minutes", "must be above 0 and at most 1440, it is %g", s.Minutes)
		}
		c.need(at+".why", s.Why)
	case *AmbientStep:
		if w := s.Temperature; w != nil {
			if !(w.From < w.To) {
				c.say(at+".temperature", "runs backwards: %g to %g", w.From, w.To)
			}
			c.need(at+".temperature.why", w.Why)
		}
	case *ActStep:
		for j, id := range s.Vessels {
			if !slices.ContainsFunc(c.p.Steps, func(other Step) bool {
				m, is := other.(*Measure)
				return is && m.Base().ID == id
			}) {
				c.say(fmt.Sprintf("%s.vessels[%d]", at, j), "%q is no measure", id)
			}
		}
	case *RecordStep:
		c.record(at, s)
	case *Measure:
		c.measure(at, s)
	case *Finding:
		c.finding(at, s, place)
	}
}

func (c *checker) record(at string, s *RecordStep) {
	if len(s.Fields) == 0 {
		c.say(at+".fields", "is missing: give fields or parts")
	}
	c.exchanged(at, s.Parts)
	for j, f := range s.Fields {
		path := fmt.Sprintf("%s.fields[%d]", at, j)
		c.need(path+".id", f.ID)
		if f.ReadBack != "" && len(f.Options) == 0 {
			c.say(path+".read_back", "names a setting of an instrument, and the field has no options to hold it against")
		}
		c.kept(path, f)
		if f.Min > f.Max && f.Max != 0 {
			c.say(path+".min", "%g is above max, %g", f.Min, f.Max)
		}
		switch {
		case strings.Contains(f.SameAs, "."):
			c.printed(path, f)
		case f.Text:
		case len(f.Options) > 0:
			c.choice(path, f, s.Fields[:j])
		case f.Counts != "":
		default:
			c.unit(path+".unit", f.Unit)
		}
	}
}

// printed checks a field that must equal what is known of the standard that fills a role.
func (c *checker) printed(at string, f Field) {
	id, what, _ := strings.Cut(f.SameAs, ".")
	role, known := c.p.RoleOf(id)
	switch {
	case !known:
		c.say(at+".same_as", "role %q is not declared under roles", id)
	case what == Lot || what == Expiry:
		if !f.Text {
			c.say(at+".text", "must be true: a lot and an expiry are typed as words")
		}
	case !role.Realises(what):
		c.say(at+".same_as", "role %q does not say that it needs the quantity %q: say it, or use lot or expiry", id, what)
	default:
		c.unit(at+".unit", f.Unit)
	}
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

func (c *checker) finding(at string, f *Finding, place int) {
	if len(f.Judges) == 0 {
		c.say(at+".judges", "is missing: name the measures it judges")
	}
	for j, id := range f.Judges {
		m := c.p.Measure(id)
		if m == nil || !slices.Contains(c.p.Steps[:place], Step(m)) {
			c.say(fmt.Sprintf("%s.judges[%d]", at, j), "%q is not a measure that comes before", id)
			continue
		}
		f.Measures = append(f.Measures, m)
		if m.Judge == nil {
			m.Judge = f
		}
	}
	if f.PatternName != "" {
		var is bool
		f.Pattern, is = c.p.Catalogue.Patterns[f.PatternName]
		c.known(at+".pattern", f.PatternName, is, names(c.p.Catalogue.Patterns))
	}
	for _, shape := range slices.Sorted(maps.Keys(f.Causes)) {
		if f.PatternName == "" && shape != "any" && !slices.Contains(fit.Shapes, fit.Shape(shape)) {
			c.say(at+".causes."+shape, "is no shape that errors have: use one of %q, or any", fit.Shapes)
		}
	}
	for j, k := range f.Controls {
		path := fmt.Sprintf("%s.controls[%d]", at, j)
		c.need(path+".id", k.ID)
		c.need(path+".label", k.Label)
		if !(k.Step > 0) && k.Kind != adjust.Routine {
			c.say(path+".step", "must be above zero, it is %g", k.Step)
		}
		condition := parseCondition(k.When)
		f.Conditions = append(f.Conditions, condition)
		c.when(path+".when", k.When, condition, c.p.Steps)
		if k.Sense != "" && k.Sense != "value" && k.Sense != adjust.TellLoad {
			c.say(path+".sense", "%q is not known: leave it out for presses, or say value", k.Sense)
		}
		if !slices.Contains(adjust.Kinds, k.Kind) {
			c.say(path+".kind", "%q is not known: use offset, gain, factor, table, zone or routine", k.Kind)
		}
		for n, id := range k.On {
			if !slices.Contains(f.Judges, id) {
				c.say(fmt.Sprintf("%s.on[%d]", path, n), "%q is not judged by this finding", id)
			}
		}
	}
}

// when checks a condition: an optional role, or a choice of one of the given steps.
func (c *checker) when(at, text string, when Condition, among Steps) {
	switch {
	case when.Always():
		return
	case when.Unprepared:
		role, ok := c.p.RoleOf(when.Role)
		if !ok || !slices.ContainsFunc(role.Prepared, func(p reference.Preparation) bool { return p.Here }) {
			c.say(at, "no role %q says under prepared that it is done here", when.Role)
		}
		return
	case when.Field == "":
		if role, ok := c.p.RoleOf(when.Role); !ok || !role.Optional {
			c.say(at, "%q is no optional role", text)
		}
		return
	}
	for _, s := range among {
		record, ok := s.(*RecordStep)
		if !ok {
			continue
		}
		for _, f := range record.Fields {
			if f.ID == when.Field && f.offers(when.Options()) {
				return
			}
		}
	}
	c.say(at, "no earlier record lets %q be chosen for %q", when.Option, when.Field)
}
