package quantity

import (
	"fmt"
	"math"
	"strconv"
	"strings"
)

// Quantity is a value in a unit.
type Quantity struct {
	Value float64
	Unit  Unit
}

// Convert returns the quantity in another unit of the same dimension, and an error that names both units otherwise.
func (q Quantity) Convert(to Unit) (Quantity, error) {
	if !q.Unit.Same(to) {
		return Quantity{}, fmt.Errorf("%s cannot be converted to %s: they measure different things", named(q.Unit),
			named(to))
	}
	if q.Unit.factor == to.factor && q.Unit.offset == to.offset {
		return Quantity{q.Value, to}, nil
	}
	base := q.Value*q.Unit.factor + q.Unit.offset
	return Quantity{(base - to.offset) / to.factor, to}, nil
}

func named(u Unit) string {
	if text := u.Shown(); text != "" {
		return text
	}
	return "a plain number"
}

// Convert converts a value between two UCUM codes.
func Convert(value float64, from, to string) (float64, error) {
	if from == to {
		return value, nil
	}
	a, err := ParseUnit(from)
	if err != nil {
		return 0, err
	}
	b, err := ParseUnit(to)
	if err != nil {
		return 0, err
	}
	q, err := Quantity{value, a}.Convert(b)
	return q.Value, err
}

// largest is the largest number that is read, by its size: what is reckoned with it stays a number.
const largest = 1e15

// ParseNumber reads a number as a technician types it: a comma or a point for the
// decimals, a typographic minus, surrounding blanks. It refuses anything else, in
// words, including a value that is not finite and a number with both marks.
func ParseNumber(text string) (float64, error) {
	clean := strings.TrimSpace(text)
	if clean == "" {
		return 0, fmt.Errorf("nothing was typed: enter a number such as 4.71")
	}
	clean = strings.ReplaceAll(clean, "−", "-")
	if strings.Contains(clean, ",") && strings.Contains(clean, ".") {
		return 0, fmt.Errorf("%q has both a comma and a point: use one of them, for the decimals only", text)
	}
	if strings.Count(clean, ",")+strings.Count(clean, ".") > 1 {
		return 0, fmt.Errorf("%q has more than one decimal mark: use one, for the decimals only", text)
	}
	clean = strings.ReplaceAll(clean, ",", ".")
	for _, r := range clean {
		if (r < '0' || r > '9') && !strings.ContainsRune("+-.eE", r) {
			return 0, fmt.Errorf("%q is not a number: type digits, with a comma or a point for the decimals", text)
		}
	}
	value, err := strconv.ParseFloat(clean, 64)
	if err != nil || math.IsInf(value, 0) || math.IsNaN(value) {
		return 0, fmt.Errorf("%q is not a number: type digits, with a comma or a point for the decimals", text)
	}
	if math.Abs(value) > largest {
		return 0, fmt.Errorf("%q is too large: nothing here is read beyond %g", text, float64(largest))
	}
	return value, nil
}

// Parse reads a number followed by a UCUM code, such as "0.5 L/min" or "5,02 %{vol}".
// A number alone has the unit "1".
func Parse(text string) (Quantity, error) {
	clean := strings.TrimSpace(text)
	end := 0
	for end < len(clean) {
		r := clean[end]
		number := (r >= '0' && r <= '9') || r == '+' || r == '-' || r == '.' || r == ','
		exponent := (r == 'e' || r == 'E') && end > 0 && end+1 < len(clean) &&
			strings.IndexByte("0123456789+-", clean[end+1]) >= 0
		if !number && !exponent && !strings.HasPrefix(clean[end:], "−") {
			break
		}
		if strings.HasPrefix(clean[end:], "−") {
			end += len("−")
		} else {
			end++
		}
	}
	value, err := ParseNumber(clean[:end])
	if err != nil {
		return Quantity{}, err
	}
	code := strings.TrimSpace(clean[end:])
	if code == "" {
		code = "1"
	}
	unit, err := ParseUnit(code)
	if err != nil {
		return Quantity{}, err
	}
	return Quantity{value, unit}, nil
}

// String writes the quantity so that [Parse] reads it back exactly.
func (q Quantity) String() string {
	number := strconv.FormatFloat(q.Value, 'g', -1, 64)
	if q.Unit.code == "" || q.Unit.code == "1" {
		return number
	}
	return number + " " + q.Unit.code
}

// Decimals is the number of decimals that a resolution needs: 0.05 needs 2, 5 needs 0. At most 9.
func Decimals(resolution float64) int {
	if resolution <= 0 || math.IsNaN(resolution) {
		return 3
	}
	for n := 0; n < 9; n++ {
		scaled := resolution * math.Pow10(n)
		if math.Abs(scaled-math.Round(scaled)) < 1e-6*math.Max(1, scaled) && math.Round(scaled) > 0 {
			return n
		}
	}
	return 9
}

// Format shows a value at a device's resolution, rounded to a whole number of its
// steps, with a typographic minus. It shows; it never feeds a verdict.
func Format(value, resolution float64) string {
	if math.IsNaN(value) || math.IsInf(value, 0) {
		return "not defined"
	}
	if resolution > 0 {
		value = math.Round(value/resolution) * resolution
	}
	text := strconv.FormatFloat(value, 'f', Decimals(resolution), 64)
	if strings.Trim(text, "-0.") == "" {
		text = strings.TrimPrefix(text, "-")
	}
	return strings.Replace(text, "-", "−", 1)
}

// FormatSigned is [Format] with a plus sign on positive values, for errors.
func FormatSigned(value, resolution float64) string {
	text := Format(value, resolution)
	if value > 0 && strings.Trim(text, "0.") != "" {
		return "+" + text
	}
	return text
}
