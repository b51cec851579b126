package workshop

import (
	"fmt"
	"strings"

	"northneedle/core/person"
	"northneedle/core/reference"
	"northneedle/internal/ledger"
)

// SentOut says that a reference is sent out, or is back.
type SentOut struct {
	ID    string  `json:"id" minLength:"8" maxLength:"60" doc:"made by the client; sent again it changes nothing"`
	To    string  `json:"to,omitempty" maxLength:"120" doc:"to whom; empty: it is back"`
	Until Day     `json:"until,omitempty" format:"date" doc:"when it is due back"`
	Price float64 `json:"price,omitempty" minimum:"0" maximum:"1000000000" doc:"agreed, in the currency of the workshop's prices"`
	Why   string  `json:"why" maxLength:"400" doc:"what for; or in which state it came back"`
}

// SendOut notes that a reference is sent out, and no run can use it, or that it is back.
func (ws *Workshop) SendOut(idOrTag string, o SentOut, who person.Person) error {
	s, err := ws.Ledger.Standard(idOrTag)
	if err != nil {
		return err
	}
	o.To, o.Why = strings.TrimSpace(o.To), strings.TrimSpace(o.Why)
	until, now := ws.begin(o.Until), ws.Clock()
	kind := "reference sent out"
	switch {
	case o.Why == "" && o.To == "":
		return invalid("why", "Say in which state it came back: whole, adjusted, repaired, damaged.")
	case o.Why == "":
		return invalid("why", "Say what it is sent out for.")
	case o.To == "" && s.AwayTo == "":
		return invalid("to", "Say to whom it is sent.")
	case o.Until != "" && (until.IsZero() || ws.days(until) < 0):
		return invalid("until", "It is due back today or later.")
	case o.To == "":
		kind, s.AwaySince, s.AwayUntil, s.AwayPrice = "reference back", nil, nil, 0
	default:
		if s.AwayTo == "" {
			s.AwaySince = &now
		}
		if s.AwayUntil = nil; o.Until != "" {
			s.AwayUntil = &until
		}
		s.AwayPrice = o.Price
	}
	s.AwayTo = o.To
	if err := ws.Ledger.Record(ws.act(o.ID, kind, who, o.Why), &s); err != nil {
		return err
	}
	ws.changes.tell("", 0)
	return nil
}

// asFound are what a laboratory found of a standard, each against its certificate of before.
func asFound(s ledger.Standard, next reference.Certificate, found []reference.AsFound) (all []reference.Moved, err error) {
	for i, f := range found {
		if !(f.U > 0) {
			return nil, invalid(fmt.Sprintf("certificate.found[%d].u", i),
				f.Quantity+": say how certain the laboratory is of what it found, U (k = 2).")
		}
		moved, err := reference.Compare(f, s.Values, s.Certificate.On, next.On)
		if err != nil {
			return nil, invalid(fmt.Sprintf("certificate.found[%d].quantity", i), Sentence(err)+".")
		}
		all = append(all, moved)
	}
	return all, nil
}
