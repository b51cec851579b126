package api

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"time"

	"northneedle/core/gas"
	"northneedle/core/person"
	"northneedle/core/quantity"
	"northneedle/core/reference"
	"northneedle/internal/ledger"

	"github.com/danielgtaylor/huma/v2"
)

// ReferenceView is everything about one reference standard.
type ReferenceView struct {
	StandardView
	Certificates []CertificateView `json:"certificates" doc:"the oldest first"`
	Chain        []LinkView        `json:"chain" doc:"from what it is used on, up to where its certificate leads"`
	Devices      int64             `json:"devices" doc:"devices it was used on"`
	Runs         []RunBrief        `json:"runs" doc:"the latest it was used in"`
	Procedures   []string          `json:"procedures" doc:"procedures with a role it can fill"`
	Book         []GaugeView       `json:"book" doc:"a cylinder's gauge readings, the newest first"`
	ExpectedL    float64           `json:"expected_l" doc:"what the runs since the last gauge reading should have taken: an estimate"`
	Parent       string            `json:"parent,omitempty"`
}

// CertificateView is a certificate a standard has or had.
type CertificateView struct {
	reference.Certificate
	Values  []reference.Certified `json:"values"`
	Current bool                  `json:"current"`
	By      string                `json:"by" doc:"who entered it"`
}

// LinkView is one link of the chain of traceability.
type LinkView struct {
	Tag         string                 `json:"tag,omitempty"`
	Name        string                 `json:"name"`
	Certificate *reference.Certificate `json:"certificate,omitempty"`
	Uncertainty string                 `json:"uncertainty,omitempty"`
	Broken      string                 `json:"broken,omitempty" doc:"why the chain does not hold here"`
}

// GaugeView is a line of a cylinder's book.
type GaugeView struct {
	At       time.Time `json:"at"`
	By       string    `json:"by"`
	Bar      float64   `json:"bar"`
	ContentL float64   `json:"content_l"`
	MeteredL float64   `json:"metered_l"`
	Loss     *gas.Loss `json:"loss,omitempty" doc:"since the reading before"`
	Note     string    `json:"note,omitempty"`
}

// CertificateBody is a certificate as it is entered.
type CertificateBody struct {
	Number     string                `json:"number" maxLength:"100"`
	Issuer     string                `json:"issuer" maxLength:"200"`
	On         Day                   `json:"on,omitempty"`
	DueOn      Day                   `json:"due_on,omitempty" doc:"its last day"`
	Accredited bool                  `json:"accredited"`
	Parent     string                `json:"parent,omitempty" maxLength:"60" doc:"tag of the standard it was calibrated against, in house"`
	Values     []reference.Certified `json:"values" maxItems:"100"`
}

// ReferencePath names a standard, by its id or tag.
type ReferencePath struct {
	ID string `path:"id" maxLength:"60"`
}

