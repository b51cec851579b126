package workshop

import (
	"context"
	"fmt"
	"strings"
	"time"

	"northneedle/core/device"
	"northneedle/core/person"
	"northneedle/internal/ledger"
)

// ToldPage is what somebody outside sees by their link: how their devices stand, and what waits for their answer.
type ToldPage struct {
	Name    string       `json:"name"`
	Lab     string       `json:"lab"`
	Address string       `json:"address,omitempty" doc:"of the workshop, as its papers have it"`
	At      time.Time    `json:"at"`
	Devices []ToldDevice `json:"devices"`
	Total   int          `json:"total" doc:"how many there are, those that are not listed among them"`
	Notices []ToldNotice `json:"notices" doc:"those without an answer first"`
}

// ToldDevice is whether one device may be used.
type ToldDevice struct {
	Tag    string  `json:"tag"`
	Device string  `json:"device"`
	Site   string  `json:"site"`
	Place  string  `json:"place"`
	May    MayUse  `json:"may"`
	Words  string  `json:"words,omitempty" doc:"why, or what to look to"`
	Faults []Fault `json:"faults" doc:"reported, and not judged yet"`
}

// Fault is what was reported of a device.
type Fault struct {
	What     string    `json:"what"`
	Reporter string    `json:"reporter"`
	At       time.Time `json:"at"`
}

// MayUse is the answer to whether a device may be used.
type MayUse string

// The answers.
const (
	MayYes  MayUse = "yes"
	MayAsk  MayUse = "ask first" // it is in doubt, or not for every test
	MayNo   MayUse = "no"
	MayAway MayUse = "away"
)

// mayUse is the answer for a device that stands so.
func mayUse(s device.Standing) MayUse {
	switch {
	case s.Stop:
		return MayNo
	case s.State == device.InDoubt || s.State == device.NotEveryTest:
		return MayAsk
	case s.State == device.AwayFrom:
		return MayAway
	}
	return MayYes
}

// ToldNotice is a notice that they were sent.
type ToldNotice struct {
	ID         string     `json:"id"`
	Tag        string     `json:"tag,omitempty"`
	Text       string     `json:"text"`
	SentAt     time.Time  `json:"sent_at"`
	Answer     string     `json:"answer,omitempty"`
	AnsweredAt *time.Time `json:"answered_at,omitempty"`
	AnsweredBy string     `json:"answered_by,omitempty"`

	lookBack string
}

// MayAnswer is what somebody answers on their page.
type MayAnswer struct {
	Notice string `json:"notice" maxLength:"160"`
	Name   string `json:"name" minLength:"1" maxLength:"120" doc:"of whoever answers"`
	Answer string `json:"answer" minLength:"1" maxLength:"4000"`
}

// ToldFault is what somebody reports on their page.
type ToldFault struct {
	ID    string `json:"id" minLength:"8" maxLength:"50" doc:"made by the client; sent again it changes nothing"`
	Tag   string `json:"tag" maxLength:"40"`
	Name  string `json:"name" minLength:"1" maxLength:"120" doc:"of whoever noticed it"`
	What  string `json:"what" minLength:"1" maxLength:"1000"`
	Since Day    `json:"since,omitempty" format:"date"`
}

// listedTold is how many devices are on the page at a time.
const listedTold = 60

// Told is somebody's page; search narrows its devices.
func (ws *Workshop) Told(ctx context.Context, secret, search string) (v ToldPage, err error) {
	c, err := ws.bySecret(secret)
	if err != nil {
		return v, err
	}
	lab, err := ws.Lab()
	if err != nil {
		return v, err
	}
	q := their(c)
	q.Search = search
	total, devices, err := ws.found(ctx, q, 0, listedTold)
	if err != nil {
		return v, err
	}
	v = ToldPage{Name: c.Name, Lab: lab.Name, Address: lab.Letterhead.Address, At: ws.Clock(), Total: total,
		Devices: []ToldDevice{}, Notices: []ToldNotice{}}
	facts, err := ws.facts(idsOf(devices)...)
	if err != nil {
		return v, err
	}
	for _, a := range devices {
		state := device.Of(facts[a.ID], v.At)
		d := ToldDevice{Tag: a.Tag, Device: a.Maker + " " + a.Model, Site: a.Site, Place: a.Place,
			May: mayUse(state), Words: state.Words, Faults: []Fault{}}
		for _, f := range facts[a.ID].Faults {
			d.Faults = append(d.Faults, Fault{f.What, f.Reporter, f.At})
		}
		v.Devices = append(v.Devices, d)
	}
	v.Notices, err = ws.noticesTo(c)
	return v, err
}

// noticesTo are the notices of open look-backs that a contact was told, those without an answer first.
func (ws *Workshop) noticesTo(c ledger.Contact) ([]ToldNotice, error) {
	rows, err := ws.Ledger.NoticesOf(ws.page(their(c)).AssetFilter)
	if err != nil {
		return nil, err
	}
	ids := make([]string, len(rows))
	for i, n := range rows {
		ids[i] = n.AssetID
	}
	devices, err := ws.Ledger.AssetsOf(ids...)
	open, answered := []ToldNotice{}, []ToldNotice{}
	for _, n := range rows {
		t := ToldNotice{ID: n.ID, Tag: devices[n.AssetID].Tag, Text: n.Text, SentAt: *n.SentAt, Answer: n.Answer,
			AnsweredAt: n.AnsweredAt, AnsweredBy: n.AnsweredBy, lookBack: n.LookBackID}
		if n.AnsweredAt == nil {
			open = append(open, t)
		} else {
			answered = append(answered, t)
		}
	}
	return append(open, answered...), err
}

// outside is who acts by a link: not one of the workshop's people.
func outside(c ledger.Contact, name string) person.Person {
	return person.Person{ID: "contact/" + c.ID, Name: fmt.Sprintf("%s (%s, on their page)", strings.TrimSpace(name), c.Name)}
}

// AnswerTold takes an answer to a notice from somebody's page.
func (ws *Workshop) AnswerTold(secret string, o MayAnswer) error {
	c, err := ws.bySecret(secret)
	if err != nil {
		return err
	}
	if strings.TrimSpace(o.Name) == "" {
		return invalid("name", "Say who answers.")
	}
	all, err := ws.noticesTo(c)
	if err != nil {
		return err
	}
	for _, n := range all {
		switch {
		case n.ID != o.Notice:
		case n.AnsweredAt != nil:
			return invalid("answer",
				"It was answered already, by "+n.AnsweredBy+". Tell the workshop if it is another answer now.")
		default:
			return ws.ChangeNotice(n.lookBack, n.ID, NoticeOrder{Kind: "answered", Answer: o.Answer}, outside(c, o.Name))
		}
	}
	return ledger.ErrNotFound
}

// ReportTold takes a fault from somebody's page, of one of their devices.
func (ws *Workshop) ReportTold(ctx context.Context, secret string, f ToldFault) error {
	c, err := ws.bySecret(secret)
	if err != nil {
		return err
	}
	if f.Name = strings.TrimSpace(f.Name); f.Name == "" {
		return invalid("name", "Say who noticed it.")
	}
	q := their(c)
	q.Tag = f.Tag
	_, found, err := ws.found(ctx, q, 0, 1)
	if err != nil {
		return err
	}
	if f.Tag == "" || len(found) == 0 {
		return ledger.ErrNotFound
	}
	return ws.ReportFault(found[0].ID, FaultReport{ID: f.ID, What: f.What, Reporter: f.Name, Since: f.Since},
		outside(c, f.Name))
}
