package workshop

import (
	"fmt"
	"strings"
	"time"

	"northneedle/core/person"
	"northneedle/core/quantity"
	"northneedle/core/reference"
	"northneedle/internal/ledger"
)

// CheckView is a check of a reference between two certificates.
type CheckView struct {
	reference.Moved
	ID      string    `json:"id"`
	CheckOn time.Time `json:"on"`
	Checker string    `json:"checked_by"`
	Against string    `json:"against"`
	Note    string    `json:"note,omitempty"`
}

// CheckRule says how often a reference is checked between its certificates, and how.
type CheckRule struct {
	Days int    `json:"days" minimum:"0" maximum:"1100" doc:"0: it is not checked"`
	How  string `json:"how" maxLength:"400" doc:"against what, and how"`
	Why  string `json:"why" maxLength:"400"`
}

// CheckDone is what a check of a reference found.
type CheckDone struct {
	ID      string            `json:"id" minLength:"8" maxLength:"60" doc:"made by the client; sent again it changes nothing"`
	Found   reference.AsFound `json:"found"`
	Against string            `json:"against" maxLength:"200" doc:"what it was compared with"`
	Note    string            `json:"note,omitempty" maxLength:"400"`
}

// checkViews are the checks of a reference.
func (ws *Workshop) checkViews(id string) ([]CheckView, error) {
	all, err := ws.Ledger.ChecksOf(id)
	views := []CheckView{}
	for _, c := range all {
		views = append(views, CheckView{c.Moved, c.ID, c.At, c.By, c.Against, c.Note})
	}
	return views, err
}

// SetChecks says how often a reference is checked between its certificates.
func (ws *Workshop) SetChecks(idOrTag string, o CheckRule, who person.Person) error {
	s, err := ws.Ledger.Standard(idOrTag)
	if err != nil {
		return err
	}
	o.How, o.Why = strings.TrimSpace(o.How), strings.TrimSpace(o.Why)
	switch {
	case o.Days > 0 && o.How == "":
		return invalid("how", "Say against what it is checked, and how: whoever does it reads that.")
	case o.Why == "":
		return invalid("why", "Say why so often, or why no more.")
	}
	s.CheckDays, s.CheckHow = o.Days, o.How
	return ws.Ledger.Record(ws.act("", "checks of a reference set", who, o.Why), &s)
}

// NoteCheck notes what a check of a reference between its certificates found. Where it moved by more than its certificate and the
// check itself allow, it goes into quarantine at once.
func (ws *Workshop) NoteCheck(idOrTag string, o CheckDone, who person.Person) error {
	s, err := ws.Ledger.Standard(idOrTag)
	if err != nil {
		return err
	}
	if o.Against = strings.TrimSpace(o.Against); o.Against == "" {
		return invalid("against", "Say what it was compared with: another reference by its tag, or how its value is known.")
	}
	if !(o.Found.U > 0) {
		return invalid("found.u", "Say how certain the check is, U (k = 2): without it nothing follows from it.")
	}
	if s.Status == reference.Retired {
		return invalid("id", s.Tag+" is retired.")
	}
	now := ws.Clock()
	moved, err := reference.Compare(o.Found, s.Values, s.Certificate.On, now)
	if err != nil {
		return invalid("found.quantity", Sentence(err))
	}
	check := ledger.ReferenceCheck{ID: o.ID, StandardID: s.ID, At: now, By: who.Name, Against: o.Against, Note: strings.TrimSpace(o.Note),
		Moved: moved}
	kind, why := "reference checked", "it holds"
	if s.CheckedAt = &now; !moved.Held {
		unit := quantity.ShowUnit(moved.Unit)
		why = fmt.Sprintf("%s is %+.4g %s off what it is certified for, it may be %.3g %s: found by a check between certificates",
			moved.Quantity, moved.By, unit, moved.Allowed, unit)
		if s.Status == reference.Usable {
			s.Status, s.Note = reference.Quarantined, Sentence(fmt.Errorf("%s, against %s", why, o.Against))
			kind = "reference checked, and quarantined"
		}
	}
	if err := ws.Ledger.Record(ws.act("check-"+o.ID, kind, who, why), &s, &check); err != nil {
		return err
	}
	ws.changes.tell("", 0)
	return nil
}