func registerReferences(api huma.API, h *House) {
	serve(api, operation{"reference", http.MethodGet, "/api/standards/{id}",
		"One reference standard: certificates, chain, use, gas book", person.Look, 0, nil},
		func(ctx context.Context, in *ReferencePath) (out ReferenceView, err error) {
			return h.reference(ctx, in.ID)
		})
	serve(api, operation{"enter-reference", http.MethodPost, "/api/standards",
		"Enter a reference standard with its certificate", person.KeepReferences, 0, nil},
		func(ctx context.Context, in *struct {
			Body struct {
				ID          string          `json:"id" minLength:"8" maxLength:"60" doc:"made by the client"`
				Tag         string          `json:"tag" maxLength:"40"`
				Name        string          `json:"name" maxLength:"200"`
				Kind        string          `json:"kind" maxLength:"60"`
				Maker       string          `json:"maker,omitempty" maxLength:"100"`
				Serial      string          `json:"serial,omitempty" maxLength:"100"`
				Place       string          `json:"place,omitempty" maxLength:"100"`
				Lot         string          `json:"lot,omitempty" maxLength:"60"`
				Cylinder    *gas.Cylinder   `json:"cylinder,omitempty"`
				Certificate CertificateBody `json:"certificate"`
			}
		}) (out ReferenceView, err error) {
			b := in.Body
			s := ledger.Standard{ID: b.ID, Tag: strings.ToUpper(strings.TrimSpace(b.Tag)),
				Name: strings.TrimSpace(b.Name), Kind: strings.TrimSpace(b.Kind), Maker: b.Maker, Serial: b.Serial,
				Place:  b.Place,
				Status: reference.Usable, Lot: b.Lot, Cylinder: b.Cylinder}
			if err := h.enter(ctx, &s, b.Certificate); err != nil {
				return out, err
			}
			return h.reference(ctx, s.ID)
		})
	serve(api, operation{"certify", http.MethodPost, "/api/standards/{id}/certificates",
		"Give a reference standard a new certificate", person.KeepReferences, 0, nil},
		func(ctx context.Context, in *struct {
			ReferencePath
			Body struct {
				ID          string          `json:"id" minLength:"8" maxLength:"60" doc:"made by the client; a retry enters nothing twice"`
				Certificate CertificateBody `json:"certificate"`
			}
		}) (out ReferenceView, err error) {
			if err := h.certify(ctx, in.ID, in.Body.ID, in.Body.Certificate); err != nil {
				return out, err
			}
			return h.reference(ctx, in.ID)
		})
	serve(api, operation{"reference-status", http.MethodPost, "/api/standards/{id}/status",
		"Put a reference into quarantine, release or retire it", person.KeepReferences, 0, nil},
		func(ctx context.Context, in *struct {
			ReferencePath
			Body struct {
				Status string `json:"status" enum:"usable,quarantined,retired"`
				Note   string `json:"note" maxLength:"1000"`
			}
		}) (out ReferenceView, err error) {
			if err := h.setStatus(ctx, in.ID, in.Body.Status, in.Body.Note); err != nil {
				return out, err
			}
			return h.reference(ctx, in.ID)
		})
	serve(api, operation{"read-gauge", http.MethodPost, "/api/standards/{id}/gauge",
		"Note a reading of a cylinder's gauge", person.ReadGauges, 0, nil},
		func(ctx context.Context, in *struct {
			ReferencePath
			Body struct {
				ID       string  `json:"id" minLength:"8" maxLength:"60" doc:"made by the client; a retry notes nothing twice"`
				Bar      float64 `json:"bar" minimum:"0" maximum:"400"`
				MeteredL float64 `json:"metered_l" minimum:"0" maximum:"100000" doc:"used since the last reading, by runs or otherwise"`
				Note     string  `json:"note,omitempty" maxLength:"1000"`
			}
		}) (out ReferenceView, err error) {
			s, err := h.Ledger.Standard(in.ID)
			if err != nil {
				return out, err
			}
			if s.Cylinder == nil {
				return out, invalid("bar", s.Tag+" is no cylinder: it has no gauge.")
			}
			err = h.Ledger.ReadGauge(h.act(in.Body.ID, "gauge read", who(ctx), ""), &ledger.Gauge{
				ID:         in.Body.ID,
				StandardID: s.ID,
				At:         h.Clock(),
				Bar:        in.Body.Bar,
				MeteredL:   in.Body.MeteredL,
				By:         who(ctx).Name,
				Note:       strings.TrimSpace(in.Body.Note),
			})
			if err != nil {
				return out, err
			}
			return h.reference(ctx, in.ID)
		})
}

// checked turns the mistakes of a standard into a problem that names the first one's field.
func checked(s reference.Standard) error {
	mistakes := s.Check()
	if len(mistakes) == 0 {
		return nil
	}
	words := make([]string, len(mistakes))
	for i, m := range mistakes {
		words[i] = wrong(m.Path, m.Message)
	}
	return invalid(mistakes[0].Path, strings.Join(words, "; ")+". Nothing was recorded.")
}

