package run

import (
	"time"

	"northneedle/core/person"
)

// Meaning is what a signature says.
type Meaning string

// The meanings of a signature.
const (
	Performed Meaning = "performed"
	Agreed    Meaning = "reviewed and agreed"
	Reissued  Meaning = "certificate issued anew"
	Approved  Meaning = "approved for use" // a procedure
)

// Meanings lists every Meaning.
var Meanings = []Meaning{Performed, Agreed, Reissued, Approved}

// Signing is what makes a fact a signature: its meaning, how the signer showed that it was they, and the content that
// it is bound to.
type Signing struct {
	Meaning Meaning `json:"meaning"`
	Shown   string  `json:"shown,omitempty"`   // "password" or "PIN"; empty where nobody was asked
	Content string  `json:"content,omitempty"` // hash of the event before it, which holds those of all before
}

// Bound reports whether a signature is bound to the content whose last event has this hash. One that says no content is
// of a record made before signatures said it.
func (s Signing) Bound(content string) bool { return s.Content == "" || s.Content == content }

// SigningOf is the signature that a fact is; false where it is none.
func SigningOf(f Fact) (Signing, bool) {
	switch f := f.(type) {
	case RunSigned:
		return f.Signing, true
	case RunReviewed:
		return f.Signing, true
	case CertificateRevised:
		return f.Signing, true
	}
	return Signing{}, false
}

// signing is a signature given with an order.
func (o Order) signing(m Meaning) Signing {
	return Signing{Meaning: m, Shown: o.Shown, Content: o.Content}
}

// alone reports whether somebody may do a family of devices alone, by what the order knows.
func (o Order) alone(p person.Person, family string) bool {
	return o.elsewhere || p.Alone(family, o.Competences, o.At)
}

// mayWork refuses what somebody does in a run whose device they may not do alone, unless it says whom they work under.
func (r Run) mayWork(c Command, o Order) error {
	family, under := r.Device.Family, r.Under
	switch c := c.(type) {
	case OpenRun:
		family, under = c.Device.Family, c.Under
	case NameSupervisor, ReviewRun, ReturnRun, ReviseCertificate, AddNote, CloseOpenItem, AbandonRun:
		return nil
	}
	if o.alone(o.By, family) || under != nil && under.ID != o.By.ID {
		return nil
	}
	return refuse(Forbidden, "not-alone", "under",
		"You are not on record as one who does a %s alone. Name who you work under: that one countersigns.", family)
}

// NameSupervisor says whom somebody works under who may not do the device alone.
type NameSupervisor struct{ Under person.Person }

func (c NameSupervisor) decide(r Run, o Order) ([]Fact, error) {
	if err := c.check(r, o); err != nil {
		return nil, err
	}
	return []Fact{SupervisorNamed(c)}, nil
}

// check refuses a supervisor who may not do the device alone, or who works in the run.
func (c NameSupervisor) check(r Run, o Order) error {
	switch {
	case c.Under.ID == o.By.ID:
		return refuse(Invalid, "supervisor-self", "under", "Nobody works under themselves: name another person.")
	case !o.alone(c.Under, r.Device.Family):
		return refuse(Invalid, "supervisor-alone", "under",
			"%s is not on record as one who does a %s alone: name somebody who is.",
			c.Under.Name, r.Device.Family)
	case r.hand(c.Under.ID):
		return refuse(Invalid, "supervisor-hand", "under",
			"%s recorded something in this run, and so cannot countersign it: name somebody else.",
			c.Under.Name)
	}
	return nil
}

// hand reports whether somebody recorded something in the run.
func (r Run) hand(id string) bool {
	for _, p := range r.Hands {
		if p.ID == id {
			return true
		}
	}
	return false
}

// trainee reports whether a trainee recorded something in the run.
func (r Run) trainee() bool {
	for _, p := range r.Hands {
		if p.Role == person.Trainee {
			return true
		}
	}
	return false
}

// MayCountersign refuses a second signature by somebody who is no second person: who has recorded something in the run,
// whose account was made after the run began, or who may not do the device alone. Whoever is worked under may
// countersign for that, even where they review nothing else.
func (r Run) MayCountersign(p person.Person, registered time.Time, o Order) error {
	asked := r.Under != nil && r.Under.ID == p.ID && !r.leadReviews()
	switch {
	case r.hand(p.ID):
		return refuse(Forbidden, "own-run", "reviewer",
			"%s recorded something in this run: whoever countersigns has no part in it.", p.Name)
	case !person.Can(p.Role, person.Review) && !asked:
		return refuse(Forbidden, "lead-only", "reviewer", "%s cannot countersign. %s", p.Name, person.RefusalOf(person.Review))
	case registered.After(r.OpenedAt):
		return refuse(Forbidden, "account-too-new", "reviewer",
			"%s was registered after this run began: somebody who was here before countersigns it.", p.Name)
	case !o.alone(p, r.Device.Family):
		return refuse(Forbidden, "reviewer-alone", "reviewer",
			"%s is not on record as one who does a %s alone: somebody who is countersigns.",
			p.Name, r.Device.Family)
	}
	return nil
}
