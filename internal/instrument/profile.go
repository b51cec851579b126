package instrument

import (
	"fmt"
	"regexp"
	"regexp/syntax"
	"slices"
	"strings"
	"time"

	"northneedle/core/quantity"
)

// Profile says how a sort of instrument is spoken to. It is read from YAML, and is part of every number that
// comes through it: it carries unit, scale and sign. Its hash is kept with each reading.
type Profile struct {
	ID    string `json:"id" yaml:"id" jsonschema:"pattern=^[a-z][a-z0-9-]*$"`
	Title string `json:"title" yaml:"title"`
	// Kind of instrument, as the procedures name it: "balance".
	Kind string `json:"kind" yaml:"kind" jsonschema:"pattern=^[a-z][a-z0-9-]*$"`
	Note string `json:"note,omitempty" yaml:"note,omitempty"`
	// How it is connected, where nothing else is said of an instrument.
	Link LinkDefaults `json:"link" yaml:"link"`
	Line LineFormat   `json:"line" yaml:"line"`
	// What is sent to learn what answers, and what must come back.
	Identify *Question `json:"identify,omitempty" yaml:"identify,omitempty"`
	Channels []Channel `json:"channels" yaml:"channels" jsonschema:"minItems=1"`
	Settings []Setting `json:"settings,omitempty" yaml:"settings,omitempty"`
	// What it can be told to do: zero, tare, start.
	Acts map[string]Question `json:"acts,omitempty" yaml:"acts,omitempty"`
	// How it is asked for its errors; Match tells that there is none.
	Errors *Question `json:"errors,omitempty" yaml:"errors,omitempty"`
	// A line that refuses what was sent. The part "reason" of the pattern says why.
	Refused Pattern `json:"refused,omitempty" yaml:"refused,omitempty"`
	// Beginnings of what is never sent to it, by nobody.
	Never []string `json:"never,omitempty" yaml:"never,omitempty"`

	Text string `json:"-" yaml:"-"` // as it was read
	Hash string `json:"-" yaml:"-"` // SHA-256 of Text
	Own  bool   `json:"-" yaml:"-"` // the lab's own, not shipped
}

// LinkDefaults are the ways an instrument may be connected.
type LinkDefaults struct {
	Serial *Serial `json:"serial,omitempty" yaml:"serial,omitempty"`
	TCP    bool    `json:"tcp,omitempty" yaml:"tcp,omitempty"`
}

// Serial is how a serial port is set. Zero values: 9600 baud, 8 bits, no parity, 1 stop bit, no flow control.
type Serial struct {
	Baud   int    `json:"baud,omitempty" yaml:"baud,omitempty" jsonschema:"minimum=50,maximum=4000000" minimum:"0" maximum:"4000000"`
	Bits   int    `json:"bits,omitempty" yaml:"bits,omitempty" jsonschema:"enum=5,enum=6,enum=7,enum=8" minimum:"0" maximum:"8"`
	Parity string `json:"parity,omitempty" yaml:"parity,omitempty" jsonschema:"enum=none,enum=odd,enum=even,enum=mark,enum=space" enum:",none,odd,even,mark,space"`
	Stop   string `json:"stop,omitempty" yaml:"stop,omitempty" jsonschema:"oneof_type=string;number,enum=1,enum=1.5,enum=2" enum:",1,1.5,2"`
	Flow   string `json:"flow,omitempty" yaml:"flow,omitempty" jsonschema:"enum=none,enum=rts-cts,enum=xon-xoff" enum:",none,rts-cts,xon-xoff"`
}

// LineFormat is how lines end, and how they are written.
type LineFormat struct {
	Ends     string `json:"ends" yaml:"ends" jsonschema:"enum=CRLF,enum=LF,enum=CR"` // of what is sent; what comes may end either way
	Encoding string `json:"encoding,omitempty" yaml:"encoding,omitempty" jsonschema:"enum=ascii,enum=latin-1,enum=utf-8"`
	Longest  int    `json:"longest,omitempty" yaml:"longest,omitempty" jsonschema:"minimum=4,maximum=4096"` // characters; 0 means 1024
}

