package exchange

import (
	"fmt"
	"reflect"
	"slices"
	"strconv"
	"strings"
	"time"

	"northneedle/core/gas"
	"northneedle/core/procedure"
	"northneedle/core/reference"
	"northneedle/internal/ledger"
)

// ReferenceColumns are the columns that a list of references is handed out in, and read in.
var ReferenceColumns = slices.Concat(columns[Standards].needed, columns[Standards].more)

// ReferenceRows are the rows of a reference in the [ReferenceColumns]: one for each value of each certificate that it has or
// had, the oldest first, and one for a certificate without. tagOf gives the tag of a reference by its id.
func ReferenceRows(s ledger.Standard, certificates []ledger.StandardCertificate, tagOf func(id string) string) (rows [][]any) {
	cylinder := [3]any{"", "", ""}
	if y := s.Cylinder; y != nil {
		cylinder = [3]any{y.WaterVolumeL, y.GaugeBar, y.ReserveBar}
	}
	// The certificate that counts stands last: it is the one that is read as such.
	certificates = slices.DeleteFunc(slices.Clone(certificates), func(c ledger.StandardCertificate) bool {
		return c.Certificate.Number == s.Certificate.Number && c.Certificate.On.Equal(s.Certificate.On)
	})
	certificates = append(certificates, ledger.StandardCertificate{Certificate: s.Certificate, Values: s.Values,
		Parent: s.Parent})
	for _, c := range certificates {
		accredited := "no"
		if c.Certificate.Accredited {
			accredited = "yes"
		}
		line := func(value ...any) {
			rows = append(rows, slices.Concat([]any{s.Tag, s.Name, s.Kind, c.Certificate.Number, c.Certificate.Issuer,
				c.Certificate.On, c.Certificate.DueOn, s.Maker, s.Serial, s.Place, s.Status, s.Note, s.Lot, accredited,
				tagOf(c.Parent)}, value, cylinder[:], []any{s.AwayTo, Day(s.AwaySince), Day(s.AwayUntil), Filled(s.AwayPrice),
				Filled(s.CheckDays), s.CheckHow, Day(s.CheckedAt)}))
		}
		for _, v := range c.Values {
			line(v.Quantity, v.Piece, v.Value, v.From, v.To, v.Unit, v.U, v.K, v.DriftPerYear, v.Resolution)
		}
		if len(c.Values) == 0 {
			line("", "", "", "", "", "", "", "", "", "")
		}
	}
	return rows
}

// columnOf names the column of what is wrong with a reference.
var columnOf = map[string]string{
	"certificate.number": "certificate", "certificate.issuer": "issuer", "certificate.on": "certified",
	"certificate.due_on": "due", "values": "quantity", "values[0]": "u", "values[0].unit": "unit", "cylinder": "water_volume_l",
}

// standard reads a row of a reference: it, one of its certificates, and one value of that.
func (r *rowReader) standard(row *Row, get func(string) string) error {
	tag, err := ledger.Tag(get("tag"))
	if err != nil {
		return refusal{"tag", err.Error()}
	}
	if _, known := r.known.HasStandard(tag); known {
		return refusal{"tag", tag + " is in the register already"}
	}
	s := &ledger.Standard{ID: "imported-" + tag, Tag: tag, Name: get("name"), Kind: procedure.Slug(get("kind")),
		Maker: get("maker"), Serial: get("serial"), Place: get("place"), Lot: get("lot"), Note: get("note"), Parent: get("parent"),
		Certificate: reference.Certificate{Number: get("certificate"), Issuer: get("issuer"),
			Accredited: strings.EqualFold(get("accredited"), "yes")}}
	switch s.Status = strings.ToLower(get("status")); s.Status {
	case "":
		s.Status = reference.Usable
	case reference.Usable, reference.Quarantined, reference.Retired:
	default:
		return refusal{"status", fmt.Sprintf("is %s, %s or %s, not %q", reference.Usable, reference.Quarantined,
			reference.Retired, s.Status)}
	}
	if s.Certificate.On, err = r.date("certified", get("certified")); err != nil {
		return err
	}
	if s.Certificate.DueOn, err = r.date("due", get("due")); err != nil {
		return err
	}
	if s.Certificate.IssuedAhead(r.how.Now) {
		return refusal{"certified", get("certified") + " lies ahead"}
	}
	if s.Cylinder, err = cylinder(get); err != nil {
		return err
	}
	if err := r.absence(s, get); err != nil {
		return err
	}
	if err := r.checks(s, get); err != nil {
		return err
	}
	value := reference.Certified{Quantity: get("quantity"), Piece: get("piece"), Unit: get("unit")}
	for field, into := range map[string]*float64{"value": &value.Value, "from": &value.From, "to": &value.To, "u": &value.U,
		"k": &value.K, "drift_per_year": &value.DriftPerYear, "resolution": &value.Resolution} {
		if *into, err = number(field, get(field)); err != nil {
			return err
		}
	}
	if value != (reference.Certified{}) {
		s.Values = []reference.Certified{value}
	}
	if mistakes := s.Core().Check(); len(mistakes) > 0 {
		return refusal{columnOf[mistakes[0].Path], mistakes[0].Message}
	}
	if err := r.agrees(row.Line, s); err != nil {
		return err
	}
	row.Standard = s
	return nil
}

