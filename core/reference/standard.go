package reference

import (
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"northneedle/core/field"
	"northneedle/core/gas"
	"northneedle/core/interval"
	"northneedle/core/quantity"
)

// Standard is a reference standard as it stood when it was bound to a run.
type Standard struct {
	ID          string        `json:"id"`
	Tag         string        `json:"tag"`
	Name        string        `json:"name"`
	Kind        string        `json:"kind"`
	Serial      string        `json:"serial"`
	Status      string        `json:"status" enum:"usable,quarantined,retired"`
	Certificate Certificate   `json:"certificate"`
	Values      []Certified   `json:"values"`
	Cylinder    *gas.Cylinder `json:"cylinder,omitempty"`
	Lot         string        `json:"lot,omitempty"`       // of a calibrator or a control, which expires with its certificate
	Away        *Absence      `json:"away,omitempty"`      // sent out; nil: it is here
	Prepared    []Done        `json:"prepared,omitempty"`  // findings of runs on the reference itself, the newest first
	CheckDue    *time.Time    `json:"check_due,omitempty"` // day of its next check between certificates; nil: none is made
}

// Named is the standard by its tag, and by its lot where it has one.
func (s Standard) Named() string {
	if s.Lot != "" {
		return s.Tag + " (lot " + s.Lot + ")"
	}
	return s.Tag
}

// Certificate is what makes a standard's values traceable. Dates are days.
type Certificate struct {
	Number     string    `json:"number"`
	Issuer     string    `json:"issuer"`
	On         time.Time `json:"on"`
	DueOn      time.Time `json:"due_on"`
	Accredited bool      `json:"accredited"`
}

// IssuedAhead reports whether the certificate is of a day that has not come yet anywhere on the globe:
// it bears the laboratory's date, which may be a day ahead of the workshop's.
func (c Certificate) IssuedAhead(now time.Time) bool { return c.On.After(now.AddDate(0, 0, 1)) }

// Standard status.
const (
	Usable      = "usable"
	Quarantined = "quarantined"
	Retired     = "retired"
)

// Done is a finding of a signed run on a reference itself: its preparation.
type Done struct {
	Procedure string    `json:"procedure"`
	Finding   string    `json:"finding"`
	Run       string    `json:"run"`
	At        time.Time `json:"at"`
	By        string    `json:"by"`
	Passed    bool      `json:"passed"`
	Found     float64   `json:"found,omitempty"`    // the largest error that it found, without its sign, in the unit of its points
	Settings  []Setting `json:"settings,omitempty"` // how the reference was set, as that run recorded it
}

// Setting is something that a preparation recorded of a reference: the condition that it states volumes in, its trigger.
type Setting struct {
	Field string `json:"field"` // the record's
	Label string `json:"label"`
	Value string `json:"value"` // in words
}

// LeftAs is how the newest preparation of a standard left a field, and which that was; false where none says so.
func (s Standard) LeftAs(field string) (Setting, Done, bool) {
	for _, d := range s.Prepared { // the newest first
		for _, set := range d.Settings {
			if set.Field == field {
				return set, d, true
			}
		}
	}
	return Setting{}, Done{}, false
}

// PreparedHere reports whether a standard that fills the role at a time needs nothing of what a run could do to it itself.
func (r Role) PreparedHere(s Standard, at time.Time) bool {
	return !slices.ContainsFunc(r.Prepared, func(p Preparation) bool { return p.Here && p.missing(s, at) != "" })
}

// Filling is a standard as it fills the role at a time: of what a run could do to it itself, only what still counts is
// known of it.
func (r Role) Filling(s Standard, at time.Time) Standard {
	s.Prepared = slices.DeleteFunc(slices.Clone(s.Prepared), func(d Done) bool {
		return slices.ContainsFunc(r.Prepared, func(p Preparation) bool { return p.Here && p.is(d) && p.missing(s, at) != "" })
	})
	return s
}

// is reports whether something that was done is the preparation.
func (p Preparation) is(d Done) bool { return d.Procedure == p.By && d.Finding == p.Finding }

// Found is the largest error that the newest preparations of a standard found of it, which a run could have done itself.
func (r Role) Found(s Standard) (largest float64) {
	for _, p := range r.Prepared {
		at := slices.IndexFunc(s.Prepared, p.is)
		if p.Here && at >= 0 {
			largest = max(largest, s.Prepared[at].Found)
		}
	}
	return largest
}

// missing says what speaks against a standard's preparation at a time; nothing if it holds.
func (p Preparation) missing(s Standard, now time.Time) string {
	for _, d := range s.Prepared {
		if !p.is(d) {
			continue
		}
		age := now.Sub(d.At)
		switch {
		case !d.Passed:
			return fmt.Sprintf("%s was to be %s on %s, and that failed.", s.Tag, p.Title,
				d.At.Format("2006-01-02 15:04"))
		case age.Hours() > p.Hours:
			return fmt.Sprintf("%s was last %s on %s; it counts for %s. Prepare it again.", s.Tag, p.Title,
				d.At.Format("2006-01-02 15:04"), span(p.Hours))
		}
		return ""
	}
	return fmt.Sprintf("%s was not %s yet: prepare it first, by a run of its own (%s).", s.Tag, p.Title, p.By)
}

