package quantity

import (
	"fmt"
	"strings"
)

// maxRows and maxColumns bound a pasted table.
const maxRows, maxColumns = 20000, 20

// ParseTable reads a table of numbers as it is pasted from a sheet or a file: a row a
// line, columns separated by tabs, semicolons or blanks, decimals with a comma or a
// point. Empty lines and a first line of headings are passed over. The error names
// row and column; every row must have as many numbers as the first, at least atLeast.
func ParseTable(text string, atLeast int) ([][]float64, error) {
	var rows [][]float64
	headings := false
	for i, line := range strings.Split(strings.ReplaceAll(text, "\r", "\n"), "\n") {
		cells := cells(line)
		if len(cells) == 0 {
			continue
		}
		row := make([]float64, 0, len(cells))
		for j, cell := range cells {
			v, err := ParseNumber(cell)
			if err != nil && len(rows) == 0 && j == 0 && !headings && !strings.ContainsAny(cell, "0123456789") {
				row, headings = nil, true
				break
			}
			if err != nil {
				return nil, fmt.Errorf("line %d, column %d: %w", i+1, j+1, err)
			}
			row = append(row, v)
		}
		switch {
		case row == nil:
			continue
		case len(row) > maxColumns:
			return nil, fmt.Errorf("line %d has %d columns, %d at most are read", i+1, len(row), maxColumns)
		case len(row) < atLeast:
			return nil, fmt.Errorf("line %d has %d numbers, %d at least are needed", i+1, len(row), atLeast)
		case len(rows) > 0 && len(row) != len(rows[0]):
			return nil, fmt.Errorf("line %d has %d numbers, the lines before it have %d", i+1, len(row), len(rows[0]))
		case len(rows) == maxRows:
			return nil, fmt.Errorf("the table has more than %d lines", maxRows)
		}
		rows = append(rows, row)
	}
	if len(rows) == 0 {
		return nil, fmt.Errorf("there is no number in the table: paste lines such as \"5.02  4.71\"")
	}
	return rows, nil
}

// cells splits a line at tabs or semicolons where it has any, else at blanks.
func cells(line string) []string {
	var separated []string
	switch {
	case strings.Contains(line, "\t"):
		separated = strings.Split(line, "\t")
	case strings.Contains(line, ";"):
		separated = strings.Split(line, ";")
	default:
		return strings.Fields(line)
	}
	for len(separated) > 0 && strings.TrimSpace(separated[len(separated)-1]) == "" {
		separated = separated[:len(separated)-1]
	}
	return separated
}
