package procedure

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"northneedle/core/conformity"
	"northneedle/core/quantity"
	"northneedle/core/reference"
)

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
	given := map[string]string{"gross_by": m.GrossBy, "limit_plus": m.LimitPlus}
	if m.Low != nil {
		given["low.percent"] = m.Low.Percent
		c.need(at+".low.percent", m.Low.Percent)
		if !(m.Low.UpTo > 0) {
			c.say(at+".low.up_to", "is above zero, it is %g", m.Low.UpTo)
		}
	}
	for path, field := range given {
		if field != "" && !c.recorded(field) {
			c.say(at+"."+path, "no record has a field %q", field)
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

// recorded reports whether some record has a field.
func (c *checker) recorded(field string) bool {
	return slices.ContainsFunc(c.p.Steps, func(s Step) bool {
		record, is := s.(*RecordStep)
		return is && slices.ContainsFunc(record.Fields, func(f Field) bool { return f.ID == field })
	})
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
	c.upright(path+".at", m, point)
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
	c.convertible(path+".at", m, point, r, name)
}

// convertible refuses a point whose value is that of a standard which states it in a unit of another kind. Where the point has
// a value of its own, its method may get at it by another: a flow is weighed.
func (c *checker) convertible(path string, m *Measure, point *Point, r reference.Role, name string) {
	for _, n := range r.Needs {
		if point.Target.Role == "" || n.Quantity != name {
			continue
		}
		if _, err := quantity.ScaleOf(name, n.Unit, m.Unit); err != nil {
			c.say(path, "role %q has its %s in %s, and the measure is in %s: they measure different things", r.ID,
				name, n.Unit, m.Unit)
		}
	}
}

// upright refuses limits that run backwards at a point whose value stands in the file.
func (c *checker) upright(path string, m *Measure, point *Point) {
	if m.Limits == nil || point.Target.Role != "" || point.Target.Of != "" {
		return
	}
	if limits, err := m.Limits(point.Target.Value, nil); err == nil && !(limits.Low <= limits.High) {
		c.say(path, "the limits run backwards at %g: %g to %g", point.Target.Value, limits.Low, limits.High)
	}
}

// isName reports whether a word is a setting's name.
func isName(word string) bool {
	return word != "" && strings.Trim(word, "abcdefghijklmnopqrstuvwxyz0123456789") == ""
}
