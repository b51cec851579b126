package workshop

import (
	"fmt"
	"strings"

	"northneedle/core/duty"
	"northneedle/core/person"
	"northneedle/internal/ledger"
)

// About is what a device is made of and how it was bought, as its workshop knows it. What is empty is not known.
type About struct {
	Software string  `json:"software,omitempty" maxLength:"60" doc:"its version"`
	SetUp    string  `json:"set_up,omitempty" maxLength:"2000" doc:"the parts it is set up with, a line each: sensor, circuit, transducer, sets, dead space"`
	Supplier string  `json:"supplier,omitempty" maxLength:"120"`
	Bought   Day     `json:"bought,omitempty" format:"date"`
	Price    float64 `json:"price,omitempty" minimum:"0" maximum:"1000000000" doc:"in the currency of the workshop's prices"`
	Warranty Day     `json:"warranty,omitempty" format:"date" doc:"its last day"`
}

// about is what is known of a device.
func about(a ledger.Asset) About {
	v := About{Software: a.Software, SetUp: a.SetUp, Supplier: a.Supplier, Price: a.Price}
	v.Bought, v.Warranty = Day(dayText(a.Bought)), Day(dayText(a.Warranty))
	return v
}

// AboutOrder is what is known of a device now; sent again it changes nothing.
type AboutOrder struct {
	ID string `json:"id" minLength:"8" maxLength:"50" doc:"made by the client"`
	About
}

// SetAbout keeps what is known of a device. Another version of its software is an event: what it undoes is due.
func (ws *Workshop) SetAbout(id string, o AboutOrder, who person.Person) error {
	a, err := ws.Ledger.Asset(id)
	if err != nil {
		return err
	}
	bought, warranty := ws.begin(o.Bought), ws.begin(o.Warranty)
	switch {
	case o.Bought != "" && (bought.IsZero() || bought.After(ws.Clock())):
		return invalid("bought", "The day it was bought is today or before, as 2026-03-02.")
	case o.Warranty != "" && warranty.IsZero():
		return invalid("warranty", "The last day of the warranty is a day, as 2026-03-02.")
	case o.Bought != "" && o.Warranty != "" && warranty.Before(bought):
		return invalid("warranty", "The warranty ends before it was bought.")
	}
	was := a.Software
	a.Software, a.SetUp, a.Supplier, a.Price = strings.TrimSpace(o.Software), strings.TrimSpace(o.SetUp), strings.TrimSpace(o.Supplier), o.Price
	a.Bought, a.Warranty = nil, nil
	if o.Bought != "" {
		a.Bought = &bought
	}
	if o.Warranty != "" {
		a.Warranty = &warranty
	}
	if was != "" && a.Software != was { // first: a device whose software changed and whose duties still stood would be taken for good
		words := fmt.Sprintf("from %s to %s", was, a.Software)
		if a.Software == "" {
			words = fmt.Sprintf("from %s; which it is now is not known", was)
		}
		if err := ws.undone(a.ID, o.ID+"-software", duty.NewSoftware, words, who,
			func(ledger.Activity) bool { return true }); err != nil {
			return err
		}
	}
	if err := ws.Ledger.Record(ws.act(o.ID, "device described", who, ""), &a); err != nil {
		return err
	}
	ws.changes.tell("", 0)
	return nil
}