// end is what a line that is sent ends with.
func (f LineFormat) end() string {
	return map[string]string{"LF": "\n", "CR": "\r", "CRLF": "\r\n"}[f.Ends]
}

// longest is how many characters a line may have.
func (f LineFormat) longest() int {
	if f.Longest == 0 {
		return 1024
	}
	return f.Longest
}

// Question is something that is sent, and what must come back. Without Match nothing comes back.
type Question struct {
	Send   string  `json:"send" yaml:"send"`
	Match  Pattern `json:"match,omitempty" yaml:"match,omitempty"`
	Every  Span    `json:"every,omitempty" yaml:"every,omitempty"`   // how often, where it is asked again and again; 0 means a second
	Within Span    `json:"within,omitempty" yaml:"within,omitempty"` // how long the answer may take; 0 means a second
}

// Channel is one thing that an instrument measures. With Ask it is polled; without, its lines come by themselves.
type Channel struct {
	ID       string `json:"id" yaml:"id" jsonschema:"pattern=^[A-Z][A-Z0-9-]*$"` // as the procedures name it: "MASS"
	Title    string `json:"title,omitempty" yaml:"title,omitempty"`
	Quantity string `json:"quantity" yaml:"quantity"`
	Unit     string `json:"unit" yaml:"unit"` // UCUM, of the samples that are made of it
	// What makes it send by itself, sent once after connecting.
	Start *Question `json:"start,omitempty" yaml:"start,omitempty"`
	Ask   *Question `json:"ask,omitempty" yaml:"ask,omitempty"`
	// A line that carries a reading. The part "value" is the reading; "unit" its unit as it is printed, "stable" a sign
	// whether it stands, "t" seconds of the instrument's own clock.
	Match Pattern `json:"match" yaml:"match"`
	// What the part "stable" reads when the reading stands.
	Stable string `json:"stable,omitempty" yaml:"stable,omitempty"`
	// UCUM of the units as they are printed, where that is not the same: "lb: [lb_av]".
	Units map[string]string `json:"units,omitempty" yaml:"units,omitempty"`
	Scale float64           `json:"scale,omitempty" yaml:"scale,omitempty"`                           // one of Unit for one that is printed; 0 means 1
	Sign  int               `json:"sign,omitempty" yaml:"sign,omitempty" jsonschema:"enum=1,enum=-1"` // -1 turns it round
	// How long what is measured takes to the sensor, as in a sampling line: until then it is the gas of before.
	Delay Span `json:"delay,omitempty" yaml:"delay,omitempty"`
	// A line comes only when a key of the instrument's own is pressed.
	Key bool `json:"key,omitempty" yaml:"key,omitempty"`
}

// Setting is something that an instrument can be set to. "{value}" in Send stands for what.
type Setting struct {
	ID string `json:"id" yaml:"id"`
	// How it is told; empty where it can be set by its own menu only.
	Send  string  `json:"send,omitempty" yaml:"send,omitempty"`
	Match Pattern `json:"match,omitempty" yaml:"match,omitempty"` // what acknowledges it; empty: nothing does
	// How it is read back. The part "value" of the pattern is what it is set to.
	Read *Question `json:"read,omitempty" yaml:"read,omitempty"`
	// What a procedure's word is called here.
	Values map[string]string `json:"values,omitempty" yaml:"values,omitempty"`
	// It starts what is measured, as opening a lid does: it is set last, and the trace begins just before it.
	Starts bool `json:"starts,omitempty" yaml:"starts,omitempty"`
	// Only simulated instruments have it.
	Simulated bool `json:"simulated,omitempty" yaml:"simulated,omitempty"`
}

// Pattern is a regular expression that a line must match. The zero value matches nothing.
type Pattern struct {
	*regexp.Regexp
	contains string // what every line that matches contains: a quick look, before the expression is tried
	problem  error  // why it is no expression
}

