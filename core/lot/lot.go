// Package lot reads the labels of consumables that come in lots and run out.
package lot

import (
	"fmt"
	"strconv"
	"strings"
	"time"
)

// Label is what a consumable's barcode says.
type Label struct {
	Item    string    `json:"item"`              // its item number (GTIN), 14 digits
	Lot     string    `json:"lot"`               // lot or batch
	Expires time.Time `json:"expires"`           // its last day
	Serial  string    `json:"serial,omitempty"`  // where it has one
	Content string    `json:"content,omitempty"` // count of pieces, where it says
}

// separator is what a scanner sends for the end of a field of no fixed length (FNC1).
const separator = "\x1d"

// fields are the application identifiers that are read here: how long what follows is, 0
// where a separator ends it, and up to how many characters then.
var fields = map[string]struct{ fixed, most int }{
	"01": {14, 14},
	"11": {6, 6},
	"17": {6, 6},
	"10": {0, 20},
	"21": {0, 20},
	"30": {0, 8},
}

// ReadLabel reads a label's element string, as a scanner types it: with the identifiers in
// brackets, "(01)0…(17)271130(10)A4471", or bare with FNC1 between fields. A lot and an
// expiry are needed; the item number's check digit is verified. GS1 General
// Specifications, 3 and 7.
func ReadLabel(text string) (Label, error) {
	text = strings.TrimSpace(text)
	for _, symbology := range []string{"]C1", "]d2", "]Q3", "]e0"} {
		text = strings.TrimPrefix(text, symbology)
	}
	text = strings.TrimPrefix(text, separator)
	found, err := elements(text)
	if err != nil {
		return Label{}, err
	}
	label := Label{Item: found["01"], Lot: found["10"], Serial: found["21"], Content: found["30"]}
	switch {
	case label.Lot == "":
		return label, fmt.Errorf("the label names no lot (10): type the lot and its expiry by hand")
	case found["17"] == "":
		return label, fmt.Errorf("the label names no expiry (17): type the lot and its expiry by hand")
	case label.Item != "" && !checked(label.Item):
		return label, fmt.Errorf("the item number %s does not check: scan again", label.Item)
	}
	label.Expires, err = day(found["17"])
	return label, err
}

// elements splits an element string by its application identifiers.
func elements(text string) (map[string]string, error) {
	found := map[string]string{}
	bracketed := strings.HasPrefix(text, "(")
	for text != "" {
		if bracketed {
			if !strings.HasPrefix(text, "(") || len(text) < 4 || text[3] != ')' {
				return nil, fmt.Errorf("this is no label that can be read here: after %d fields comes %q", len(found),
					clip(text))
			}
			text = text[1:3] + text[4:]
		}
		if len(text) < 2 {
			return nil, fmt.Errorf("the label ends in the middle of a field: scan again")
		}
		id := text[:2]
		f, known := fields[id]
		if !known {
			return nil, fmt.Errorf("the field (%s) is not read here: type the lot and its expiry by hand", clip(id))
		}
		text = text[2:]
		end := f.fixed
		if end == 0 {
			if end = strings.IndexAny(text, separator+"("); end < 0 {
				end = len(text)
			}
		}
		if end > len(text) || end == 0 || end > f.most {
			return nil, fmt.Errorf("the field (%s) is too short, too long or empty: scan again", id)
		}
		if _, twice := found[id]; twice {
			return nil, fmt.Errorf("the field (%s) stands twice: these are two labels; scan them one by one", id)
		}
		found[id], text = text[:end], strings.TrimPrefix(text[end:], separator)
	}
	return found, nil
}

func clip(text string) string {
	if len(text) > 12 {
		text = text[:12] + "…"
	}
	return strings.Map(func(r rune) rune {
		if r < ' ' {
			return '·'
		}
		return r
	}, text)
}

// checked verifies a GTIN's check digit.
func checked(item string) bool {
	sum := 0
	for i, r := range item {
		if r < '0' || r > '9' {
			return false
		}
		weight := 1
		if i%2 == 0 {
			weight = 3
		}
		sum += weight * int(r-'0')
	}
	return sum%10 == 0
}

// day is a date of six digits, YYMMDD; the day 00 is the month's last. The century is the
// one within fifty years of 2026, fixed so that a label always means the same.
func day(digits string) (time.Time, error) {
	n, err := strconv.Atoi(digits)
	if err != nil || n < 0 {
		return time.Time{}, fmt.Errorf("the expiry %q is no date", digits)
	}
	year, month, d := 2000+n/10000, n/100%100, n%100
	if year > 2076 {
		year -= 100
	}
	if month < 1 || month > 12 || d > 31 {
		return time.Time{}, fmt.Errorf("the expiry %q is no date", digits)
	}
	if d == 0 {
		return time.Date(year, time.Month(month)+1, 0, 0, 0, 0, 0, time.UTC), nil
	}
	t := time.Date(year, time.Month(month), d, 0, 0, 0, 0, time.UTC)
	if t.Day() != d {
		return time.Time{}, fmt.Errorf("the expiry %q is no date", digits)
	}
	return t, nil
}
