package workshop

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"

	"northneedle/core/procedure"
	"northneedle/core/quantity"
	"northneedle/internal/paper"
)

// instruction is a procedure as a work instruction on paper; standing says how it stands.
func (ws *Workshop) instruction(p *procedure.Procedure, standing string) (f File, err error) {
	lab, err := ws.Lab()
	if err != nil {
		return f, err
	}
	d := paper.Document{Title: p.Title, Lab: lab.Name, At: ws.Clock(),
		Under: fmt.Sprintf("Work instruction %s, revision %d · %s", p.ID, p.Revision, standing)}
	if p.Summary != "" {
		d.Sections = append(d.Sections, paper.Section{Title: "What it is for", Text: p.Summary})
	}
	d.Sections = append(d.Sections,
		paper.Section{Title: "Cautions", Text: "• " + strings.Join(p.Cautions, "\n• ")},
		neededSection(p), stepsSection(p))
	for _, m := range p.Measures() {
		d.Sections = append(d.Sections, pointsSection(m))
	}
	for _, finding := range p.Findings() {
		d.Sections = append(d.Sections, findingSection(finding))
	}
	d.Sections = append(d.Sections, paper.Section{Title: "When it is due again", Text: nextWords(p.Next)},
		paper.Section{Title: "Which text counts", Text: fmt.Sprintf(
			"This paper was written from the revision with SHA-256 %s. The maker's manual, local codes and licensed practice come before it. "+
				"A run is made on the page, which asks for each step in its order and judges what was read.", p.Hash)})
	body, err := d.PDF()
	return File{Name: fmt.Sprintf("%s-revision-%d.pdf", p.ID, p.Revision), Type: "application/pdf", Body: body}, err
}

func neededSection(p *procedure.Procedure) paper.Section {
	s := paper.Section{Title: "What is needed", Empty: "No reference is needed.",
		Columns: []paper.Column{{Title: "what", Wide: 4}, {Title: "kind", Wide: 2}, {Title: "covers", Wide: 4}, {Title: "besides", Wide: 3}}}
	for _, r := range p.Roles {
		var covers, besides []string
		for _, n := range r.Needs {
			covers = append(covers, strings.TrimSpace(fmt.Sprintf("%s %g to %g %s", n.Quantity, n.From, n.To, quantity.ShowUnit(n.Unit))))
		}
		if r.Optional {
			besides = append(besides, "where there is one")
		}
		if r.Litres > 0 {
			besides = append(besides, fmt.Sprintf("about %g L", r.Litres))
		}
		if r.TUR > 0 {
			besides = append(besides, fmt.Sprintf("tolerance ÷ U at least %g", r.TUR))
		}
		for _, done := range r.Prepared {
			besides = append(besides, fmt.Sprintf("%s, not more than %g h before", done.Title, done.Hours))
		}
		s.Rows = append(s.Rows, []string{r.Title, r.Kind, strings.Join(covers, "\n"), strings.Join(besides, "; ")})
	}
	return s
}

func stepsSection(p *procedure.Procedure) paper.Section {
	s := paper.Section{Title: "The steps in their order",
		Columns: []paper.Column{{Title: "no.", Wide: 1}, {Title: "step", Wide: 5}, {Title: "how", Wide: 9}}}
	for i, step := range p.Way() {
		b := step.Base()
		s.Rows = append(s.Rows, []string{strconv.Itoa(i + 1), b.Title, strings.Join(howWords(p, step), "\n")})
	}
	return s
}

// howWords are what a step says, line by line.
func howWords(p *procedure.Procedure, step procedure.Step) (lines []string) {
	b := step.Base()
	say := func(words, of string) {
		if of != "" {
			lines = append(lines, words+of)
		}
	}
	if b.When != "" {
		lines = append(lines, "Only where: "+whenWords(p, b.Condition, b.When)+".")
	}
	say("", b.Do)
	switch step := step.(type) {
	case *procedure.BringStep:
		lines = append(lines, "Bring together what is needed, and say which of it is used.")
	case *procedure.CautionsStep:
		lines = append(lines, "Read the cautions, and say that you did.")
	case *procedure.WaitStep:
		lines = append(lines, fmt.Sprintf("Wait %g min. Cut short: %s.", step.Minutes, step.Why))
	case *procedure.AmbientStep:
		lines = append(lines, "Note temperature, pressure and humidity.")
		if w := step.Temperature; w != nil {
			lines = append(lines, fmt.Sprintf("It means something between %g and %g °C: %s.", w.From, w.To, w.Why))
		}
	case *procedure.RecordStep:
		for _, f := range step.Fields {
			lines = append(lines, "Note: "+fieldWords(f)+".")
		}
	case *procedure.Measure:
		lines = append(lines, fmt.Sprintf("%s, below. Limits %s.", pointsOf(step),
			strings.TrimSpace(step.Tolerance+" "+quantity.ShowUnit(step.Unit))))
	case *procedure.Finding:
		lines = append(lines, "Judge: leave, adjust, look for a mistake in the set-up, or withdraw; see below.")
	case *procedure.SignStep:
		lines = append(lines, "Close what is open, and sign.")
	}
	say("Caution: ", b.Caution)
	say("What a mistake looks like: ", b.Symptom)
	say("From here on open: ", b.Opens)
	say("Closes: ", strings.Join(b.Closes, ", "))
	switch {
	case b.Optional:
		lines = append(lines, "It may be left out, and the statement still stands.")
	case b.LeadOnly():
		lines = append(lines, "Only a lead may leave it out.")
	}
	return lines
}