// counts says until when a preparation that holds does so.
func (p Preparation) counts(s Standard) string {
	done := s.Prepared[slices.IndexFunc(s.Prepared, p.is)]
	until := done.At.Add(time.Duration(p.Hours * float64(time.Hour)))
	return fmt.Sprintf("%s, by %s on %s; counts until %s", p.Title, done.By, done.At.Format("2006-01-02 15:04"),
		until.Format("2006-01-02 15:04"))
}

// span is a number of hours in words.
func span(hours float64) string {
	if hours > 48 {
		return fmt.Sprintf("%.0f days", hours/24)
	}
	return fmt.Sprintf("%.0f hours", hours)
}

// Check finds every mistake in a standard that is to be entered: each with its field.
func (s Standard) Check() []field.Error {
	var mistakes []field.Error
	say := func(path, format string, args ...any) {
		mistakes = append(mistakes, field.Error{Path: path, Message: fmt.Sprintf(format, args...)})
	}
	for path, text := range map[string]string{"tag": s.Tag, "name": s.Name, "kind": s.Kind} {
		if strings.TrimSpace(text) == "" {
			say(path, "is missing")
		}
	}
	c := s.Certificate
	switch {
	case strings.TrimSpace(c.Number) == "":
		say("certificate.number", "is missing: a reference without a certificate cannot be used")
	case strings.TrimSpace(c.Issuer) == "":
		say("certificate.issuer", "is missing: say who certified it")
	case c.On.IsZero():
		say("certificate.on", "is missing: say when it was certified")
	case c.DueOn.IsZero():
		say("certificate.due_on", "is missing: say until when that counts")
	case !c.On.Before(c.DueOn):
		say("certificate.due_on", "%s is not after the day of the certificate, %s", c.DueOn.Format(time.DateOnly),
			c.On.Format(time.DateOnly))
	}
	if len(s.Values) == 0 && s.Lot == "" { // a consumable has a lot and a last day, and no value
		say("values", "is missing: enter at least one certified value or range with its uncertainty")
	}
	for i, v := range s.Values {
		if err := v.Check(); err != nil {
			say(fmt.Sprintf("values[%d]", i), "%s", err)
		}
		if _, err := quantity.ParseUnit(v.Unit); err != nil {
			say(fmt.Sprintf("values[%d].unit", i), "%s", err)
		}
	}
	if y := s.Cylinder; y != nil && !(y.WaterVolumeL > 0 && y.GaugeBar >= 0 && y.ReserveBar >= 0 && y.GaugeBar <= 400) {
		say("cylinder", "needs a water volume above zero, and gauge and reserve from 0 to 400 bar")
	}
	slices.SortFunc(mistakes, func(a, b field.Error) int { return strings.Compare(a.Path, b.Path) })
	return mistakes
}

// Fitness is whether a standard can fill a role, and what speaks against it.
type Fitness struct {
	Blocks   []string `json:"blocks"`          // each a sentence; none means it can be used
	Warnings []string `json:"warnings"`        // worth knowing, not in the way
	Ready    []string `json:"ready,omitempty"` // what was done to it before, by whom, and until when that counts
}

// sort names a kind of standard.
func sort(kind string) string {
	if kind == "" {
		return "of no kind"
	}
	return "a " + strings.ReplaceAll(kind, "-", " ")
}

