package workshop

import (
	"crypto/subtle"
	"fmt"
	"strings"
	"time"

	"northneedle/core/person"
	"northneedle/core/run"
	"northneedle/internal/ledger"
	"northneedle/internal/mail"

	"github.com/oklog/ulid/v2"
)

// ContactView is somebody outside the workshop who is told of some devices.
type ContactView struct {
	ID     string `json:"id"`
	Name   string `json:"name"`
	Mail   string `json:"mail,omitempty"`
	Site   string `json:"site,omitempty"`
	Place  string `json:"place,omitempty"`
	Owner  string `json:"owner,omitempty"`
	Digest bool   `json:"digest"`
	Link   string `json:"link,omitempty" doc:"to their page; whoever has it needs no account. A path alone where the address of this server was not set"`
}

// ContactOrder is who is told, and of which devices: what is empty of site, place and owner takes all.
type ContactOrder struct {
	ID     string `json:"id,omitempty" maxLength:"40" doc:"of the one that is changed; empty: another one"`
	Name   string `json:"name" minLength:"1" maxLength:"120"`
	Mail   string `json:"mail,omitempty" maxLength:"200" doc:"empty: nothing is sent, and they have their page alone"`
	Site   string `json:"site,omitempty" maxLength:"80"`
	Place  string `json:"place,omitempty" maxLength:"80"`
	Owner  string `json:"owner,omitempty" maxLength:"120" doc:"as devices name it"`
	Digest bool   `json:"digest" doc:"gets how their devices stand, once a week"`
}

// SetContact enters who is told, or changes one.
func (ws *Workshop) SetContact(o ContactOrder, who person.Person) error {
	ws.telling.Lock()
	defer ws.telling.Unlock()
	c := ledger.Contact{ID: ulid.Make().String(), At: ws.Clock()}
	if o.ID != "" {
		var err error
		if c, err = ws.Ledger.Contact(o.ID); err != nil {
			return err
		}
	}
	for _, text := range []*string{&o.Name, &o.Mail, &o.Site, &o.Place, &o.Owner} {
		*text = strings.TrimSpace(*text)
	}
	switch {
	case o.Name == "":
		return invalid("name", "Say who it is: a ward, an office, a name.")
	case o.Site == "" && o.Place != "":
		return invalid("place", "A place belongs to a site: say which.")
	case o.Site == "" && o.Owner == "":
		return invalid("site", "Say of which site or owner they are told.")
	case o.Digest && o.Mail == "":
		return invalid("mail", "What is sent each week needs an address.")
	}
	if o.Mail != "" {
		if err := mail.CheckAddress(o.Mail); err != nil {
			return invalid("mail", Sentence(err))
		}
	}
	c.Name, c.Mail, c.Site, c.Place, c.Owner, c.Digest = o.Name, o.Mail, o.Site, o.Place, o.Owner, o.Digest
	return ws.Ledger.Record(ws.act("", "who is told", who, o.Name), &c)
}

// EndContact has somebody told no more; their link opens nothing from then on.
func (ws *Workshop) EndContact(id, why string, who person.Person) error {
	ws.telling.Lock()
	defer ws.telling.Unlock()
	c, err := ws.Ledger.Contact(id)
	if err != nil {
		return err
	}
	if why = strings.TrimSpace(why); why == "" {
		return invalid("why", "Say why they are told no more.")
	}
	now := ws.Clock()
	c.Ended = &now
	return ws.Ledger.Record(ws.act("", "told no more", who, c.Name+": "+why), &c)
}

// NewLink makes the link to somebody's page; an earlier one opens nothing any more.
func (ws *Workshop) NewLink(id string, who person.Person) error {
	ws.telling.Lock()
	defer ws.telling.Unlock()
	c, err := ws.Ledger.Contact(id)
	if err != nil {
		return err
	}
	if ws.Seal == nil {
		return &run.Refusal{Kind: run.Conflict, Code: "no-key",
			Message: "Links are made from the workshop's key, and there is none."}
	}
	c.Link++
	return ws.Ledger.Record(ws.act("", "link made", who, c.Name), &c)
}

// secretOf is the secret in a contact's link: it is made from the workshop's key, and kept nowhere.
func (ws *Workshop) secretOf(c ledger.Contact) (string, error) {
	secret, err := ws.Seal.Secret(fmt.Sprintf("contact %s %d", c.ID, c.Link))
	return c.ID + "." + secret, err
}

// linkOf is the link to a contact's page: a path alone where nobody said at which address this server is reached; empty where
// there is none.
func (ws *Workshop) linkOf(c ledger.Contact) (string, error) {
	address := ""
	if err := ws.Ledger.Setting(publicAddress, &address); err != nil || c.Link == 0 || ws.Seal == nil {
		return "", err
	}
	secret, err := ws.secretOf(c)
	return address + "/told#" + secret, err
}