// absence reads where a reference was sent.
func (r *rowReader) absence(s *ledger.Standard, get func(string) string) (err error) {
	if s.AwayTo = get("away_to"); s.AwayTo == "" {
		for _, field := range []string{"away_since", "away_until", "away_price"} {
			if get(field) != "" {
				return refusal{"away_to", "is missing: it says to whom the reference was sent"}
			}
		}
		return nil
	}
	if s.AwaySince, err = r.given("away_since", get); err != nil {
		return err
	}
	if s.AwaySince == nil {
		return refusal{"away_since", "is missing: it says since when"}
	}
	if s.AwayUntil, err = r.given("away_until", get); err != nil {
		return err
	}
	if s.AwayPrice, err = number("away_price", get("away_price")); err == nil && s.AwayPrice < 0 {
		err = refusal{"away_price", "is not below zero"}
	}
	return err
}

// checks reads how a reference is checked between its certificates.
func (r *rowReader) checks(s *ledger.Standard, get func(string) string) (err error) {
	if text := get("check_days"); text != "" {
		if s.CheckDays, err = strconv.Atoi(text); err != nil || s.CheckDays < 0 {
			return refusal{"check_days", fmt.Sprintf("is a whole number of days, not %q", text)}
		}
	}
	if s.CheckHow = get("check_how"); s.CheckDays > 0 && s.CheckHow == "" {
		return refusal{"check_how", "is missing: it says against what, and how"}
	}
	s.CheckedAt, err = r.given("checked_on", get)
	return err
}

// given reads a day that may be left out, and does not lie ahead where it is of what was done.
func (r *rowReader) given(field string, get func(string) string) (*time.Time, error) {
	text := get(field)
	if text == "" {
		return nil, nil
	}
	on, err := r.date(field, text)
	if err != nil {
		return nil, err
	}
	if on.After(r.how.Now) && field != "away_until" {
		return nil, refusal{field, text + " lies ahead"}
	}
	return &on, nil
}

// cylinder reads how large and how full a gas cylinder is; nil where the row is of none.
func cylinder(get func(string) string) (*gas.Cylinder, error) {
	if get("water_volume_l") == "" && get("gauge_bar") == "" && get("reserve_bar") == "" {
		return nil, nil
	}
	var c gas.Cylinder
	for field, into := range map[string]*float64{"water_volume_l": &c.WaterVolumeL, "gauge_bar": &c.GaugeBar,
		"reserve_bar": &c.ReserveBar} {
		var err error
		if *into, err = number(field, get(field)); err != nil {
			return nil, err
		}
	}
	return &c, nil
}

