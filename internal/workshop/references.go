package workshop

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"northneedle/core/gas"
	"northneedle/core/person"
	"northneedle/core/quantity"
	"northneedle/core/reference"
	"northneedle/internal/ledger"
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
	Checks       []CheckView       `json:"checks" doc:"between certificates, the oldest first"`
	CheckDays    int               `json:"check_days" doc:"how often it is checked between certificates; 0: it is not"`
	CheckHow     string            `json:"check_how"`
	CheckDue     *time.Time        `json:"check_due,omitempty"`
}

// CertificateView is a certificate a standard has or had.
type CertificateView struct {
	reference.Certificate
	Values  []reference.Certified `json:"values"`
	Found   []reference.Moved     `json:"found,omitempty" doc:"what the laboratory found before it changed anything, against the certificate before"`
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
	On         Day                   `json:"on,omitempty" format:"date"`
	DueOn      Day                   `json:"due_on,omitempty" format:"date" doc:"its last day"`
	Accredited bool                  `json:"accredited"`
	Parent     string                `json:"parent,omitempty" maxLength:"60" doc:"tag of the standard it was calibrated against, in house"`
	Values     []reference.Certified `json:"values" maxItems:"100"`
	Found      []reference.AsFound   `json:"found,omitempty" maxItems:"100" doc:"what the laboratory found before it changed anything, in the units of the certificate before"`
}

// GaugeReading is a reading of a cylinder's gauge.
type GaugeReading struct {
	ID       string  `json:"id" minLength:"8" maxLength:"60" doc:"made by the client; a retry notes nothing twice"`
	Bar      float64 `json:"bar" minimum:"0" maximum:"400"`
	MeteredL float64 `json:"metered_l" minimum:"0" maximum:"100000" doc:"used since the last reading, by runs or otherwise"`
	Note     string  `json:"note,omitempty" maxLength:"1000"`
}

