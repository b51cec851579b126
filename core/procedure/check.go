package procedure

import (
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"northneedle/core/adjust"
	"northneedle/core/conformity"
	"northneedle/core/duty"
	"northneedle/core/field"
	"northneedle/core/quantity"
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
	c.roles()
	c.steps()
	c.tables()
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
				c.say(fmt.Sprintf("%s.invalidates[%d]", at, j), "%q is no check, act, wait, record or measure of this procedure", id)
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
		c.say(at+".fields", "is missing")
	}
	for j, f := range s.Fields {
		path := fmt.Sprintf("%s.fields[%d]", at, j)
		c.need(path+".id", f.ID)
		switch {
		case strings.Contains(f.SameAs, "."):
			c.printed(path, f)
		case f.Text:
		case len(f.Options) > 0:
			c.choice(path, f, s.Fields[:j])
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
		if k.Sense != "" && k.Sense != "value" {
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

func (c *checker) measure(at string, m *Measure) {
	var is bool
	m.Method, is = c.p.Catalogue.Methods[m.MethodName]
	c.known(at+".method", m.MethodName, is, names(c.p.Catalogue.Methods))
	c.unit(at+".unit", m.Unit)
	if m.Reads != "" {
		c.unit(at+".reads", m.Reads)
	}
	if table, named := c.p.Definition.Limits[m.Tolerance]; named {
		m.Table = &table
		m.Limits = func(float64, map[string]float64) (conformity.Limits, error) {
			return conformity.Limits{}, fmt.Errorf("its limit goes by what is chosen, which is not recorded yet")
		}
	} else {
		m.Limits = c.limits(at+".tolerance", m.Tolerance)
	}
	if !(m.Resolution > 0) {
		c.say(at+".resolution", "must be above zero, it is %g", m.Resolution)
	}
	if !(m.Gross > 1) {
		c.say(at+".gross", "is a multiple of the tolerance above 1, it is %g", m.Gross)
	}
	if m.Direction != "" && m.Direction != "rising" && m.Direction != "falling" {
		c.say(at+".direction", "%q is not known: use rising or falling", m.Direction)
	}
	if m.Pair != "" && (c.p.Measure(m.Pair) == nil || m.Pair == m.ID) {
		c.say(at+".pair", "%q is no other measure of this procedure", m.Pair)
	}
	for _, name := range slices.Sorted(maps.Keys(m.Also)) {
		role, quantity, named := strings.Cut(m.Also[name], ".")
		if _, known := c.p.RoleOf(role); !known || !named || quantity == "" {
			c.say(at+".also."+name, "%q is not understood: write it as role.quantity", m.Also[name])
		}
	}
	if m.Repeats < 1 || m.Repeats > 50 {
		c.say(at+".repeats", "must be 1 to 50, it is %d", m.Repeats)
	}
	if len(m.Points) == 0 {
		c.say(at+".points", "is missing")
	}
	if t := m.Trend; t != nil {
		var err error
		if t.limits, err = conformity.ParseTolerance(t.Jump); err != nil {
			c.say(at+".trend.jump", "%s", err)
		}
		if t.Against != First && t.Against != Last {
			c.say(at+".trend.against", "%q is not known: use first or last", t.Against)
		}
	}
	if chart := m.Chart; chart != nil {
		c.need(at+".chart.analyte", chart.Analyte)
		if !(chart.CV > 0) {
			c.say(at+".chart.cv", "is a scatter in percent above zero, it is %g", chart.CV)
		}
	}
	if len(m.Alternatives) > 0 && m.School == "" {
		c.say(at+".school", "is missing: where other schools stand beside it, its own has a title too")
	}
	for j := range m.Alternatives {
		path := fmt.Sprintf("%s.schools[%d]", at, j)
		c.need(path+".title", m.Alternatives[j].Title)
		m.Alternatives[j].Limits = c.limits(path+".tolerance", m.Alternatives[j].Tolerance)
	}
	if m.Capture != nil {
		c.capture(at+".capture", m.Capture)
	}
	seen := map[string]bool{}
	for j := range m.Points {
		path, point := fmt.Sprintf("%s.points[%d]", at, j), &m.Points[j]
		c.need(path+".label", point.Label)
		c.when(path+".when", point.When, point.Condition, c.p.Steps)
		if seen[point.ID] {
			c.say(path, "has the id %q of an earlier point: give it an id of its own", point.ID)
		}
		seen[point.ID] = true
		for name := range point.Drive {
			if !isName(name) {
				c.say(path+".drive."+name, "is no setting of an instrument: lower case letters and digits")
			}
		}
		c.point(path, m, point)
	}
}

func (c *checker) limits(path, text string) LimitsFunc {
	of, err := c.p.Catalogue.ParseLimits(text)
	if err != nil {
		c.say(path, "%s", err)
	}
	return of
}

func (c *checker) capture(at string, k *Capture) {
	var is bool
	if k.Method, is = c.p.Catalogue.Captures[k.Kind]; !c.known(at+".kind", k.Kind, is, names(c.p.Catalogue.Captures)) {
		return
	}
	if !(k.Limit > 0) {
		c.say(at+".limit", "must be above zero, it is %g", k.Limit)
	}
	if !(k.Share >= 0 && k.Share < 1) {
		c.say(at+".share", "is a share of the tolerance from 0 to 1, it is %g", k.Share)
	}
	if !(k.Unmoved >= 0) {
		c.say(at+".unmoved", "is a time in s, it is %g", k.Unmoved)
	}
	if k.Hands != "" && k.Hands != "free" {
		c.say(at+".hands", "%q is not known: leave it out, or say free", k.Hands)
	}
	c.need(at+".instrument", k.Instrument)
	c.need(at+".channel", k.Channel)
	if _, ok := c.p.RoleOf(k.Role); k.Role != "" && !ok {
		c.say(at+".role", "there is no role %q", k.Role)
	}
	for channel, unit := range k.In {
		if _, err := quantity.ParseUnit(unit); err != nil {
			c.say(at+".in", "%s: %s", channel, err)
		}
	}
	c.with(at+".with", k.With, k.Method.Params)
}

// asked refuses what a point says under "with" and neither its method, its way of capturing nor
// its finding's pattern asks for.
func (c *checker) asked(at string, m *Measure) {
	params := slices.Clone(m.Method.Params)
	if m.Chart != nil {
		params = append(params, chartLevel)
	}
	if m.Judge != nil {
		params = append(params, m.Judge.Pattern.Params...)
	}
	if m.Capture != nil {
		params = append(params, m.Capture.Method.Params...)
	}
	for j, point := range m.Points {
		c.with(fmt.Sprintf("%s.points[%d].with", at, j), point.With, params)
	}
}

// with refuses what nothing asks for.
func (c *checker) with(at string, given map[string]float64, params []string) {
	for name := range given {
		if slices.Contains(params, name) {
			continue
		}
		if len(params) == 0 {
			c.say(at+"."+name, "is not asked for here: nothing here takes it")
			continue
		}
		c.say(at+"."+name, "is not asked for here: use %s", strings.Join(params, ", "))
	}
}

func (c *checker) point(path string, m *Measure, point *Point) {
	var err error
	if point.Target, err = parseTarget(point.At); err != nil {
		c.say(path+".at", "%s", err)
		return
	}
	role := point.Role
	if point.Target.Role != "" {
		role = point.Target.Role
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
	name := m.Quantity
	if point.Target.Quantity != "" {
		name = point.Target.Quantity
	}
	if !r.Realises(name) {
		c.say(path+".at", "role %q does not say that it needs the quantity %q", role, name)
	}
}

// isName reports whether a word is a setting's name.
func isName(word string) bool {
	return word != "" && strings.Trim(word, "abcdefghijklmnopqrstuvwxyz0123456789") == ""
}
