package definition

import "fmt"

// deepest is how deep a text may nest: its parser takes the square of the depth.
const deepest = 32

// shallow refuses a YAML text that nests deeper than any of ours, before a parser sees it. Brackets, and dashes and
// question marks that begin a line, are counted wherever they stand: one within a text counts too, which only refuses
// more.
func shallow(text []byte) error {
	brackets := 0
	marks, beginning := 0, true
	var indents []int
	column := 0
	for _, c := range text {
		switch {
		case c == '\n':
			marks, beginning, column = 0, true, 0
			continue
		case beginning && (c == '-' || c == '?' || c == ' ' || c == '\t'):
			if c == '-' || c == '?' {
				marks++
			}
		case beginning:
			beginning = false
			for len(indents) > 0 && indents[len(indents)-1] >= column {
				indents = indents[:len(indents)-1]
			}
			indents = append(indents, column)
		}
		switch c {
		case '[', '{':
			brackets++
		case ']', '}':
			brackets = max(0, brackets-1)
		}
		if brackets+len(indents)+marks > deepest {
			return fmt.Errorf("it nests more than %d deep: that is no procedure", deepest)
		}
		column++
	}
	return nil
}