// NewReference is a reference standard to enter, with its certificate.
type NewReference struct {
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

// ReadGauge notes a reading of a cylinder's gauge.
func (ws *Workshop) ReadGauge(id string, g GaugeReading, who person.Person) error {
	s, err := ws.Ledger.Standard(id)
	if err != nil {
		return err
	}
	if s.Cylinder == nil {
		return invalid("bar", s.Tag+" is no cylinder: it has no gauge.")
	}
	return ws.Ledger.ReadGauge(ws.act(g.ID, "gauge read", who, ""), &ledger.Gauge{
		ID:         g.ID,
		StandardID: s.ID,
		At:         ws.Clock(),
		Bar:        g.Bar,
		MeteredL:   g.MeteredL,
		By:         who.Name,
		Note:       strings.TrimSpace(g.Note),
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
		words[i] = Mistake(m.Path, m.Message)
	}
	return invalid(mistakes[0].Path, strings.Join(words, "; ")+". Nothing was recorded.")
}

// EnterReference enters a reference standard with its certificate. Sent again it changes nothing.
func (ws *Workshop) EnterReference(b NewReference, who person.Person) error {
	if known, err := ws.Ledger.Standard(b.ID); err == nil && known.ID == b.ID {
		return nil // a retry
	}
	s := &ledger.Standard{
		ID:       b.ID,
		Tag:      strings.ToUpper(strings.TrimSpace(b.Tag)),
		Name:     strings.TrimSpace(b.Name),
		Kind:     strings.TrimSpace(b.Kind),
		Maker:    b.Maker,
		Serial:   b.Serial,
		Place:    b.Place,
		Status:   reference.Usable,
		Lot:      b.Lot,
		Cylinder: b.Cylinder,
	}
	c, err := ws.newCertificate(s, s.ID+"-c", b.Certificate, who)
	if err != nil {
		return err
	}
	s.Certificate, s.Values, s.Parent = c.Certificate, c.Values, c.Parent
	if err := checked(s.Core()); err != nil {
		return err
	}
	if err := ws.Ledger.EnterStandard(ws.act(s.ID, "reference entered", who, ""), s, c); errors.Is(err,
		ledger.ErrExists) {
		return invalid("tag", "There is a reference "+s.Tag+" already: give this one a tag of its own.")
	} else if err != nil {
		return err
	}
	return nil
}

// newCertificate makes the row of a certificate that is being entered.
func (ws *Workshop) newCertificate(s *ledger.Standard, id string, b CertificateBody,
	who person.Person) (*ledger.StandardCertificate, error) {
	c := &ledger.StandardCertificate{ID: id, StandardID: s.ID, Values: b.Values, EnteredBy: who.Name,
		Certificate: reference.Certificate{Number: strings.TrimSpace(b.Number), Issuer: strings.TrimSpace(b.Issuer),
			On: ws.begin(b.On), DueOn: ws.begin(b.DueOn), Accredited: b.Accredited}}
	if c.Certificate.IssuedAhead(ws.Clock()) {
		return nil, invalid("certificate.on", "The day of the certificate, "+string(b.On)+
			", lies ahead. Nothing was recorded.")
	}
	if b.Parent != "" {
		parent, err := ws.Ledger.Standard(b.Parent)
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

// Certify gives a reference standard a new certificate.
func (ws *Workshop) Certify(idOrTag, id string, b CertificateBody, who person.Person) error {
	s, err := ws.Ledger.Standard(idOrTag)
	if err != nil {
		return err
	}
	c, err := ws.newCertificate(&s, id, b, who)
	if err != nil {
		return err
	}
	if c.Found, err = asFound(s, c.Certificate, b.Found); err != nil {
		return err
	}
	s.Certificate, s.Values = c.Certificate, c.Values
	if err := checked(s.Core()); err != nil {
		return err
	}
	return ws.Ledger.Certify(ws.act(c.ID, "certificate entered", who, ""), c)
}

// SetStatus puts a reference into quarantine, releases or retires it, with a note why.
func (ws *Workshop) SetStatus(idOrTag, status, note string, who person.Person) error {
	if strings.TrimSpace(note) == "" {
		return invalid("note", "Say why: it stands beside the reference for everyone who looks for it.")
	}
	s, err := ws.Ledger.Standard(idOrTag)
	if err != nil {
		return err
	}
	return ws.Ledger.SetStandardStatus(ws.act("", "status changed", who, strings.TrimSpace(note)), s.ID, status,
		strings.TrimSpace(note))
}

// recent is how many runs a reference's page shows.
const recent = 12

// Reference is one reference standard: certificates, chain, use, gas book.
func (ws *Workshop) Reference(idOrTag string, who person.Person) (out ReferenceView, err error) {
	s, err := ws.Ledger.Standard(idOrTag)
	if err != nil {
		return out, err
	}
	v := ReferenceView{
		Certificates: []CertificateView{},
		Runs:         []RunBrief{},
		Procedures:   []string{},
		Book:         []GaugeView{},
	}
	views, err := ws.standards(s.Kind)
	if err != nil {
		return out, err
	}
	v.StandardView = views[slices.IndexFunc(views, func(x StandardView) bool { return x.ID == s.ID })]
	certificates, err := ws.Ledger.Certificates(s.ID)
	if err != nil {
		return out, err
	}
	for _, c := range certificates {
		v.Certificates = append(v.Certificates, CertificateView{c.Certificate, c.Values, c.Found,
			c.Certificate.Number == s.Certificate.Number, c.EnteredBy})
	}
	v.CheckDays, v.CheckHow, v.CheckDue = s.CheckDays, s.CheckHow, s.CheckDue()
	if v.Checks, err = ws.checkViews(s.ID); err != nil {
		return out, err
	}
	if v.Chain, err = ws.chain(s); err != nil {
		return out, err
	}
	if v.Devices, err = ws.Ledger.DevicesWith(s.ID); err != nil {
		return out, err
	}
	runs, err := ws.Ledger.RunsWith(s.ID, time.Time{}, recent)
	if err != nil {
		return out, err
	}
	for _, r := range runs {
		v.Runs = append(v.Runs, ws.brief(r, who))
	}
	for _, p := range ws.procedures() {
		if slices.ContainsFunc(p.Roles, func(r reference.Role) bool { return r.Kind == s.Kind }) {
			v.Procedures = append(v.Procedures, p.Title)
		}
	}
	if s.Cylinder != nil {
		err = ws.book(&v, s)
	}
	return v, err
}

// gaugeStep is how finely a cylinder's gauge is read, in bar.
const gaugeStep = 1

// gasBook is a cylinder's gauge readings, and what was used and lost from each to the next.
func (ws *Workshop) gasBook(s ledger.Standard) ([]ledger.Gauge, []gas.Loss, error) {
	gauges, err := ws.Ledger.Gauges(s.ID)
	read := make([]gas.Gauged, len(gauges))
	for i, g := range gauges {
		read[i] = gas.Gauged{Bar: g.Bar, MeteredL: g.MeteredL}
	}
	return gauges, s.Cylinder.Losses(read, gaugeStep), err
}

// book goes through a cylinder's gauge readings, and estimates what runs took since the last.
func (ws *Workshop) book(v *ReferenceView, s ledger.Standard) error {
	gauges, losses, err := ws.gasBook(s)
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
	uses, err := ws.Ledger.RolesSince(s.ID, last)
	if err != nil {
		return err
	}
	for _, use := range uses {
		for _, p := range ws.procedures() {
			if role, ok := p.RoleOf(use.Role); ok && role.Kind == s.Kind {
				v.ExpectedL += role.Litres
				break
			}
		}
	}
	return nil
}

// chain follows a standard up to where its certificate leads outside the house.
func (ws *Workshop) chain(s ledger.Standard) ([]LinkView, error) {
	var links []LinkView
	seen := map[string]bool{}
	for {
		c := s.Certificate
		link := LinkView{Tag: s.Tag, Name: s.Name, Certificate: &c, Uncertainty: stated(s.Values)}
		switch {
		case s.Status != reference.Usable:
			link.Broken = s.Tag + " is " + s.Status + "."
		case ws.days(c.DueOn) < 0:
			link.Broken = "The certificate of " + s.Tag + " ran out on " + c.DueOn.Format(time.DateOnly) + "."
		}
		links = append(links, link)
		seen[s.ID] = true
		if s.Parent == "" || seen[s.Parent] {
			break
		}
		next, err := ws.Ledger.Standard(s.Parent)
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
