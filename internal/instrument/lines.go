package instrument

import (
	"errors"
	"fmt"
	"io"
	"math"
	"strconv"
	"strings"
	"unicode/utf8"

	"northneedle/core/quantity"
)

// errLong says that what came has no end.
var errLong = errors.New("a line that is too long: this is no answer")

// lineReader cuts what comes into lines. It never keeps more than one line of the longest allowed length.
type lineReader struct {
	from    io.Reader
	longest int
	buffer  [4096]byte
	waiting []byte // read, and not looked at yet
	line    []byte
	over    bool // the line under way is too long: its rest is passed over
}

// next is the next line without its end; ok is false where no whole line came for a moment. What is cut off by the
// end of the connection is no line. An error that is not errLong ends the connection.
func (r *lineReader) next() (line string, ok bool, err error) {
	for {
		for len(r.waiting) > 0 {
			b := r.waiting[0]
			r.waiting = r.waiting[1:]
			switch {
			case b != '\n' && b != '\r' && len(r.line) < r.longest:
				r.line = append(r.line, b)
			case b != '\n' && b != '\r':
				r.over = true
			case r.over:
				r.line, r.over = r.line[:0], false
				return "", false, errLong
			case len(r.line) > 0:
				line := string(r.line)
				r.line = r.line[:0]
				return line, true, nil
			}
		}
		over := r.over
		n, err := r.from.Read(r.buffer[:])
		r.waiting = r.buffer[:n]
		switch {
		case n == 0:
			return "", false, err
		case over:
			return "", false, errLong // and on with its rest
		}
	}
}

// plain turns the bytes of a line into text. Unreadable characters are an error.
func (f LineFormat) plain(line string) (string, error) {
	if f.Encoding == "latin-1" {
		runes := make([]rune, len(line))
		for i := range len(line) {
			runes[i] = rune(line[i])
		}
		line = string(runes)
	}
	if !utf8.ValidString(line) {
		return "", errors.New("it sent unreadable characters")
	}
	for _, r := range line {
		if r < ' ' && r != '\t' || r == 0x7f || r > '~' && f.Encoding != "utf-8" && f.Encoding != "latin-1" {
			return "", errors.New("it sent unreadable characters")
		}
	}
	return strings.TrimSpace(line), nil
}

// reading is what a line says of a channel.
type reading struct {
	value  float64 // in the channel's unit
	t      float64 // s of the instrument's own clock
	timed  bool
	moving bool // it says of itself that it does not stand
}

// read takes a reading out of a line; is reports whether the line is one of this channel's.
func (c *Channel) read(line string) (r reading, is bool, err error) {
	parts := c.Match.parts(line)
	if parts == nil {
		return r, false, nil
	}
	if r.value, err = number(parts["value"]); err != nil {
		return r, true, err
	}
	if printed := strings.TrimSpace(parts["unit"]); printed != "" && printed != c.Unit {
		unit := printed
		if known := c.Units[printed]; known != "" {
			unit = known
		}
		if r.value, err = quantity.Convert(r.value, unit, c.Unit); err != nil {
			return r, true, fmt.Errorf("it sends %q, and this channel is in %s", printed, quantity.ShowUnit(c.Unit))
		}
	}
	if c.Scale != 0 {
		r.value *= c.Scale
	}
	if c.Sign < 0 {
		r.value = -r.value
	}
	if math.IsInf(r.value, 0) || math.Abs(r.value) > absurd {
		return r, true, fmt.Errorf("it sent %s: no instrument measures that", parts["value"])
	}
	if c.Stable != "" {
		r.moving = strings.TrimSpace(parts["stable"]) != c.Stable
	}
	if text := parts["t"]; text != "" {
		if r.t, err = number(text); err != nil {
			return r, true, err
		}
		r.timed = true
	}
	return r, true, nil
}

// absurd is larger than anything that is measured in any of the units.
const absurd = 1e12

func number(word string) (float64, error) {
	word = strings.ReplaceAll(strings.TrimSpace(word), " ", "") // some print the sign apart
	v, err := strconv.ParseFloat(strings.Replace(word, ",", ".", 1), 64)
	if err != nil || math.IsNaN(v) || math.IsInf(v, 0) {
		return 0, fmt.Errorf("it sent a broken number: %q", word)
	}
	return v, nil
}
