package exchange

import (
	"bytes"
	"fmt"
	"strings"
	"unicode/utf8"

	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"
)

// decoded is a text in UTF-8. Spreadsheets also write UTF-16, which says so at its beginning, and Windows-1252, which is
// what remains where a text is no UTF-8.
func decoded(text []byte) (string, error) {
	switch {
	case bytes.HasPrefix(text, []byte{0xff, 0xfe}), bytes.HasPrefix(text, []byte{0xfe, 0xff}):
		out, err := unicode.UTF16(unicode.LittleEndian, unicode.UseBOM).NewDecoder().Bytes(text)
		if err != nil {
			return "", fmt.Errorf("the file says that it is UTF-16, and is not: %w", err)
		}
		return string(out), nil
	case utf8.Valid(text):
		return strings.TrimPrefix(string(text), "\ufeff"), nil
	}
	out, err := charmap.Windows1252.NewDecoder().Bytes(text)
	return string(out), err
}

// openQuote is the line on which a quote is opened that is never closed; 0 where every one is.
func openQuote(text string) int {
	line, opened, inside := 1, 0, false
	for _, r := range text {
		switch r {
		case '"':
			if inside = !inside; inside {
				opened = line
			}
		case '\n':
			line++
		}
	}
	if inside {
		return opened
	}
	return 0
}

// separator is what stands between the columns, by the first line.
func separator(text string) rune {
	first, _, _ := strings.Cut(text, "\n")
	best, most := ',', 0
	for _, c := range []rune{',', ';', '\t'} {
		if n := strings.Count(first, string(c)); n > most {
			best, most = c, n
		}
	}
	return best
}
