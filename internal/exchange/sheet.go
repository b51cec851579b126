package exchange

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"errors"
	"fmt"
	"iter"
	"strconv"
	"strings"
	"time"

	"github.com/xuri/excelize/v2"
)

// Table is a list to hand out: its columns, and rows of text, numbers and days as they are
// read. A row is used before the next one is asked for.
type Table struct {
	Name    string
	Columns []string
	Rows    iter.Seq2[[]any, error]
}

// CSV writes the table as RFC 4180, with days as 2026-03-02.
func (t Table) CSV() ([]byte, error) {
	var out bytes.Buffer
	w := csv.NewWriter(&out)
	if err := w.Write(t.Columns); err != nil {
		return nil, err
	}
	cells := make([]string, len(t.Columns))
	for row, err := range t.Rows {
		if err != nil {
			return nil, err
		}
		for i, v := range row {
			cells[i] = cell(v)
		}
		if err := w.Write(cells[:len(row)]); err != nil {
			return nil, err
		}
	}
	w.Flush()
	return out.Bytes(), w.Error()
}

func cell(v any) string {
	switch v := v.(type) {
	case string:
		return Neutral(v)
	case nil:
		return ""
	case time.Time:
		if v.IsZero() {
			return ""
		}
		return v.Format(time.DateOnly)
	}
	return fmt.Sprint(v)
}

// formula begins what a spreadsheet would take for something to compute.
const formula = "=+-@\t\r"

// Neutral puts an apostrophe before a text that a spreadsheet would compute, or that begins with one and such a letter:
// so it can be taken off again. A number stays as it is.
func Neutral(text string) string {
	bare := strings.TrimLeft(text, "'")
	if bare == "" || !strings.ContainsRune(formula, rune(bare[0])) {
		return text
	}
	if _, err := strconv.ParseFloat(text, 64); err == nil {
		return text
	}
	return "'" + text
}

// Bare takes off what [Neutral] put before a text.
func Bare(text string) string {
	bare := strings.TrimLeft(text, "'")
	if bare != text && bare != "" && strings.ContainsRune(formula, rune(bare[0])) {
		return text[1:]
	}
	return text
}

// JSON writes the table as an array of objects, with RFC 3339 times.
func (t Table) JSON() ([]byte, error) {
	rows := []map[string]any{}
	for row, err := range t.Rows {
		if err != nil {
			return nil, err
		}
		named := make(map[string]any, len(row))
		for k, v := range row {
			named[t.Columns[k]] = v
		}
		rows = append(rows, named)
	}
	return json.MarshalIndent(rows, "", " ")
}

// XLSX writes the table as an Office Open XML workbook (ECMA-376) with one sheet: its first row stays in sight and filters,
// and days are days.
func (t Table) XLSX() ([]byte, error) {
	f := excelize.NewFile()
	defer f.Close()
	if err := f.SetSheetName("Sheet1", t.Name); err != nil {
		return nil, err
	}
	days, err := f.NewStyle(&excelize.Style{CustomNumFmt: new("yyyy-mm-dd")})
	if err != nil {
		return nil, err
	}
	w, err := f.NewStreamWriter(t.Name)
	if err != nil {
		return nil, err
	}
	head := make([]any, len(t.Columns))
	for i, c := range t.Columns {
		head[i] = c
	}
	if err := errors.Join(w.SetPanes(&excelize.Panes{Freeze: true, YSplit: 1, TopLeftCell: "A2", ActivePane: "bottomLeft"}),
		w.SetColWidth(1, len(t.Columns), 16), w.SetRow("A1", head)); err != nil {
		return nil, err
	}
	line := 1
	for row, err := range t.Rows {
		if err != nil {
			return nil, err
		}
		line++
		cells := make([]any, len(row))
		for k, v := range row {
			if day, ok := v.(time.Time); ok {
				v = ""
				if !day.IsZero() {
					v = excelize.Cell{StyleID: days, Value: time.Date(day.Year(), day.Month(), day.Day(), 0, 0, 0, 0, time.UTC)}
				}
			}
			cells[k] = v
		}
		at, err := excelize.CoordinatesToCellName(1, line)
		if err != nil {
			return nil, err
		}
		if err := w.SetRow(at, cells); err != nil {
			return nil, err
		}
	}
	if line > 1 {
		last, err := excelize.CoordinatesToCellName(len(t.Columns), line)
		if err != nil {
			return nil, err
		}
		if err := w.AddTable(&excelize.Table{Range: "A1:" + last, Name: t.Name, StyleName: "TableStyleLight1"}); err != nil {
			return nil, err
		}
	}
	if err := w.Flush(); err != nil {
		return nil, err
	}
	var out bytes.Buffer
	err = f.Write(&out)
	return out.Bytes(), err
}

// Day is a moment as a cell: the day it fell on; none is an empty one.
func Day(at *time.Time) any {
	if at == nil {
		return ""
	}
	year, month, date := at.Date()
	return time.Date(year, month, date, 0, 0, 0, 0, at.Location())
}

// Filled is a number as a cell; nothing is an empty one.
func Filled[N int | float64](n N) any {
	if n == 0 {
		return ""
	}
	return n
}