// UnmarshalText compiles the expression. What is wrong with it is told by [Profile.Check].
func (p *Pattern) UnmarshalText(text []byte) error {
	if p.Regexp, p.problem = regexp.Compile(string(text)); p.problem != nil {
		return nil
	}
	parsed, err := syntax.Parse(string(text), syntax.Perl)
	if err != nil || parsed.Op != syntax.OpConcat {
		return nil
	}
	for _, part := range parsed.Sub {
		literal := part.Op == syntax.OpLiteral && part.Flags&syntax.FoldCase == 0
		if literal && len(part.Rune) > len(p.contains) {
			p.contains = string(part.Rune)
		}
	}
	return nil
}

// MarshalText is the expression.
func (p Pattern) MarshalText() ([]byte, error) { return []byte(p.String()), nil }

// String is the expression; empty for the zero value.
func (p Pattern) String() string {
	if p.Regexp == nil {
		return ""
	}
	return p.Regexp.String()
}

// parts are the named parts of a line that matches; nil where it does not.
func (p Pattern) parts(line string) map[string]string {
	if p.Regexp == nil || !strings.Contains(line, p.contains) {
		return nil
	}
	found := p.FindStringSubmatch(line)
	if found == nil {
		return nil
	}
	parts := map[string]string{}
	for i, name := range p.SubexpNames() {
		if name != "" {
			parts[name] = found[i]
		}
	}
	return parts
}

// has reports whether a pattern names a part.
func (p Pattern) has(part string) bool {
	return p.Regexp != nil && slices.Contains(p.SubexpNames(), part)
}

// Span is a length of time, written "200 ms" or "5 s".
type Span time.Duration

// noSpan is what was written for a length of time and is none.
const noSpan Span = -1

// UnmarshalText reads a length of time. What is none is told by [Profile.Check].
func (s *Span) UnmarshalText(text []byte) error {
	d, err := time.ParseDuration(strings.ReplaceAll(string(text), " ", ""))
	if *s = Span(d); err != nil || d <= 0 || d > 10*time.Minute {
		*s = noSpan
	}
	return nil
}

// MarshalText writes a length of time.
func (s Span) MarshalText() ([]byte, error) { return []byte(time.Duration(s).String()), nil }

// or is the span, or another where none is given.
func (s Span) or(other time.Duration) time.Duration {
	if s == 0 {
		return other
	}
	return time.Duration(s)
}

// Find is the profile with an id; nil where there is none.
func Find(all []*Profile, id string) *Profile {
	for _, p := range all {
		if p.ID == id {
			return p
		}
	}
	return nil
}

// Channel is the one with an id; nil where there is none.
func (p *Profile) Channel(id string) *Channel {
	for i := range p.Channels {
		if p.Channels[i].ID == id {
			return &p.Channels[i]
		}
	}
	return nil
}

// Setting is the one with an id; nil where there is none.
func (p *Profile) Setting(id string) *Setting {
	for i := range p.Settings {
		if p.Settings[i].ID == id {
			return &p.Settings[i]
		}
	}
	return nil
}

// Forbids reports whether a command is one of those that are never sent.
func (p *Profile) Forbids(command string) bool {
	return slices.ContainsFunc(p.Never, func(begin string) bool {
		return strings.HasPrefix(strings.ToUpper(strings.TrimLeft(command, " :")), strings.ToUpper(begin))
	})
}

// Mistake is something wrong in a profile, with the path of its field.
type Mistake struct{ Path, Message string }

