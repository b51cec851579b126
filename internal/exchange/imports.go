package exchange

import (
	"errors"
	"fmt"
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
	Competences = "competences"
	People      = "people"
)

// mostRows is how many rows one import may have.
const mostRows = 200_000

// Refused is a row that cannot be imported, and why.
type Refused struct {
	Line  int    `json:"line"`
	Field string `json:"field"`
	Why   string `json:"why"`

	cells []string
}

// Import is a file that was read: its rows, and those that were refused.
type Import struct {
	Kind    string
	Rows    []Row
	Lines   int // of the file that stand in Rows
	Refused []Refused
	Ignored []string

	head []string
}

// Reading is how a file is read.
type Reading struct {
	Now    time.Time
	Days   DayForm // empty: [YearFirst]
	Update bool    // a device that is in the register is changed to what the list says; else its row is refused
}

// Row is what one row brings, or several that belong together: one of the kinds above.
type Row struct {
	Line         int
	Asset        *ledger.Asset
	Upkeep       Upkeep   // of the device
	Known        string   // id of the device, where it is in the register already
	Given        []string // of it, the columns that are filled
	Standard     *ledger.Standard
	Certificates []ledger.StandardCertificate // of the reference, the oldest first
	Run          *ledger.Run
	Result       *ledger.Result
	Instrument   *Instrument
	Person       *Person
	Competence   *Competence

	group string // rows of one group come in together or not at all
	cells []string
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

// Known answers what the register already contains.
type Known interface {
	HasAsset(tag string) (id string, known bool)
	HasStandard(tag string) (id string, known bool)
	HasRun(id string) bool
	// Takes refuses an instrument that cannot be registered, changed or retired so beside those of the register and of
	// the rows before; it may do so with a [*run.Refusal].
	Takes(i Instrument) error
	// Registers refuses somebody who cannot be registered beside those of the register and of the rows before.
	Registers(p Person) error
	// Names refuses that somebody may do a family alone where it cannot be put on record; it may do so with a
	// [*run.Refusal].
	Names(c Competence) error
}

var columns = map[string]struct{ needed, more []string }{
	Assets: {[]string{"tag", "maker", "model", "family", "site"},
		[]string{"serial", "place", "owner", "keeper", "risk", "status", "last_done", "months", "next_due",
			"software", "set_up", "supplier", "bought", "price", "warranty"}},
	Standards: {[]string{"tag", "name", "kind", "certificate", "issuer", "certified", "due"},
		[]string{"maker", "serial", "place", "status", "note", "lot", "accredited", "parent",
			"quantity", "piece", "value", "from", "to", "unit", "u", "k", "drift_per_year", "resolution",
			"water_volume_l", "gauge_bar", "reserve_bar", "away_to", "away_since", "away_until", "away_price",
			"check_days", "check_how", "checked_on"}},
	Histories: {[]string{"tag", "on", "title", "result"},
		[]string{"by", "run", "measure", "point", "label", "phase", "unit", "reference", "indicated", "error",
			"low", "high", "u"}},
	Instruments: {[]string{"name", "profile", "transport", "address"},
		[]string{"belongs", "baud", "bits", "parity", "stop", "flow", "status", "why"}},
	Competences: {[]string{"name", "family"}, []string{"ground", "note", "until"}},
	People:      {[]string{"name", "role"}, []string{"mail", "may_sign_in"}},
}

// Columns are the columns of a kind: those that are needed, and those that may be there.
func Columns(kind string) (needed, more []string) { return columns[kind].needed, columns[kind].more }

// ReadImport reads a list with a line of column names (in any order, upper or lower case): a workbook, or text with a comma,
// semicolon or tab between. Every row that cannot be imported is listed with its line, field and reason; nothing is
// imported yet.
func ReadImport(kind string, file []byte, known Known, how Reading) (*Import, error) {
	want, ok := columns[kind]
	if !ok {
		return nil, fmt.Errorf("%q cannot be imported: use assets, standards, histories, instruments, competences or people", kind)
	}
	if how.Days == "" {
		how.Days = YearFirst
	}
	from, err := open(file)
	if err != nil {
		return nil, err
	}
	at := map[string]int{}
	in := &Import{Kind: kind, Refused: []Refused{}, Ignored: []string{}, head: from.head}
	for i, name := range from.head {
		name = strings.NewReplacer(" ", "_").Replace(strings.ToLower(strings.TrimSpace(name)))
		if !slices.Contains(want.needed, name) && !slices.Contains(want.more, name) {
			if name != "" {
				in.Ignored = append(in.Ignored, name)
			}
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
		in:      in,
		known:   known,
		how:     how,
		day:     from.day,
		at:      at,
		needed:  want.needed,
		seen:    map[string]int{},
		runs:    map[string]Row{},
		refused: map[string]int{},

		standards: map[string]lined{},
	}
	for _, row := range from.rows {
		if row.broken != "" {
			r.refuse(row, "", row.broken)
			continue
		}
		r.row(kind, row)
	}
	r.whole()
	if kind == Standards {
		r.joined()
	}
	slices.SortStableFunc(in.Refused, func(a, b Refused) int { return a.Line - b.Line })
	return in, nil
}

// Refuse takes a row out that could be read and cannot be imported after all.
func (in *Import) Refuse(row Row, field, why string) {
	in.Rows = slices.DeleteFunc(in.Rows, func(r Row) bool { return r.Line == row.Line })
	in.Lines--
	in.Refused = append(in.Refused, Refused{row.Line, field, why, row.cells})
	slices.SortStableFunc(in.Refused, func(a, b Refused) int { return a.Line - b.Line })
}

// RefusedTable is the list of what was refused, in the columns of the file, with its line and why.
func (in *Import) RefusedTable() Table {
	columns := slices.Concat(in.head, []string{"refused_line", "refused_field", "refused_why"})
	return Table{Name: "refused", Columns: columns, Rows: func(yield func([]any, error) bool) {
		for _, r := range in.Refused {
			cells := make([]any, len(columns))
			for i := range in.head {
				cells[i] = ""
				if i < len(r.cells) {
					cells[i] = r.cells[i]
				}
			}
			cells[len(in.head)], cells[len(in.head)+1], cells[len(in.head)+2] = r.Line, r.Field, r.Why
			if !yield(cells, nil) {
				return
			}
		}
	}}
}

type rowReader struct {
	in      *Import
	known   Known
	how     Reading
	day     func(count float64) (time.Time, error) // of a workbook
	at      map[string]int
	needed  []string
	seen    map[string]int // lines of tags
	runs    map[string]Row // the first of each
	refused map[string]int // by group: the first line that was

	standards map[string]lined  // by tag, certificate and value: the first of each
	parents   map[string]string // ids of references by the tags in the list
}

func (r *rowReader) refuse(row sourceRow, field, why string) {
	r.in.Refused = append(r.in.Refused, Refused{row.line, field, why, row.cells})
}

// refusal is why one row was refused.
type refusal struct{ field, why string }

func (e refusal) Error() string { return e.field + ": " + e.why }

// groupOf is what a row belongs to with others, that come in with it or not at all: a reference with its values, a run with
// its points. A row that stands by itself has none.
func groupOf(kind string, get func(string) string) string {
	switch kind {
	case Standards:
		return strings.ToUpper(get("tag"))
	case Histories:
		return strings.Join([]string{strings.ToUpper(get("tag")), get("on"), get("title"), get("run")}, "\n")
	}
	return ""
}

func (r *rowReader) row(kind string, from sourceRow) {
	get := func(name string) string {
		if i, ok := r.at[name]; ok && i < len(from.cells) {
			return strings.TrimSpace(from.cells[i])
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
	row := Row{Line: from.line, group: groupOf(kind, get), cells: from.cells}
	if err == nil {
		switch kind {
		case Assets:
			err = r.device(&row, get)
		case Standards:
			err = r.standard(&row, get)
		case Instruments:
			row.Instrument, err = r.instrument(get)
		case Competences:
			row.Competence, err = r.competence(get)
		case People:
			row.Person, err = r.person(get)
		default:
			err = r.history(&row, get)
		}
	}
	if err == nil {
		r.in.Rows, r.in.Lines = append(r.in.Rows, row), r.in.Lines+1
		return
	}
	if _, before := r.refused[row.group]; row.group != "" && !before {
		r.refused[row.group] = from.line
	}
	var why refusal
	var refused *run.Refusal
	switch {
	case errors.As(err, &refused):
		r.refuse(from, refused.Field, refused.Message)
	case errors.As(err, &why):
		r.refuse(from, why.field, why.why)
	default:
		r.refuse(from, "", err.Error())
	}
}

// whole refuses the rows that belong to one that was refused.
func (r *rowReader) whole() {
	r.in.Rows = slices.DeleteFunc(r.in.Rows, func(row Row) bool {
		line, refused := r.refused[row.group]
		if !refused || row.group == "" {
			return false
		}
		r.refuse(sourceRow{line: row.Line, cells: row.cells}, "",
			fmt.Sprintf("belongs to line %d, which is refused: they come in together", line))
		r.in.Lines--
		return true
	})
}
