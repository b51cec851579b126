// Package sim holds simulated instruments, with simulated devices connected to them. Each is a small physical model,
// served over TCP or a pseudo-terminal in one of several dialects.
package sim

import (
	"fmt"
	"strings"
)

// Command is a line a client sent: its header in the long or short form, and its
// arguments. "SOURce:GAS HG-22,1" and "SOUR:GAS HG-22,1" are the same command.
type Command struct {
	Header string // upper case, as sent, without the question mark
	Query  bool
	Args   []string
}

// ParseCommand reads a command line. It refuses what is not printable ASCII, too
// long, or has no header.
func ParseCommand(line string) (Command, error) {
	line = strings.TrimSpace(line)
	if line == "" || len(line) > 256 {
		return Command{}, fmt.Errorf(`-100,"Command error: a command has 1 to 256 characters"`)
	}
	for _, r := range line {
		if r < ' ' || r > '~' {
			return Command{}, fmt.Errorf(`-101,"Invalid character"`)
		}
	}
	header, rest, _ := strings.Cut(strings.TrimPrefix(line, ":"), " ")
	c := Command{Header: strings.ToUpper(header)}
	if c.Header, c.Query = strings.CutSuffix(c.Header, "?"); c.Header == "" {
		return Command{}, fmt.Errorf(`-110,"Command header error"`)
	}
	if rest = strings.TrimSpace(rest); rest != "" {
		for arg := range strings.SplitSeq(rest, ",") {
			c.Args = append(c.Args, strings.TrimSpace(arg))
		}
	}
	return c, nil
}

// Is reports whether the command has a header, given with its short form in
// capitals: "SOURce:GAS" matches SOUR:GAS and SOURCE:GAS.
func (c Command) Is(pattern string) bool {
	want, have := strings.Split(pattern, ":"), strings.Split(c.Header, ":")
	if len(want) != len(have) {
		return false
	}
	for i, word := range want {
		short := strings.TrimRight(word, "abcdefghijklmnopqrstuvwxyz")
		if have[i] != short && have[i] != strings.ToUpper(word) {
			return false
		}
	}
	return true
}

// long is the header with the short forms of its first word, and of DEVice and PULSe, written out.
func (c Command) long() string {
	words := strings.Split(c.Header, ":")
	for i, w := range words {
		if full, ok := map[string]string{"SOUR": "SOURCE", "SIM": "SIMULATE", "DEV": "DEVICE", "PULS": "PULSE",
			"BRE": "BREATH"}[w]; ok {
			words[i] = full
		}
	}
	return strings.Join(words, ":")
}

// Arg is an argument, or nothing.
func (c Command) Arg(i int) string {
	if i < len(c.Args) {
		return c.Args[i]
	}
	return ""
}