// mailedLink is the link as it goes into a mail; empty where it would be no whole address.
func (ws *Workshop) mailedLink(c ledger.Contact) (string, error) {
	link, err := ws.linkOf(c)
	if strings.HasPrefix(link, "/") {
		return "", err
	}
	return link, err
}

// bySecret is the contact that a secret belongs to.
func (ws *Workshop) bySecret(secret string) (ledger.Contact, error) {
	none := &run.Refusal{Kind: run.Invalid, Code: "no-such-link",
		Message: "This link opens nothing any more. Ask the workshop for a new one."}
	id, _, _ := strings.Cut(secret, ".")
	c, err := ws.Ledger.Contact(id)
	if err != nil || c.Link == 0 || ws.Seal == nil {
		return c, none
	}
	right, err := ws.secretOf(c)
	if err == nil && subtle.ConstantTimeCompare([]byte(right), []byte(secret)) != 1 {
		return c, none
	}
	return c, err
}

// their are the devices that a contact is told of.
func their(c ledger.Contact) AssetQuery {
	return AssetQuery{Site: c.Site, Place: c.Place, Owner: c.Owner}
}

// toldOf are the contacts that are told of a device and have an address, whoever is told of the fewest devices first.
func toldOf(all []ledger.Contact, a ledger.Asset) (some []ledger.Contact) {
	for named := 3; named > 0; named-- {
		for _, c := range all {
			n, fits := 0, c.Mail != ""
			for _, pair := range [][2]string{{c.Site, a.Site}, {c.Place, a.Place}, {c.Owner, a.Owner}} {
				if pair[0] != "" {
					n++
					fits = fits && pair[0] == pair[1]
				}
			}
			if fits && n == named {
				some = append(some, c)
			}
		}
	}
	return some
}

// TellingView is who is told, when, and what was sent.
type TellingView struct {
	Mail     bool          `json:"mail" doc:"a mail server is set where this program is started"`
	Rules    MailRules     `json:"rules"`
	Contacts []ContactView `json:"contacts"`
	Letters  []LetterView  `json:"letters" doc:"the latest, the newest first"`
	Address  string        `json:"address,omitempty" doc:"at which others reach this server; empty: there are no links"`
}

// LetterView is a mail, and what became of it.
type LetterView struct {
	ID      string            `json:"id"`
	Kind    ledger.LetterKind `json:"kind"`
	Name    string            `json:"name"`
	Mail    string            `json:"mail"`
	Subject string            `json:"subject"`
	Text    string            `json:"text"`
	At      time.Time         `json:"at"`
	By      string            `json:"by"`
	Tries   int               `json:"tries"`
	Next    *time.Time        `json:"next,omitempty" doc:"when it is tried next"`
	Sent    *time.Time        `json:"sent,omitempty"`
	Ended   *time.Time        `json:"ended,omitempty" doc:"it is tried no more"`
	Trouble string            `json:"trouble,omitempty" doc:"why it was not sent yet"`
}

func letterView(l ledger.Letter) LetterView {
	return LetterView{ID: l.ID, Kind: l.Kind, Name: l.Name, Mail: l.Mail, Subject: l.Subject, Text: l.Text, At: l.At,
		By: l.By, Tries: l.Tries, Next: l.Next, Sent: l.Sent, Ended: l.Ended, Trouble: l.Trouble}
}

// listedLetters is how many letters are listed.
const listedLetters = 100

// Telling is who is told, and what was sent. Links are shown to whoever keeps who is told.
func (ws *Workshop) Telling(who person.Person) (v TellingView, err error) {
	v = TellingView{Mail: ws.Post != nil, Contacts: []ContactView{}, Letters: []LetterView{}}
	if v.Rules, err = ws.mailRules(); err != nil {
		return v, err
	}
	if err := ws.Ledger.Setting(publicAddress, &v.Address); err != nil {
		return v, err
	}
	keeps := person.Can(who.Role, person.KeepContacts)
	contacts, err := ws.Ledger.Contacts()
	if err != nil {
		return v, err
	}
	for _, c := range contacts {
		shown := ContactView{ID: c.ID, Name: c.Name, Mail: c.Mail, Site: c.Site, Place: c.Place, Owner: c.Owner,
			Digest: c.Digest}
		if keeps {
			if shown.Link, err = ws.linkOf(c); err != nil {
				return v, err
			}
		}
		v.Contacts = append(v.Contacts, shown)
	}
	letters, err := ws.Ledger.Letters(listedLetters)
	for _, l := range letters {
		v.Letters = append(v.Letters, letterView(l))
	}
	return v, err
}