func (h *House) enter(ctx context.Context, s *ledger.Standard, b CertificateBody) error {
	if known, err := h.Ledger.Standard(s.ID); err == nil && known.ID == s.ID {
		return nil // a retry
	}
	c, err := h.newCertificate(ctx, s, s.ID+"-c", b)
	if err != nil {
		return err
	}
	s.Certificate, s.Values, s.Parent = c.Certificate, c.Values, c.Parent
	if err := checked(s.Core()); err != nil {
		return err
	}
	if err := h.Ledger.EnterStandard(h.act(s.ID, "reference entered", who(ctx), ""), s, c); errors.Is(err,
		ledger.ErrExists) {
		return invalid("tag", "There is a reference "+s.Tag+" already: give this one a tag of its own.")
	} else if err != nil {
		return err
	}
	return nil
}

// newCertificate makes the row of a certificate that is being entered.
func (h *House) newCertificate(ctx context.Context, s *ledger.Standard, id string,
	b CertificateBody) (*ledger.StandardCertificate, error) {
	on := h.begin(b.On)
	c := &ledger.StandardCertificate{ID: id, StandardID: s.ID, Values: b.Values, EnteredBy: who(ctx).Name,
		Certificate: reference.Certificate{Number: strings.TrimSpace(b.Number), Issuer: strings.TrimSpace(b.Issuer),
			On: on, DueOn: h.begin(b.DueOn), Accredited: b.Accredited}}
	if on.After(h.Clock().AddDate(0, 0, 1)) {
		return nil, invalid("certificate.on", "The day of the certificate, "+string(b.On)+
			", lies ahead. Nothing was recorded.")
	}
	if b.Parent != "" {
		parent, err := h.Ledger.Standard(b.Parent)
		if errors.Is(err, ledger.ErrNotFound) || err == nil && parent.ID == s.ID {
			return nil, invalid("certificate.parent",
				"There is no other reference "+b.Parent+" that it could have been calibrated against.")
		}
		if err != nil {
			return nil, err
		}
		c.Parent = parent.ID
	}
	return c, nil
}

func (h *House) certify(ctx context.Context, idOrTag, id string, b CertificateBody) error {
	s, err := h.Ledger.Standard(idOrTag)
	if err != nil {
		return err
	}
	c, err := h.newCertificate(ctx, &s, id, b)
	if err != nil {
		return err
	}
	s.Certificate, s.Values = c.Certificate, c.Values
	if err := checked(s.Core()); err != nil {
		return err
	}
	return h.Ledger.Certify(h.act(c.ID, "certificate entered", who(ctx), ""), c)
}

func (h *House) setStatus(ctx context.Context, idOrTag, status, note string) error {
	if strings.TrimSpace(note) == "" {
		return invalid("note", "Say why: it stands beside the reference for everyone who looks for it.")
	}
	s, err := h.Ledger.Standard(idOrTag)
	if err != nil {
		return err
	}
	return h.Ledger.SetStandardStatus(h.act("", "status changed", who(ctx), strings.TrimSpace(note)), s.ID, status,
		strings.TrimSpace(note))
}

// recent is how many runs a reference's page shows.
const recent = 12

func (h *House) reference(ctx context.Context, idOrTag string) (out ReferenceView, err error) {
	s, err := h.Ledger.Standard(idOrTag)
	if err != nil {
		return out, err
	}
	v := ReferenceView{
		Certificates: []CertificateView{},
		Runs:         []RunBrief{},
		Procedures:   []string{},
		Book:         []GaugeView{},
	}
	views, err := h.standards(s.Kind)
	if err != nil {
		return out, err
	}
	v.StandardView = views[slices.IndexFunc(views, func(x StandardView) bool { return x.ID == s.ID })]
	certificates, err := h.Ledger.Certificates(s.ID)
	if err != nil {
		return out, err
	}
	for _, c := range certificates {
		v.Certificates = append(v.Certificates, CertificateView{c.Certificate, c.Values,
			c.Certificate.Number == s.Certificate.Number, c.EnteredBy})
	}
	if v.Chain, err = h.chain(s); err != nil {
		return out, err
	}
	if v.Devices, err = h.Ledger.DevicesWith(s.ID); err != nil {
		return out, err
	}
	runs, err := h.Ledger.RunsWith(s.ID, time.Time{}, recent)
	if err != nil {
		return out, err
	}
	for _, r := range runs {
		v.Runs = append(v.Runs, h.brief(r, who(ctx)))
	}
	for _, p := range h.procedures() {
		if slices.ContainsFunc(p.Roles, func(r reference.Role) bool { return r.Kind == s.Kind }) {
			v.Procedures = append(v.Procedures, p.Title)
		}
	}
	if s.Cylinder != nil {
		err = h.book(&v, s)
	}
	return v, err
}

