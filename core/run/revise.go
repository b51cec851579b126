package run

import (
	"strings"
	"time"

	"northneedle/core/person"
)

// Corrected is what a certificate should have said of its device; what is empty stays as
// it stood.
type Corrected struct {
	Serial string `json:"serial,omitempty"`
	Maker  string `json:"maker,omitempty"`
	Model  string `json:"model,omitempty"`
	Site   string `json:"site,omitempty"`
	Place  string `json:"place,omitempty"`
}

// On applies the corrections to a device. It also returns what they change, one sentence each.
func (c Corrected) On(d Device) (Device, []string) {
	changes := []string{}
	for _, field := range []struct {
		name string
		was  *string
		now  string
	}{{"serial", &d.Serial, c.Serial}, {"maker", &d.Maker, c.Maker}, {"model", &d.Model, c.Model},
		{"site", &d.Site, c.Site}, {"place", &d.Place, c.Place}} {
		if now := strings.TrimSpace(field.now); now != "" && now != *field.was {
			changes = append(changes, field.name+" "+now+", it said "+said(*field.was))
			*field.was = now
		}
	}
	return d, changes
}

func said(text string) string {
	if text == "" {
		return "nothing"
	}
	return text
}

// Revision is a certificate issued anew.
type Revision struct {
	CertificateRevised
	Seq int // of its event
	At  time.Time
	By  person.Person
}

// ReviseCertificate issues a signed run's certificate anew, with corrected words about its
// device or a remark. A lead does it. What was measured, and the verdict, never change so:
// for that a new run replaces the old one.
type ReviseCertificate struct {
	Reason string
	Device Corrected
	Remark string
}

func (c ReviseCertificate) decide(r Run, o Order) ([]Fact, error) {
	device, _ := r.Certified()
	_, changes := c.Device.On(device)
	fact := CertificateRevised{
		Revision: len(r.Revisions) + 2,
		Reason:   strings.TrimSpace(c.Reason),
		Device:   c.Device,
		Remark:   strings.TrimSpace(c.Remark),
		Signing:  o.signing(Reissued),
	}
	switch {
	case !person.Can(o.By.Role, person.ReviseCertificate):
		return nil, refuse(Forbidden, "lead-only", "", "%s", person.RefusalOf(person.ReviseCertificate))
	case fact.Reason == "":
		return nil, refuse(Invalid, "reason-needed", "reason",
			"Say why the certificate is issued anew: it stands on the new one.")
	case len(changes) == 0 && fact.Remark == "":
		return nil, refuse(Invalid, "nothing-changed", "device",
			"Nothing would change: correct what it says of the device, or add a remark. A wrong reading is mended by a new run that replaces this one.")
	}
	return []Fact{fact}, nil
}

// Certified is the device as the latest certificate says, with the remarks that were added.
func (r Run) Certified() (Device, []string) {
	device, remarks := r.Device, []string{}
	for _, v := range r.Revisions {
		device, _ = v.Device.On(device)
		if v.Remark != "" {
			remarks = append(remarks, v.Remark)
		}
	}
	return device, remarks
}

// Issued is the number of the last event that the certificate of a revision covers; 1 is
// the first. A revision that was not issued is a [*Refusal].
func (r Run) Issued(revision int) (int, error) {
	switch n := len(r.Revisions) + 1; {
	case revision < 1 || revision > n:
		return 0, refuse(Invalid, "no-such-revision", "revision", "There are revisions 1 to %d of this certificate.", n)
	case revision == n:
		return r.Seq, nil
	}
	return r.Revisions[revision-1].Seq - 1, nil
}