// agrees holds a row against the first of its reference, and against the first of its certificate. A value stands once.
func (r *rowReader) agrees(line int, s *ledger.Standard) error {
	first, there := r.standards[s.Tag]
	if !there {
		r.standards[s.Tag] = lined{line, s}
		first = r.standards[s.Tag]
	}
	for _, f := range []struct {
		field string
		same  bool
	}{
		{"name", first.Name == s.Name}, {"kind", first.Kind == s.Kind}, {"maker", first.Maker == s.Maker},
		{"serial", first.Serial == s.Serial}, {"place", first.Place == s.Place},
		{"status", first.Status == s.Status}, {"note", first.Note == s.Note}, {"lot", first.Lot == s.Lot},
		{"water_volume_l", reflect.DeepEqual(first.Cylinder, s.Cylinder)},
		{"away_to", first.AwayTo == s.AwayTo && first.AwayPrice == s.AwayPrice},
		{"away_since", reflect.DeepEqual(first.AwaySince, s.AwaySince)},
		{"away_until", reflect.DeepEqual(first.AwayUntil, s.AwayUntil)},
		{"check_days", first.CheckDays == s.CheckDays && first.CheckHow == s.CheckHow},
		{"checked_on", reflect.DeepEqual(first.CheckedAt, s.CheckedAt)},
	} {
		if !f.same {
			return refusal{f.field, fmt.Sprintf("differs from line %d, which is of the same reference", first.line)}
		}
	}
	key := s.Tag + "\n" + s.Certificate.Number
	certificate, there := r.standards[key]
	switch {
	case !there:
		r.standards[key] = lined{line, s}
	case certificate.Certificate != s.Certificate || certificate.Parent != s.Parent:
		return refusal{"certificate", fmt.Sprintf("differs from line %d, which is of the same certificate", certificate.line)}
	}
	value := fmt.Sprint(key, s.Values)
	if before, there := r.standards[value]; there {
		return refusal{"quantity", fmt.Sprintf("stands in line %d already", before.line)}
	}
	r.standards[value] = lined{line, s}
	return nil
}

// lined is a reference as a line says it.
type lined struct {
	line int
	*ledger.Standard
}

// joined makes one reference of the rows of each, with the certificates that it has and had. The one issued last counts; of
// several of that day, the one that stands last. What a reference was calibrated against must be there too.
func (r *rowReader) joined() {
	for orphan := r.orphan(); orphan != ""; orphan = r.orphan() {
		r.whole()
	}
	var all []Row
	at := map[string]int{}
	for _, row := range r.in.Rows {
		s := row.Standard
		if s.Parent != "" {
			s.Parent = r.parents[s.Parent]
		}
		i, there := at[s.Tag]
		if !there {
			i, at[s.Tag] = len(all), len(all)
			all = append(all, Row{Line: row.Line, Standard: s})
		}
		of := &all[i]
		c := slices.IndexFunc(of.Certificates,
			func(c ledger.StandardCertificate) bool { return c.Certificate.Number == s.Certificate.Number })
		if c < 0 {
			c = len(of.Certificates)
			of.Certificates = append(of.Certificates, ledger.StandardCertificate{ID: fmt.Sprintf("cert-%s-%d", s.ID, c+1),
				StandardID: s.ID, Certificate: s.Certificate, Parent: s.Parent, EnteredBy: "imported"})
		}
		of.Certificates[c].Values = append(of.Certificates[c].Values, s.Values...)
	}
	for i := range all {
		slices.SortStableFunc(all[i].Certificates, func(a, b ledger.StandardCertificate) int {
			return a.Certificate.On.Compare(b.Certificate.On)
		})
		newest := all[i].Certificates[len(all[i].Certificates)-1]
		s := *all[i].Standard
		s.Certificate, s.Values, s.Parent = newest.Certificate, newest.Values, newest.Parent
		all[i].Standard = &s
	}
	r.in.Rows = all
}

// orphan finds a reference that was calibrated against one which is not there, and refuses it; empty where there is none.
func (r *rowReader) orphan() string {
	here := map[string]string{}
	for _, row := range r.in.Rows {
		here[row.Standard.Tag] = row.Standard.ID
	}
	r.parents = map[string]string{}
	for _, row := range r.in.Rows {
		s := row.Standard
		if s.Parent == "" {
			continue
		}
		parent, err := ledger.Tag(s.Parent)
		id, known := r.known.HasStandard(parent)
		if !known {
			id = here[parent]
		}
		if err != nil || id == "" || parent == s.Tag {
			r.refused[row.group] = row.Line
			r.in.Rows = slices.DeleteFunc(r.in.Rows, func(x Row) bool { return x.Line == row.Line })
			r.in.Lines--
			r.refuse(sourceRow{line: row.Line, cells: row.cells}, "parent",
				fmt.Sprintf("there is no other reference %s that it could have been calibrated against", s.Parent))
			return s.Tag
		}
		r.parents[s.Parent] = id
	}
	return ""
}
