package conformity

import (
	"fmt"
	"math"
	"strconv"
	"strings"
)

// ParseTolerance reads the text form described at [Tolerance]. Commas separate the
// parts of max(…) and min(…), so decimals take a point here. The error says what
// was expected where.
func ParseTolerance(text string) (Tolerance, error) {
	if len(text) > 400 {
		return Tolerance{}, fmt.Errorf("the tolerance is longer than 400 characters")
	}
	if strings.Contains(text, ":") {
		root, err := parsePieces(text)
		return Tolerance{root}, wrap(text, err)
	}
	p := &parser{text: strings.ReplaceAll(text, "−", "-")}
	root, err := p.node(0)
	if err == nil {
		p.blanks()
		if p.at < len(p.text) {
			err = fmt.Errorf("%q is left over", p.text[p.at:])
		}
	}
	if err != nil {
		return Tolerance{}, wrap(text, err)
	}
	return Tolerance{root}, nil
}

func wrap(text string, err error) error {
	if err == nil {
		return nil
	}
	return fmt.Errorf("tolerance %q: %w; write it like \"±2\", \"±(0.43 + 8 %% of reading)\" or \"max(±2, ±5 %% of reading)\"", text, err)
}

func parsePieces(text string) (node, error) {
	var all pieces
	for part := range strings.SplitSeq(text, ";") {
		bounds, rest, ok := strings.Cut(part, ":")
		if !ok {
			return nil, fmt.Errorf("%q has no colon between its range and its tolerance", strings.TrimSpace(part))
		}
		if strings.Contains(rest, ":") {
			return nil, fmt.Errorf("%q has two colons: separate ranges with a semicolon", strings.TrimSpace(part))
		}
		r := &parser{text: strings.ReplaceAll(bounds, "−", "-")}
		n, err := r.node(0)
		w, isRange := n.(within)
		if err != nil || !isRange || strings.TrimSpace(r.text[r.at:]) != "" {
			return nil, fmt.Errorf("%q is not a range such as 0..40", strings.TrimSpace(bounds))
		}
		inner, err := ParseTolerance(rest)
		if err != nil {
			return nil, fmt.Errorf("range %q: no tolerance was understood after the colon", strings.TrimSpace(bounds))
		}
		all = append(all, piece{w.low, w.high, inner.root})
	}
	return all, nil
}

type parser struct {
	text string
	at   int
}

func (p *parser) blanks() {
	for p.at < len(p.text) && (p.text[p.at] == ' ' || p.text[p.at] == '\t') {
		p.at++
	}
}

// take consumes a word if it comes next.
func (p *parser) take(word string) bool {
	p.blanks()
	if strings.HasPrefix(p.text[p.at:], word) {
		p.at += len(word)
		return true
	}
	return false
}

func (p *parser) node(depth int) (node, error) {
	switch {
	case depth > 4:
		return nil, fmt.Errorf("it is nested too deep")
	case p.take("max("):
		of, err := p.list(depth)
		return widest{false, of}, err
	case p.take("min("):
		of, err := p.list(depth)
		return widest{true, of}, err
	case p.take("±"), p.take("+/-"):
		return p.symmetric()
	case p.take("<="), p.take("≤"):
		v, err := p.number(true)
		return sided{math.Inf(-1), v}, err
	case p.take(">="), p.take("≥"):
		v, err := p.number(true)
		return sided{v, math.Inf(1)}, err
	}
	low, err := p.number(true)
	if err != nil {
		return nil, err
	}
	switch {
	case p.take("/"):
		if !p.take("+") {
			return nil, fmt.Errorf("after %q a \"/+\" and the upper limit are expected", p.text[:p.at])
		}
		high, err := p.number(false)
		if err == nil && low > high {
			err = fmt.Errorf("the lower limit is above the upper one")
		}
		return sided{low, high}, err
	case p.take(".."):
		high, err := p.number(true)
		if err == nil && low > high {
			err = fmt.Errorf("the range runs backwards")
		}
		return within{low, high}, err
	}
	return nil, fmt.Errorf("a bare number could mean two things: write \"±%g\", or \"-a/+b\"", low)
}

func (p *parser) list(depth int) ([]node, error) {
	var of []node
	for {
		n, err := p.node(depth + 1)
		if err != nil {
			return nil, err
		}
		of = append(of, n)
		if p.take(",") {
			continue
		}
		if p.take(")") {
			return of, nil
		}
		return nil, fmt.Errorf("a comma or a closing bracket is missing")
	}
}

func (p *parser) symmetric() (node, error) {
	if !p.take("(") {
		t, err := p.term()
		return symmetric{t}, err
	}
	var sum symmetric
	for {
		t, err := p.term()
		if err != nil {
			return nil, err
		}
		sum = append(sum, t)
		if p.take("+") {
			continue
		}
		if p.take(")") {
			return sum, nil
		}
		return nil, fmt.Errorf("a plus sign or a closing bracket is missing")
	}
}

func (p *parser) term() (term, error) {
	v, err := p.number(false)
	if err != nil {
		return term{}, err
	}
	if !p.take("%") {
		return term{value: v}, nil
	}
	switch {
	case p.take("of reading"):
		return term{value: v, kind: 'r'}, nil
	case p.take("of span"):
		span, err := p.number(false)
		return term{value: v, kind: 's', span: span}, err
	}
	return term{}, fmt.Errorf("after %% say of what: \"of reading\", or \"of span 200\"")
}

// number reads a decimal number, and refuses a negative one unless signed.
func (p *parser) number(signed bool) (float64, error) {
	p.blanks()
	end := p.at
	if end < len(p.text) && (p.text[end] == '-' || p.text[end] == '+') {
		end++
	}
	for end < len(p.text) {
		c := p.text[end]
		if c == '.' && strings.HasPrefix(p.text[end:], "..") {
			break
		}
		exponent := (c == 'e' || c == 'E') && end+1 < len(p.text) &&
			strings.IndexByte("0123456789+-", p.text[end+1]) >= 0
		if exponent && (p.text[end+1] == '-' || p.text[end+1] == '+') {
			end++
		}
		if (c < '0' || c > '9') && c != '.' && !exponent {
			break
		}
		end++
	}
	word := p.text[p.at:end]
	v, err := strconv.ParseFloat(word, 64)
	if err != nil || math.IsInf(v, 0) {
		return 0, fmt.Errorf("a number is expected at %q", p.text[p.at:])
	}
	if v < 0 && !signed {
		return 0, fmt.Errorf("%g is negative: a tolerance is given by its size", v)
	}
	p.at = end
	return v, nil
}

// BoundsValue reports whether a tolerance bounds what is shown at a reference, and not an error: "20..200"; or "<= 60" where
// the reference is nothing.
func BoundsValue(text string, reference float64) bool {
	t, err := ParseTolerance(text)
	if err != nil {
		return false
	}
	switch t.root.(type) {
	case within:
		return true
	case sided:
		return reference == 0
	}
	return false
}
