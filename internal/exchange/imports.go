package exchange

import (
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
	"time"

	"northneedle/core/run"
	"northneedle/internal/ledger"
)

// What can be imported.
const (
	Assets      = "assets"
	Standards   = "standards"
	Histories   = "histories"
	Instruments = "instruments"
)

// mostRows is how many rows one import may have.
const mostRows = 200_000

// mostRefused is how many refusals are listed; the rest are counted.
const mostRefused = 2000

// Refused is a row that cannot be imported, and why.
type Refused struct {
	Line  int    `json:"line"`
	Field string `json:"field"`
	Why   string `json:"why"`
}

// Import is a file that was read: its rows, and those that were refused.
type Import struct {
	Kind    string
	Rows    []Row
	Refused []Refused
	Count   int // of all refused
	Ignored []string
}

// Row is one row that can be imported: one of the four kinds.
type Row struct {
	Line       int
	Asset      *ledger.Asset
	Upkeep     Upkeep // of the device
	Standard   *ledger.Standard
	Run        *ledger.Run
	Result     *ledger.Result
	Instrument *Instrument
}

// Upkeep is what a list says of a device's main duty: when it was done last, how often it is done, and when it is due.
// Each may be missing.
type Upkeep struct {
	Last   *time.Time
	Months int
	Due    *time.Time
}

// Instrument is an instrument with its link, as a list says it. One whose name stands in the register changes it; the
// status "retired" retires it. Both need a reason.
type Instrument struct {
	Name, Belongs, Profile, Transport, Address string
	Baud, Bits                                 int
	Parity, Stop, Flow                         string
	Retired                                    bool
	Why                                        string
}

// Known answers which tags the register already contains.
type Known interface {
	HasAsset(tag string) (id string, known bool)
	HasStandard(tag string) bool
	// Takes refuses an instrument that cannot be registered, changed or retired so beside those of the register and of
	// the rows before; it may do so with a [*run.Refusal].
	Takes(i Instrument) error
}

var columns = map[string]struct{ needed, more []string }{
	Assets: {[]string{"tag", "maker", "model", "family", "site"}, []string{"serial", "place", "risk", "status", "last_done",
		"months", "next_due"}},
	Standards: {[]string{"tag", "name", "kind", "certificate", "issuer", "certified", "due", "quantity", "unit", "u",
		"k"}, []string{"maker", "serial", "place", "value", "from", "to", "accredited", "lot"}},
	Histories: {[]string{"tag", "on", "title", "result"},
		[]string{"by", "measure", "point", "unit", "reference", "indicated", "low", "high", "u"}},
	Instruments: {[]string{"name", "profile", "transport", "address"},
		[]string{"belongs", "baud", "bits", "parity", "stop", "flow", "status", "why"}},
}

// Columns are the columns of a kind: those that are needed, and those that may be there.
func Columns(kind string) (needed, more []string) { return columns[kind].needed, columns[kind].more }

// ReadImport reads a CSV file with a line of column names (in any order, upper or lower
// case; comma, semicolon or tab between). Every row that cannot be imported is listed with
// its line, field and reason; nothing is imported yet.
func ReadImport(kind string, file io.Reader, known Known, now time.Time) (*Import, error) {
	want, ok := columns[kind]
	if !ok {
		return nil, fmt.Errorf("%q cannot be imported: use assets, standards, histories or instruments", kind)
	}
	text, err := io.ReadAll(file)
	if err != nil {
		return nil, fmt.Errorf("the file could not be read: %w", err)
	}
	words, err := decoded(text)
	if err != nil {
		return nil, err
	}
	if line := openQuote(words); line > 0 {
		return nil, fmt.Errorf("line %d: a quote is opened there and never closed", line)
	}
	reader := csv.NewReader(strings.NewReader(words))
	reader.Comma, reader.FieldsPerRecord, reader.TrimLeadingSpace = separator(words), -1, true
	head, err := reader.Read()
	if err != nil {
		return nil, fmt.Errorf("the file has no line of column names: %v", err)
	}
	at := map[string]int{}
	in := &Import{Kind: kind, Refused: []Refused{}, Ignored: []string{}}
	for i, name := range head {
		name = strings.ToLower(strings.TrimSpace(name))
		if !slices.Contains(want.needed, name) && !slices.Contains(want.more, name) {
			in.Ignored = append(in.Ignored, name)
			continue
		}
		at[name] = i
	}
	for _, name := range want.needed {
		if _, ok := at[name]; !ok {
			return nil, fmt.Errorf("the column %q is missing; needed are %s", name, strings.Join(want.needed, ", "))
		}
	}
	r := rowReader{
		in:     in,
		known:  known,
		now:    now,
		at:     at,
		needed: want.needed,
		seen:   map[string]int{},
		runs:   map[string]string{},
	}
	for {
		record, err := reader.Read()
		if errors.Is(err, io.EOF) {
			return in, nil
		}
		var broken *csv.ParseError
		if errors.As(err, &broken) {
			r.refuse(broken.StartLine, "", "this line is no CSV: "+broken.Err.Error())
			continue
		}
		if err != nil {
			return nil, err
		}
		line, _ := reader.FieldPos(0)
		if len(in.Rows)+in.Count >= mostRows {
			return nil, fmt.Errorf("the file has more than %d rows: split it", mostRows)
		}
		r.row(kind, line, record)
	}
}

type rowReader struct {
	in     *Import
	known  Known
	now    time.Time
	at     map[string]int
	needed []string
	seen   map[string]int
	runs   map[string]string
}

func (r *rowReader) refuse(line int, field, why string) {
	r.in.Count++
	if len(r.in.Refused) < mostRefused {
		r.in.Refused = append(r.in.Refused, Refused{line, field, why})
	}
}

// refusal is why one row was refused.
type refusal struct{ field, why string }

func (e refusal) Error() string { return e.field + ": " + e.why }

func (r *rowReader) row(kind string, line int, record []string) {
	get := func(name string) string {
		if i, ok := r.at[name]; ok && i < len(record) {
			return Bare(strings.TrimSpace(record[i]))
		}
		return ""
	}
	err := error(nil)
	for _, name := range r.needed {
		if get(name) == "" {
			err = refusal{name, "is empty"}
			break
		}
	}
	row := Row{Line: line}
	if err == nil {
		switch kind {
		case Assets:
			if row.Asset, err = r.asset(line, get); err == nil {
				row.Upkeep, err = r.upkeep(get)
			}
		case Standards:
			row.Standard, err = r.standard(line, get)
		case Instruments:
			row.Instrument, err = r.instrument(get)
		default:
			row.Run, row.Result, err = r.history(get)
		}
	}
	var why refusal
	var refused *run.Refusal
	switch {
	case errors.As(err, &refused):
		r.refuse(line, refused.Field, refused.Message)
	case errors.As(err, &why):
		r.refuse(line, why.field, why.why)
	case err != nil:
		r.refuse(line, "", err.Error())
	default:
		r.in.Rows = append(r.in.Rows, row)
	}
}
