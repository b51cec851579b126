package exchange

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"
	"time"

	"northneedle/core/conformity"
	"northneedle/core/device"
	"northneedle/core/procedure"
	"northneedle/core/quantity"
	"northneedle/core/run"
	"northneedle/internal/ledger"
)

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

// device reads a device with its upkeep: a new one, or one that the register has, where those are to be changed.
func (r *rowReader) device(row *Row, get func(string) string) (err error) {
	if row.Asset, err = r.asset(row.Line, get); err != nil {
		return err
	}
	id, known := r.known.HasAsset(row.Asset.Tag)
	switch {
	case known && !r.how.Update:
		return refusal{"tag", row.Asset.Tag + " is in the register already: to change it, say so above"}
	case known:
		row.Known = id
		for _, name := range slices.Concat(columns[Assets].needed, columns[Assets].more) {
			if get(name) != "" {
				row.Given = append(row.Given, name)
			}
		}
	}
	row.Upkeep, err = r.upkeep(get)
	return err
}

func (r *rowReader) asset(line int, get func(string) string) (*ledger.Asset, error) {
	tag, err := r.tag(line, get("tag"))
	if err != nil {
		return nil, err
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
		Owner:  get("owner"),
		Keeper: get("keeper"),
		Status: ledger.InUse,
		Risk:   3,
	}
	a.Software, a.SetUp, a.Supplier = get("software"), get("set_up"), get("supplier")
	for field, into := range map[string]**time.Time{"bought": &a.Bought, "warranty": &a.Warranty} {
		if text := get(field); text != "" {
			on, err := r.date(field, text)
			if err != nil {
				return nil, err
			}
			*into = &on
		}
	}
	if a.Price, err = number("price", get("price")); err != nil {
		return nil, err
	}
	if a.Price < 0 {
		return nil, refusal{"price", "is not below zero"}
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
		known := []string{ledger.InUse, ledger.OutOfUse, ledger.Gone, string(device.NotYetAccepted)}
		switch {
		case !slices.Contains(known, text):
			return nil, refusal{"status", notOneOf(text, known...)}
		case text == string(device.NotYetAccepted):
			a.AcceptFrom = &r.how.Now
		default:
			a.Status = text
		}
	}
	a.Search = ledger.Searchable(*a)
	return a, nil
}

// notOneOf says what a cell may say, where it says something else.
func notOneOf[T ~string](text string, may ...T) string {
	words := make([]string, len(may))
	for i, m := range may {
		words[i] = string(m)
	}
	last := len(words) - 1
	return fmt.Sprintf("is %s or %s, not “%s”", strings.Join(words[:last], ", "), words[last], text)
}

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
	if u.Last != nil && u.Last.After(r.how.Now) {
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

func (r *rowReader) history(row *Row, get func(string) string) error {
	tag := strings.ToUpper(get("tag"))
	id, known := r.known.HasAsset(tag)
	if !known {
		return refusal{"tag", tag + " is no device of the register: import the devices first"}
	}
	on, err := r.date("on", get("on"))
	if err != nil {
		return err
	}
	if on.After(r.how.Now) {
		return refusal{"on", get("on") + " lies ahead"}
	}
	result := run.Result(strings.ToLower(get("result")))
	if results := append(slices.Clone(run.PassedResults), run.Fails, run.NotComplete); !slices.Contains(results, result) {
		return refusal{"result", fmt.Sprintf("is one of %q, not %q", results, get("result"))}
	}
	key := historyKey(tag, on, get("title"), get("run"))
	if r.known.HasRun(key) || get("run") != "" && r.known.HasRun(get("run")) {
		return refusal{"tag", fmt.Sprintf("“%s” of %s, %s, is in the record already", get("title"), tag, get("on"))}
	}
	first, there := r.runs[key]
	switch {
	case !there:
		row.Run = &ledger.Run{
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
		r.runs[key] = *row
	case first.Run.Result != result:
		return refusal{"result", fmt.Sprintf("differs from line %d, which is of the same run", first.Line)}
	}
	if get("point") == "" {
		return nil
	}
	row.Result, err = historyPoint(get)
	if err != nil {
		return err
	}
	row.Result.RunID, row.Result.AssetID, row.Result.At = key, id, on
	return nil
}

// historyPoint reads one point of a run. Its error is what was indicated less the reference, where none is given.
func historyPoint(get func(string) string) (*ledger.Result, error) {
	point := &ledger.Result{
		Measure: procedure.Slug(get("measure")),
		Point:   procedure.Slug(get("point")),
		Label:   cmp.Or(get("label"), strings.TrimSpace(get("measure")+" "+get("point"))),
		Unit:    get("unit"),
		Phase:   run.Phase(strings.ToLower(cmp.Or(get("phase"), string(run.AsFound)))),
	}
	if point.Phase != run.AsFound && point.Phase != run.AsLeft {
		return nil, refusal{"phase", fmt.Sprintf("is %s or %s, not %q", run.AsFound, run.AsLeft, get("phase"))}
	}
	values := map[string]float64{}
	for _, field := range []string{"reference", "indicated", "error", "low", "high", "u"} {
		var err error
		if values[field], err = number(field, get(field)); err != nil {
			return nil, err
		}
	}
	if _, err := quantity.ParseUnit(point.Unit); err != nil {
		return nil, refusal{"unit", err.Error()}
	}
	point.Reference, point.Indicated, point.U = values["reference"], values["indicated"], values["u"]
	point.Error = point.Indicated - point.Reference
	if get("error") != "" {
		point.Error = values["error"]
	}
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
		return nil, refusal{"u", err.Error()}
	}
	point.Zone, point.ErrorToLimit = assessed.Zone, assessed.ErrorToLimit
	return point, nil
}

// HistoryColumns are the columns that histories are handed out in, and read in.
var HistoryColumns = slices.Concat(columns[Histories].needed, columns[Histories].more)

// historyKey is the id of a run that a list brings in; of says which it is, of several of one title on one day.
func historyKey(tag string, on time.Time, title, of string) string {
	key := fmt.Sprintf("paper-%s-%s-%s", tag, on.Format("20060102"), procedure.Slug(title))
	if of != "" {
		key += "-" + procedure.Slug(of)
	}
	return key
}

// HistoryRow is a row of a history in the [HistoryColumns].
func HistoryRow(p ledger.HistoryPoint) []any {
	of := p.RunID
	if key := historyKey(p.Tag, p.EndedAt, p.Title, ""); strings.HasPrefix(of, key) { // as it came in
		of = strings.TrimPrefix(strings.TrimPrefix(of, key), "-")
	}
	row := []any{p.Tag, p.EndedAt, p.Title, string(p.Outcome), p.By, of}
	if p.Point == "" {
		return append(row, "", "", "", "", "", "", "", "", "", "", "")
	}
	limit := func(v *float64) any {
		if v == nil {
			return ""
		}
		return *v
	}
	return append(row, p.Measure, p.Point, p.Label, string(p.Phase), p.Unit, p.Reference, p.Indicated, p.Error, limit(p.Low),
		limit(p.High), p.U)
}
