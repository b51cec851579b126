package exchange

import (
	"fmt"
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
