package exchange

import (
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"math"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/xuri/excelize/v2"
)

// source is a list as it was handed in: the names of its columns, and its rows.
type source struct {
	head []string
	rows []sourceRow
	day  func(count float64) (time.Time, error) // how a workbook counts days; nil: it is a text
}

// sourceRow is a row that is not blank, with its line in the file; broken says why it cannot be read.
type sourceRow struct {
	line   int
	cells  []string // without what [Neutral] put before one in a text; a workbook computes no text
	broken string
}

// mostUnpacked is how many bytes a workbook may hold unpacked.
const mostUnpacked = 512 << 20

// open reads a list as a workbook (ECMA-376) where it is one, else as text with separators.
func open(file []byte) (source, error) {
	if bytes.HasPrefix(file, []byte("PK\x03\x04")) {
		return openWorkbook(file)
	}
	return openText(file)
}

func openText(file []byte) (s source, err error) {
	text, err := decoded(file)
	if err != nil {
		return s, err
	}
	if line := openQuote(text); line > 0 {
		return s, fmt.Errorf("line %d: a quote is opened there and never closed", line)
	}
	reader := csv.NewReader(strings.NewReader(text))
	reader.Comma, reader.FieldsPerRecord, reader.TrimLeadingSpace = separator(text), -1, true
	if s.head, err = reader.Read(); err != nil {
		return s, fmt.Errorf("the file has no line of column names: %v", err)
	}
	for {
		cells, err := reader.Read()
		var broken *csv.ParseError
		switch {
		case errors.Is(err, io.EOF):
			return s, nil
		case errors.As(err, &broken):
			err = s.add(sourceRow{broken.StartLine, nil, "this line is no CSV: " + broken.Err.Error()})
		case err == nil:
			line, _ := reader.FieldPos(0)
			for i, c := range cells {
				cells[i] = Bare(strings.TrimSpace(c))
			}
			err = s.add(sourceRow{line: line, cells: cells})
		}
		if err != nil {
			return s, err
		}
	}
}

// openWorkbook reads the first sheet of a workbook.
func openWorkbook(file []byte) (s source, err error) {
	book, err := excelize.OpenReader(bytes.NewReader(file), excelize.Options{RawCellValue: true, UnzipSizeLimit: mostUnpacked})
	if err != nil {
		return s, fmt.Errorf("the workbook cannot be read: %w", err)
	}
	defer func() { err = errors.Join(err, book.Close()) }()
	props, err := book.GetWorkbookProps()
	if err != nil {
		return s, err
	}
	from1904 := props.Date1904 != nil && *props.Date1904
	s.day = func(count float64) (time.Time, error) { return excelize.ExcelDateToTime(count, from1904) }
	rows, err := book.Rows(book.GetSheetName(0))
	if err != nil {
		return s, fmt.Errorf("the workbook has no sheet: %w", err)
	}
	for line := 1; rows.Next(); line++ {
		cells, err := rows.Columns()
		switch {
		case err != nil:
			return s, fmt.Errorf("row %d of the sheet cannot be read: %w", line, err)
		case s.head == nil && !blank(cells):
			s.head = cells
		case s.head != nil:
			if err := s.add(sourceRow{line: line, cells: cells}); err != nil {
				return s, err
			}
		}
	}
	if s.head == nil {
		return s, errors.New("the first sheet has no row of column names")
	}
	return s, rows.Error()
}

func (s *source) add(row sourceRow) error {
	if row.broken == "" && blank(row.cells) {
		return nil
	}
	if len(s.rows) == mostRows {
		return fmt.Errorf("the file has more than %d rows: split it", mostRows)
	}
	s.rows = append(s.rows, row)
	return nil
}

func blank(cells []string) bool {
	return !slices.ContainsFunc(cells, func(c string) bool { return strings.TrimSpace(c) != "" })
}

// DayForm is the order in which a list writes its days.
type DayForm string

const (
	YearFirst  DayForm = "year-month-day"
	DayFirst   DayForm = "day-month-year"
	MonthFirst DayForm = "month-day-year"
)

// earliest is the first year that a day may be of: a year alone, or a number that counts something else, is no day.
const earliest = 1950

// example is a day as the form writes it.
func (f DayForm) example() string {
	return map[DayForm]string{DayFirst: "02.03.2026", MonthFirst: "03/02/2026"}[f]
}

// parse reads a day where the workshop is. One that begins with its year is understood in every form. Between the parts
// stands a dash, a stroke or a dot.
func (f DayForm) parse(text string, where *time.Location) (time.Time, error) {
	wrong := fmt.Errorf("is a day like 2026-03-02, not %q: if the file writes days in another order, choose it", text)
	if f.example() != "" {
		wrong = fmt.Errorf("is a day like %s or 2026-03-02, not %q", f.example(), text)
	}
	parts := strings.FieldsFunc(text, func(r rune) bool { return strings.ContainsRune("-/.", r) })
	if len(parts) != 3 {
		return time.Time{}, wrong
	}
	var n [3]int
	for i, p := range parts {
		v, err := strconv.ParseUint(p, 10, 16)
		if err != nil {
			return time.Time{}, wrong
		}
		n[i] = int(v)
	}
	year, month, date := n[0], n[1], n[2]
	if len(parts[0]) != 4 {
		switch f {
		case DayFirst:
			year, month, date = n[2], n[1], n[0]
		case MonthFirst:
			year, month, date = n[2], n[0], n[1]
		}
	}
	day := time.Date(year, time.Month(month), date, 0, 0, 0, 0, where)
	if year < earliest || day.Year() != year || day.Month() != time.Month(month) || day.Day() != date {
		return time.Time{}, wrong
	}
	return day, nil
}

// date reads a day of a field: as the list writes days, or as a workbook counts them.
func (r *rowReader) date(field, text string) (time.Time, error) {
	where := r.how.Now.Location()
	if count, err := strconv.ParseFloat(text, 64); err == nil && r.day != nil && !math.IsNaN(count) && !math.IsInf(count, 0) {
		on, err := r.day(count)
		if err != nil || on.Year() < earliest || on.Year() > 9999 {
			return on, refusal{field, fmt.Sprintf("is a day, not %q", text)}
		}
		return time.Date(on.Year(), on.Month(), on.Day(), 0, 0, 0, 0, where), nil
	}
	on, err := r.how.Days.parse(text, where)
	if err != nil {
		return on, refusal{field, err.Error()}
	}
	return on, nil
}
