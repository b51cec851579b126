// Package link is the client of the line protocol that instruments speak: ASCII
// lines in the manner of IEEE 488.2, a query answered by one line, and samples
// streamed after a subscription.
package instrument

import (
	"fmt"
	"math"
	"strconv"
	"strings"
)

// maxLine is the longest line that is still taken for one.
const maxLine = 1024

// Line is what an instrument sent: a sample, or an answer.
type Line struct {
	Sample  bool
	T       float64 // seconds of the instrument's own clock
	Channel string
	Value   float64
	Answer  string
}

// ParseLine reads a line an instrument sent. A sample looks like "#S 12.350 CO2 4.713".
// Anything else printable is an answer. Garbage is an error.
func ParseLine(text string) (Line, error) {
	text = strings.TrimRight(text, "\r\n")
	if len(text) > maxLine {
		return Line{}, fmt.Errorf("a line of %d characters: this is no answer", len(text))
	}
	for _, r := range text {
		if r < ' ' || r > '~' {
			return Line{}, fmt.Errorf("the instrument sent unreadable characters")
		}
	}
	rest, sample := strings.CutPrefix(text, "#S ")
	if !sample {
		if strings.HasPrefix(text, "#") {
			return Line{}, fmt.Errorf("the instrument sent a broken sample: %q", text)
		}
		return Line{Answer: text}, nil
	}
	words := strings.Fields(rest)
	if len(words) != 3 {
		return Line{}, fmt.Errorf("the instrument sent a broken sample: %q", text)
	}
	t, err := number(words[0])
	if err != nil {
		return Line{}, err
	}
	v, err := number(words[2])
	return Line{Sample: true, T: t, Channel: words[1], Value: v}, err
}

// FormatSample writes a sample as [ParseLine] reads it.
func FormatSample(t float64, channel string, value float64) string {
	line := make([]byte, 0, 48) // more than a line is long
	line = strconv.AppendFloat(append(line, "#S "...), t, 'f', 3, 64)
	line = append(append(append(line, ' '), channel...), ' ')
	return string(strconv.AppendFloat(line, value, 'f', 4, 64))
}

func number(word string) (float64, error) {
	v, err := strconv.ParseFloat(word, 64)
	if err != nil || math.IsNaN(v) || math.IsInf(v, 0) {
		return 0, fmt.Errorf("the instrument sent a broken number: %q", word)
	}
	return v, nil
}