// Fits checks a standard against a role on a day: kind, status, certificate in
// date, uncertainty stated, range covering what the role needs, gas enough.
func (r Role) Fits(s Standard, on time.Time) Fitness {
	var f Fitness
	block := func(format string, args ...any) { f.Blocks = append(f.Blocks, fmt.Sprintf(format, args...)) }
	if s.Kind != r.Kind {
		block("%s is %s; this role needs %s.", s.Tag, sort(s.Kind), sort(r.Kind))
		return f
	}
	if s.Status != Usable {
		block("%s is %s.", s.Tag, s.Status)
	}
	if s.Away != nil {
		block("%s is %s.", s.Tag, s.Away.Words(on))
	}
	due := s.Certificate.DueOn
	switch {
	case s.Certificate.Number == "" || due.IsZero():
		block("%s has no certificate on file.", s.Tag)
	case interval.Past(due, on) && s.Lot != "":
		block("Lot %s of %s expired on %s.", s.Lot, s.Tag, due.Format(time.DateOnly))
	case interval.Past(due, on):
		block("The certificate of %s ran out on %s.", s.Tag, due.Format(time.DateOnly))
	case on.AddDate(0, 1, 0).After(due):
		f.Warnings = append(f.Warnings, fmt.Sprintf("The certificate of %s runs out on %s.", s.Tag,
			due.Format(time.DateOnly)))
	}
	if s.Unchecked(on) {
		f.Warnings = append(f.Warnings, fmt.Sprintf("%s was to be checked by %s: check it first.", s.Tag, s.CheckDue.Format(time.DateOnly)))
	}
	for _, need := range r.Needs {
		if problem := need.unmet(s); problem != "" {
			block("%s", problem)
		}
	}
	for _, p := range r.Prepared {
		switch problem := p.missing(s, on); {
		case problem == "":
			f.Ready = append(f.Ready, p.counts(s))
		case !p.Here:
			block("%s", problem)
		}
	}
	if s.Cylinder != nil && r.Litres > 0 {
		usable := s.Cylinder.Usable()
		switch {
		case usable < r.Litres:
			block("%s has about %.0f L above its reserve; this run uses about %.0f L.", s.Tag, usable, r.Litres)
		case usable < 3*r.Litres:
			f.Warnings = append(f.Warnings, fmt.Sprintf("%s has about %.0f L left above its reserve.", s.Tag, usable))
		}
	}
	return f
}

func (n Need) unmet(s Standard) string {
	found := false
	low, high := math.Inf(1), math.Inf(-1)
	for _, v := range s.Values {
		if v.Quantity != n.Quantity {
			continue
		}
		if err := v.Check(); err != nil {
			return fmt.Sprintf("%s cannot be used: %s.", s.Tag, err)
		}
		from, to := v.From, v.To
		if from == 0 && to == 0 {
			from, to = v.Value, v.Value
			if v.Piece != "" {
				from = 0
				to = math.Max(0, v.Value)
				if found {
					to += high
				}
			}
		}
		a, err := quantity.Convert(from, v.Unit, n.Unit)
		b, err2 := quantity.Convert(to, v.Unit, n.Unit)
		if err != nil || err2 != nil {
			return fmt.Sprintf("%s states %s in %s, which is not a %s.", s.Tag, n.Quantity, quantity.ShowUnit(v.Unit),
				quantity.ShowUnit(n.Unit))
		}
		found, low, high = true, math.Min(low, a), math.Max(high, b)
	}
	unit := quantity.ShowUnit(n.Unit)
	switch {
	case !found:
		return fmt.Sprintf("%s has no certified value for %s.", s.Tag, n.Quantity)
	case n.single(s) && (low < n.From || high > n.To):
		return strings.TrimSpace(fmt.Sprintf("%s is certified at %g %s; this role needs %g to %g %s.", s.Tag, low, unit,
			n.From, n.To, unit))
	case !n.single(s) && (low > n.From || high < n.To):
		return strings.TrimSpace(fmt.Sprintf("%s covers %g to %g %s; this role needs %g to %g %s.", s.Tag, low, high,
			unit, n.From, n.To, unit))
	}
	return ""
}

// single reports whether the standard has one value (a gas), which must lie within the need, rather than a range that
// must cover it.
func (n Need) single(s Standard) bool {
	for _, v := range s.Values {
		if v.Quantity == n.Quantity && (v.From != 0 || v.To != 0 || v.Piece != "") {
			return false
		}
	}
	return true
}

// Lines are the standard's lines for a quantity that realise the given value; every line
// where the value is of another kind (a flow that a balance weighs).
func (s Standard) Lines(name string, value float64, unit string, covering bool) []Certified {
	var lines []Certified
	for _, v := range s.Values {
		at, err := quantity.Convert(value, unit, v.Unit)
		if v.Quantity == name && (!covering || err != nil || v.Covers(at)) {
			lines = append(lines, v)
		}
	}
	return lines
}

// Unchecked reports whether the standard's check between certificates is overdue on a day.
func (s Standard) Unchecked(on time.Time) bool {
	return s.Status == Usable && s.Away == nil && s.CheckDue != nil && interval.Past(*s.CheckDue, on)
}

// Trouble says why a standard needs attention on a day, with the note that was made of it; empty
// where nothing does.
func (s Standard) Trouble(note string, on time.Time) string {
	switch {
	case s.Status == Quarantined:
		return s.Tag + " " + s.Name + " is in quarantine: " + note
	case s.Away != nil && s.Away.Until != nil && interval.Past(*s.Away.Until, on):
		return s.Tag + " " + s.Name + " is " + s.Away.Words(on) + "."
	case s.Status == Usable && s.Away == nil && interval.Past(s.Certificate.DueOn, on):
		return s.Tag + " " + s.Name + ": its certificate ran out on " + s.Certificate.DueOn.Format(time.DateOnly) + "."
	case s.Unchecked(on):
		return s.Tag + " " + s.Name + ": its check between certificates was due on " + s.CheckDue.Format(time.DateOnly) + "."
	}
	return ""
}