// whenWords are a condition in words.
func whenWords(p *procedure.Procedure, c procedure.Condition, text string) string {
	for f := range p.Fields() {
		if f.ID != c.Field || c.Field == "" {
			continue
		}
		var options []string
		for _, o := range f.Options {
			if c.Allows(o.ID) {
				options = append(options, o.Title)
			}
		}
		return fmt.Sprintf("%s is %s", f.Label, strings.Join(options, " or "))
	}
	if role, known := p.RoleOf(c.Role); known {
		return map[bool]string{true: role.Title + " was not prepared before", false: role.Title + " is there"}[c.Unprepared]
	}
	return text
}

func fieldWords(f procedure.Field) string {
	words := f.Label
	if len(f.Options) > 0 {
		var options []string
		for _, o := range f.Options {
			options = append(options, o.Title)
		}
		words += " (" + strings.Join(options, " / ") + ")"
	}
	if f.Unit != "" && f.Unit != "1" {
		words += ", in " + quantity.ShowUnit(f.Unit)
	}
	if f.Max > f.Min {
		words += fmt.Sprintf(", %g to %g", f.Min, f.Max)
	}
	return words
}

func pointsOf(m *procedure.Measure) string {
	if len(m.Points) == 1 {
		return "1 point"
	}
	return fmt.Sprintf("%d points", len(m.Points))
}

func pointsSection(m *procedure.Measure) paper.Section {
	s := paper.Section{Title: "Points: " + m.Title}
	in, unit := "", quantity.ShowUnit(m.Unit)
	if unit != "" {
		in = ", in " + unit
	}
	words := []string{fmt.Sprintf("Limits: %s%s. The display is read to %g.", m.Tolerance, in, m.Resolution)}
	if m.School != "" {
		words = append(words, "These limits are those of "+m.School+".")
	}
	for _, other := range m.Alternatives {
		words = append(words, fmt.Sprintf("Also in use: %s, %s.", other.Title, other.Tolerance))
	}
	if m.Repeats > 1 {
		words = append(words, fmt.Sprintf("Each point is read %d times.", m.Repeats))
	}
	if m.Direction != "" {
		words = append(words, "The direction counts: "+m.Direction+".")
	}
	for _, look := range m.SetUp {
		words = append(words, "Far out? First: "+look)
	}
	s.Text = strings.Join(words, "\n")
	led := false // a point says how
	for _, point := range m.Points {
		how := []string{}
		for _, text := range []string{point.Move, point.Do} {
			if text != "" {
				how = append(how, text)
			}
		}
		if point.When != "" {
			how = append(how, "only where "+point.When)
		}
		led = led || len(how) > 0
		s.Rows = append(s.Rows, []string{point.Label, point.At, strings.Join(how, "; ")})
	}
	s.Columns = []paper.Column{{Title: "point", Wide: 4}, {Title: strings.TrimSuffix("at, "+unit, ", "), Wide: 3}}
	if led {
		s.Columns = append(s.Columns, paper.Column{Title: "how", Wide: 7})
	}
	return s
}

func findingSection(f *procedure.Finding) paper.Section {
	s := paper.Section{Title: "Finding: " + f.Title, Empty: "No causes are named.",
		Columns: []paper.Column{{Title: "it looks like", Wide: 3}, {Title: "likely cause", Wide: 11}}}
	for _, shape := range slices.Sorted(maps.Keys(f.Causes)) {
		s.Rows = append(s.Rows, []string{map[string]string{"any": "whatever it is"}[shape], strings.Join(f.Causes[shape], "\n")})
		if last := s.Rows[len(s.Rows)-1]; last[0] == "" {
			last[0] = shape
		}
	}
	for _, outside := range f.Outside {
		s.Rows = append(s.Rows, []string{"outside the device", outside})
	}
	var controls []string
	for _, c := range f.Controls {
		controls = append(controls, c.Label)
	}
	s.Text = "It is adjusted by: " + cmp.Or(strings.Join(controls, ", "), "nothing; it has no control") + "."
	return s
}

func nextWords(n procedure.Next) string {
	switch {
	case n.Each != "":
		return "Each " + n.Each + "."
	case n.Days > 0:
		return strings.TrimSuffix(fmt.Sprintf("After %d days; %s", n.Days, n.Why), "; ") + "."
	default:
		return strings.TrimSuffix(fmt.Sprintf("After %d months; %s", n.Months, n.Why), "; ") + "."
	}
}