// Check finds what is wrong with a profile.
func (p *Profile) Check() (all []Mistake) {
	wrong := func(path, format string, args ...any) { all = append(all, Mistake{path, fmt.Sprintf(format, args...)}) }
	for path, value := range map[string]string{"id": p.ID, "title": p.Title, "kind": p.Kind} {
		if strings.TrimSpace(value) == "" {
			wrong(path, "is missing")
		}
	}
	if p.Link.Serial == nil && !p.Link.TCP {
		wrong("link", "say how it is connected: serial, tcp or both")
	}
	if p.Line.end() == "" {
		wrong("line.ends", "%q: say CRLF, LF or CR", p.Line.Ends)
	}
	if s := p.Link.Serial; s != nil {
		if err := s.check(); err != nil {
			wrong("link.serial", "%s", err)
		}
	}
	if len(p.Channels) == 0 {
		wrong("channels", "an instrument without a channel gives no reading")
	}
	for i, c := range p.Channels {
		at := fmt.Sprintf("channels[%d]", i)
		if c.ID == "" || p.Channel(c.ID) != &p.Channels[i] {
			wrong(at+".id", "%q is missing or stands twice", c.ID)
		}
		if _, err := quantity.ParseUnit(c.Unit); c.Unit == "" || err != nil {
			wrong(at+".unit", "%q is no UCUM unit that is known", c.Unit)
		}
		if c.Match.problem != nil {
			wrong(at+".match", "%s", c.Match.problem)
		} else if !c.Match.has("value") {
			wrong(at+".match", "the pattern has no part (?P<value>…): nothing says what the reading is")
		}
		if c.Stable != "" && !c.Match.has("stable") {
			wrong(at+".stable", "the pattern has no part (?P<stable>…)")
		}
		if c.Key && c.Ask != nil {
			wrong(at+".key", "what comes at the instrument's own key is not asked for")
		}
		if c.Ask != nil && c.Ask.Send == "" {
			wrong(at+".ask.send", "is missing")
		}
		if c.Delay == noSpan {
			wrong(at+".delay", `is no length of time: write "200 ms" or "5 s", up to 10 min`)
		}
		for printed, unit := range c.Units {
			if _, err := quantity.Convert(1, unit, c.Unit); err != nil {
				wrong(at+".units", "%s: %s", printed, err)
			}
		}
	}
	for i, s := range p.Settings {
		at := fmt.Sprintf("settings[%d]", i)
		if s.ID == "" || p.Setting(s.ID) != &p.Settings[i] {
			wrong(at+".id", "%q is missing or stands twice", s.ID)
		}
		if !strings.Contains(s.Send, "{value}") && (s.Send != "" || s.Read == nil) {
			wrong(at+".send", "has no {value}: nothing says what it is set to")
		}
		if s.Read != nil && !s.Read.Match.has("value") {
			wrong(at+".read.match", "the pattern has no part (?P<value>…)")
		}
	}
	for path, q := range p.questions() {
		switch {
		case p.Forbids(q.Send):
			wrong(path+".send", "sends %q, which stands under never", q.Send)
		case q.Match.problem != nil:
			wrong(path+".match", "%s", q.Match.problem)
		case q.Every == noSpan:
			wrong(path+".every", `is no length of time: write "200 ms" or "5 s", up to 10 min`)
		case q.Within == noSpan:
			wrong(path+".within", `is no length of time: write "200 ms" or "5 s", up to 10 min`)
		}
	}
	if p.Refused.problem != nil {
		wrong("refused", "%s", p.Refused.problem)
	}
	slices.SortFunc(all, func(x, y Mistake) int { return strings.Compare(x.Path, y.Path) })
	return all
}

// questions is everything a profile sends by itself, by its path.
func (p *Profile) questions() map[string]Question {
	all := map[string]Question{}
	note := func(path string, q *Question) {
		if q != nil {
			all[path] = *q
		}
	}
	note("identify", p.Identify)
	note("errors", p.Errors)
	for i, c := range p.Channels {
		note(fmt.Sprintf("channels[%d].start", i), c.Start)
		note(fmt.Sprintf("channels[%d].ask", i), c.Ask)
	}
	for i, s := range p.Settings {
		if s.Send != "" {
			all[fmt.Sprintf("settings[%d]", i)] = Question{Send: s.Send, Match: s.Match}
		}
		note(fmt.Sprintf("settings[%d].read", i), s.Read)
	}
	for name, q := range p.Acts {
		all["acts."+name] = q
	}
	return all
}
