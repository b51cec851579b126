package device

import (
	"cmp"
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"
)

// Affected says which devices a safety notice is about.
type Affected struct {
	Maker    string
	Models   []string // none: all of the maker
	Serials  []Range  // none: all
	Versions []Range  // of the software; none: all
}

// Range is a stretch of serial numbers or versions, its ends with it. One alone has the same for both ends; an empty end is
// open.
type Range struct{ From, To string }

// Reach is whether a notice is about a device.
type Reach string

const (
	NotReached Reach = "no"
	Reached    Reach = "yes"
	Unsure     Reach = "to be looked at" // what it depends on is not known of the device
)

// Reaches says whether a notice is about a device of some maker, model, serial number and software version, and why that is
// not sure. Where letters and blanks are written otherwise is not looked at.
func (a Affected) Reaches(maker, model, serial, version string) (Reach, string) {
	same := func(a, b string) bool { return plain(a) == plain(b) }
	if !same(a.Maker, maker) || len(a.Models) > 0 && !slices.ContainsFunc(a.Models,
		func(m string) bool { return same(m, model) }) {
		return NotReached, ""
	}
	reach, why := Reached, ""
	for _, part := range []struct {
		among []Range
		value string
		what  string
	}{{a.Serials, serial, "serial number"}, {a.Versions, version, "software version"}} {
		switch {
		case len(part.among) == 0:
		case part.value == "":
			reach, why = Unsure, "Its "+part.what+" is not known."
		case !slices.ContainsFunc(part.among, func(r Range) bool { return r.holds(part.value) }):
			return NotReached, ""
		}
	}
	return reach, why
}

// holds reports whether something lies in the stretch. Numbers in it count as numbers: A9 comes before A10, 1.9 before 1.10.
func (r Range) holds(value string) bool {
	return (r.From == "" || natural(r.From, value) <= 0) && (r.To == "" || natural(value, r.To) <= 0)
}

// plain is a name without its blanks and capitals.
func plain(s string) string { return strings.ToLower(strings.Join(strings.Fields(s), "")) }

// pieces are the runs of figures and of other characters in a number.
var pieces = regexp.MustCompile(`[0-9]+|[^0-9]+`)

// natural compares two numbers piece by piece: figures by what they count, the rest by its letters.
func natural(a, b string) int {
	as, bs := pieces.FindAllString(plain(a), -1), pieces.FindAllString(plain(b), -1)
	for i := range min(len(as), len(bs)) {
		x, errX := strconv.ParseUint(as[i], 10, 64)
		y, errY := strconv.ParseUint(bs[i], 10, 64)
		c := cmp.Compare(as[i], bs[i])
		if errX == nil && errY == nil {
			c = cmp.Compare(x, y)
		}
		if c != 0 {
			return c
		}
	}
	return cmp.Compare(len(as), len(bs))
}

// ParseSerials reads which serial numbers a notice names: single ones and stretches, “1200 to 1299, 1402”. Empty: none are
// named. The error names the part that cannot be.
func ParseSerials(text string) (all []Range, err error) {
	for _, part := range ParseNames(text) {
		r, err := parseRange(part)
		if err != nil {
			return nil, err
		}
		if len(pieces.FindAllString(plain(r.From), -1)) != len(pieces.FindAllString(plain(r.To), -1)) {
			return nil, fmt.Errorf("“%s”: its two ends are written in different ways", part)
		}
		all = append(all, r)
	}
	return all, nil
}

// ParseVersions reads which versions a notice names: like serial numbers, and “up to 2.3” or “from 2.0” besides.
func ParseVersions(text string) (all []Range, err error) {
	for _, part := range ParseNames(text) {
		upTo, below := strings.CutPrefix(part, "up to ")
		from, above := strings.CutPrefix(part, "from ")
		r := Range{To: strings.TrimSpace(upTo)}
		switch {
		case below:
		case above && !slices.Contains(strings.Fields(from), "to"):
			r = Range{From: strings.TrimSpace(from)}
		default:
			if r, err = parseRange(from); err != nil {
				return nil, err
			}
		}
		all = append(all, r)
	}
	return all, nil
}

// ParseNames reads a list with commas, semicolons or new lines between its parts; empty parts are left out.
func ParseNames(text string) (names []string) {
	for part := range strings.FieldsFuncSeq(text, func(r rune) bool { return r == ',' || r == ';' || r == '\n' }) {
		if part = strings.TrimSpace(part); part != "" {
			names = append(names, part)
		}
	}
	return names
}

// parseRange reads one number, or a stretch of them.
func parseRange(part string) (Range, error) {
	words := strings.Fields(part)
	at := slices.Index(words, "to")
	if at < 0 {
		return Range{part, part}, nil
	}
	r := Range{strings.Join(words[:at], " "), strings.Join(words[at+1:], " ")}
	switch {
	case r.From == "" || r.To == "":
		return r, fmt.Errorf("“%s”: a stretch has two ends, as 1200 to 1299", part)
	case natural(r.From, r.To) > 0:
		return r, fmt.Errorf("“%s”: its end comes before its beginning", part)
	}
	return r, nil
}
