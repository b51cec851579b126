package exchange

import (
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"math"
	"slices"
	"strconv"
	"strings"
	"time"

	"northneedle/core/conformity"
	"northneedle/core/procedure"
	"northneedle/core/quantity"
	"northneedle/core/reference"
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

// tag is a row's tag, which must be one word, and new.
func (r *rowReader) tag(line int, text string) (string, error) {
	tag, err := ledger.Tag(text)
	if err != nil {
		return "", refusal{"tag", err.Error()}
	}
	if before, twice := r.seen[tag]; twice {
		return "", refusal{"tag", fmt.Sprintf("%s stands in line %d already", tag, before)}
	}
	r.seen[tag] = line
	return tag, nil
}

func (r *rowReader) asset(line int, get func(string) string) (*ledger.Asset, error) {
	tag, err := r.tag(line, get("tag"))
	if err != nil {
		return nil, err
	}
	if _, known := r.known.HasAsset(tag); known {
		return nil, refusal{"tag", tag + " is in the register already"}
	}
	a := &ledger.Asset{
		ID:     "imported-" + tag,
		Tag:    tag,
		Serial: get("serial"),
		Maker:  get("maker"),
		Model:  get("model"),
		Family: procedure.Slug(get("family")),
		Site:   get("site"),
		Place:  get("place"),
		Status: ledger.InUse,
		Risk:   3,
	}
	if a.Family == "" {
		return nil, refusal{"family", fmt.Sprintf("has no letters or digits: %q", get("family"))}
	}
	if text := get("risk"); text != "" {
		if a.Risk, err = strconv.Atoi(text); err != nil || a.Risk < 1 || a.Risk > 5 {
			return nil, refusal{"risk", fmt.Sprintf("is 1 to 5, not %q", text)}
		}
	}
	if text := strings.ToLower(get("status")); text != "" {
		if !slices.Contains([]string{ledger.InUse, ledger.OutOfUse, ledger.Gone}, text) {
			return nil, refusal{"status", fmt.Sprintf("is %s, %s or %s, not %q", ledger.InUse, ledger.OutOfUse,
				ledger.Gone, text)}
		}
		a.Status = text
	}
	a.Search = ledger.Searchable(*a)
	return a, nil
}

// date reads a day where the workshop is: 2026-03-02.
// upkeep reads when a device was done last, how often, and when it is due.
func (r *rowReader) upkeep(get func(string) string) (u Upkeep, err error) {
	for field, into := range map[string]**time.Time{"last_done": &u.Last, "next_due": &u.Due} {
		if text := get(field); text != "" {
			on, err := r.date(field, text)
			if err != nil {
				return u, err
			}
			*into = &on
		}
	}
	if u.Last != nil && u.Last.After(r.now) {
		return u, refusal{"last_done", "lies in the future"}
	}
	if u.Last != nil && u.Due != nil && u.Due.Before(*u.Last) {
		return u, refusal{"next_due", "lies before it was done last"}
	}
	if text := get("months"); text != "" {
		if u.Months, err = strconv.Atoi(text); err != nil || u.Months < 1 || u.Months > 120 {
			return u, refusal{"months", fmt.Sprintf("is 1 to 120, not %q", text)}
		}
	}
	return u, nil
}

func (r *rowReader) date(field, text string) (time.Time, error) {
	t, err := time.ParseInLocation(time.DateOnly, text, r.now.Location())
	if err != nil {
		return t, refusal{field, fmt.Sprintf("is a day like 2026-03-02, not %q", text)}
	}
	return t, nil
}

// number reads a number; an empty one is 0.
func number(field, text string) (float64, error) {
	if text == "" {
		return 0, nil
	}
	v, err := quantity.ParseNumber(text)
	if err != nil {
		return 0, refusal{field, err.Error()}
	}
	return v, nil
}

func (r *rowReader) standard(line int, get func(string) string) (*ledger.Standard, error) {
	tag, err := r.tag(line, get("tag"))
	if err != nil {
		return nil, err
	}
	if r.known.HasStandard(tag) {
		return nil, refusal{"tag", tag + " is in the register already"}
	}
	s := &ledger.Standard{ID: "imported-" + tag, Tag: tag, Name: get("name"), Kind: procedure.Slug(get("kind")),
		Maker: get("maker"), Serial: get("serial"), Place: get("place"), Status: reference.Usable, Lot: get("lot"),
		Certificate: reference.Certificate{Number: get("certificate"), Issuer: get("issuer"),
			Accredited: strings.EqualFold(get("accredited"), "yes")}}
	if s.Certificate.On, err = r.date("certified", get("certified")); err != nil {
		return nil, err
	}
	if s.Certificate.DueOn, err = r.date("due", get("due")); err != nil {
		return nil, err
	}
	value := reference.Certified{Quantity: get("quantity"), Unit: get("unit")}
	for field, into := range map[string]*float64{
		"value": &value.Value,
		"from":  &value.From,
		"to":    &value.To,
		"u":     &value.U,
		"k":     &value.K,
	} {
		if *into, err = number(field, get(field)); err != nil {
			return nil, err
		}
	}
	s.Values = []reference.Certified{value}
	if mistakes := s.Core().Check(); len(mistakes) > 0 {
		return nil, refusal{mistakes[0].Path, mistakes[0].Message}
	}
	return s, nil
}

func (r *rowReader) instrument(get func(string) string) (*Instrument, error) {
	i := Instrument{
		Name:      get("name"),
		Belongs:   get("belongs"),
		Profile:   get("profile"),
		Transport: strings.ToLower(get("transport")),
		Address:   get("address"),
		Parity:    strings.ToLower(get("parity")),
		Stop:      get("stop"),
		Flow:      strings.ToLower(get("flow")),
		Why:       get("why"),
	}
	for field, into := range map[string]*int{"baud": &i.Baud, "bits": &i.Bits} {
		var err error
		if text := get(field); text != "" {
			if *into, err = strconv.Atoi(text); err != nil {
				return nil, refusal{field, fmt.Sprintf("is a whole number, not %q", text)}
			}
		}
	}
	switch status := strings.ToLower(get("status")); status {
	case "", "in use":
	case "retired":
		i.Retired = true
	default:
		return nil, refusal{"status", fmt.Sprintf("is in use or retired, not %q", status)}
	}
	return &i, r.known.Takes(i)
}

func (r *rowReader) history(get func(string) string) (*ledger.Run, *ledger.Result, error) {
	tag := strings.ToUpper(get("tag"))
	id, known := r.known.HasAsset(tag)
	if !known {
		return nil, nil, refusal{"tag", tag + " is no device of the register: import the devices first"}
	}
	on, err := r.date("on", get("on"))
	if err != nil {
		return nil, nil, err
	}
	if on.After(r.now) {
		return nil, nil, refusal{"on", get("on") + " lies ahead"}
	}
	result := run.Result(strings.ToLower(get("result")))
	if !result.Passed() && result != run.Fails {
		return nil, nil, refusal{"result",
			fmt.Sprintf("is one of %q, not %q", append(slices.Clone(run.PassedResults), run.Fails), get("result"))}
	}
	key := fmt.Sprintf("paper-%s-%s-%s", tag, on.Format("20060102"), procedure.Slug(get("title")))
	var rn *ledger.Run
	if _, there := r.runs[key]; !there {
		r.runs[key] = key
		rn = &ledger.Run{
			ID:       key,
			AssetID:  id,
			Tag:      tag,
			Title:    get("title"),
			Status:   run.Signed,
			Result:   result,
			OpenedAt: on,
			EndedAt:  &on,
			By:       get("by"),
			Now:      "signed",
			Paper:    true,
		}
	}
	if get("point") == "" {
		return rn, nil, nil
	}
	point := &ledger.Result{
		RunID:   key,
		AssetID: id,
		At:      on,
		Measure: procedure.Slug(get("measure")),
		Point:   procedure.Slug(get("point")),
		Label:   strings.TrimSpace(get("measure") + " " + get("point")),
		Unit:    get("unit"),
		Phase:   run.AsFound,
	}
	values := map[string]float64{}
	for _, field := range []string{"reference", "indicated", "low", "high", "u"} {
		if values[field], err = number(field, get(field)); err != nil {
			return nil, nil, err
		}
	}
	if _, err := quantity.ParseUnit(point.Unit); err != nil {
		return nil, nil, refusal{"unit", err.Error()}
	}
	point.Reference, point.Indicated, point.U = values["reference"], values["indicated"], values["u"]
	point.Error = point.Indicated - point.Reference
	limits := conformity.Limits{Low: math.Inf(-1), High: math.Inf(1)}
	if get("low") != "" {
		limits.Low = values["low"]
		point.Low = &limits.Low
	}
	if get("high") != "" {
		limits.High = values["high"]
		point.High = &limits.High
	}
	assessed, err := conformity.Assess(point.Error, limits, point.U, 2)
	if err != nil {
		return nil, nil, refusal{"u", err.Error()}
	}
	point.Zone, point.ErrorToLimit = assessed.Zone, assessed.ErrorToLimit
	return rn, point, nil
}