// gaugeStep is how finely a cylinder's gauge is read, in bar.
const gaugeStep = 1

// gasBook is a cylinder's gauge readings, and what was used and lost from each to the next.
func (h *House) gasBook(s ledger.Standard) ([]ledger.Gauge, []gas.Loss, error) {
	gauges, err := h.Ledger.Gauges(s.ID)
	read := make([]gas.Gauged, len(gauges))
	for i, g := range gauges {
		read[i] = gas.Gauged{Bar: g.Bar, MeteredL: g.MeteredL}
	}
	return gauges, s.Cylinder.Losses(read, gaugeStep), err
}

// book goes through a cylinder's gauge readings, and estimates what runs took since the last.
func (h *House) book(v *ReferenceView, s ledger.Standard) error {
	gauges, losses, err := h.gasBook(s)
	if err != nil {
		return err
	}
	last := time.Time{}
	for i, g := range gauges {
		at := *s.Cylinder
		at.GaugeBar = g.Bar
		line := GaugeView{At: g.At, By: g.By, Bar: g.Bar, ContentL: at.Content(), MeteredL: g.MeteredL, Note: g.Note}
		if i > 0 {
			line.Loss = &losses[i-1]
		}
		v.Book = append([]GaugeView{line}, v.Book...)
		last = g.At
	}
	uses, err := h.Ledger.RolesSince(s.ID, last)
	if err != nil {
		return err
	}
	for _, use := range uses {
		for _, p := range h.procedures() {
			if role, ok := p.RoleOf(use.Role); ok && role.Kind == s.Kind {
				v.ExpectedL += role.Litres
				break
			}
		}
	}
	return nil
}

// chain follows a standard up to where its certificate leads outside the house.
func (h *House) chain(s ledger.Standard) ([]LinkView, error) {
	var links []LinkView
	seen := map[string]bool{}
	for {
		c := s.Certificate
		link := LinkView{Tag: s.Tag, Name: s.Name, Certificate: &c, Uncertainty: stated(s.Values)}
		switch {
		case s.Status != reference.Usable:
			link.Broken = s.Tag + " is " + s.Status + "."
		case h.days(c.DueOn) < 0:
			link.Broken = "The certificate of " + s.Tag + " ran out on " + c.DueOn.Format(time.DateOnly) + "."
		}
		links = append(links, link)
		seen[s.ID] = true
		if s.Parent == "" || seen[s.Parent] {
			break
		}
		next, err := h.Ledger.Standard(s.Parent)
		if err != nil {
			return links, err
		}
		s = next
	}
	end := LinkView{Name: s.Certificate.Issuer + ", accredited: national standards by its own certificates"}
	if !s.Certificate.Accredited {
		end = LinkView{Name: s.Certificate.Issuer,
			Broken: "In house, and no reference is named that it was calibrated against: the chain ends here."}
	}
	return append(links, end), nil
}

// stated is the uncertainty of the first certified value, for the chain.
func stated(values []reference.Certified) string {
	if len(values) == 0 {
		return ""
	}
	v := values[0]
	return fmt.Sprintf("%s: U %g %s (k = %g)", v.Quantity, v.U, quantity.ShowUnit(v.Unit), v.K)
}
