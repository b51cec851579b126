package procedure

import (
	"fmt"
	"slices"
	"strings"
)

// ExchangedPart is a part of the device that is fitted new. Its order number and its lot or serial number are recorded: by
// them a device is found again when the maker calls a lot back.
type ExchangedPart struct {
	ID       string `yaml:"id"`
	Title    string `yaml:"title"`
	Amount   int    `yaml:"amount,omitempty"`   // 0 means 1; at most 99
	Unmarked bool   `yaml:"unmarked,omitempty"` // it bears no lot and no serial number
}

// Software is what a field keeps that is the version of the device's software.
const Software = "software"

// What is recorded of a part, behind its id.
const (
	orderNumber = "-number"
	lotNumber   = "-lot"
)

// partFields are the fields in which a step records the parts that it fits.
func partFields(parts []ExchangedPart) (fields []Field) {
	for _, p := range parts {
		title := p.Named()
		fields = append(fields, Field{ID: p.ID + orderNumber, Label: title + ": order number", Text: true})
		if !p.Unmarked {
			fields = append(fields, Field{ID: p.ID + lotNumber, Label: title + ": lot or serial number", Text: true})
		}
	}
	return fields
}

// Named is the part with how many of it are fitted: "2 × Air filter".
func (p ExchangedPart) Named() string {
	if p.Amount > 1 {
		return fmt.Sprintf("%d × %s", p.Amount, p.Title)
	}
	return p.Title
}

// Numbers are what was recorded of a part: its order number, and its lot or serial number.
func (p ExchangedPart) Numbers(recorded map[string]string) (number, lot string) {
	return recorded[p.ID+orderNumber], recorded[p.ID+lotNumber]
}

// Exchanged are the parts that the procedure fits, in its order.
func (p *Procedure) Exchanged() (parts []ExchangedPart) {
	for _, s := range p.Steps {
		if record, is := s.(*RecordStep); is {
			parts = append(parts, record.Parts...)
		}
	}
	return parts
}

// exchanged checks what a step fits.
func (c *checker) exchanged(at string, parts []ExchangedPart) {
	for i, p := range parts {
		path := fmt.Sprintf("%s.parts[%d]", at, i)
		c.need(path+".id", p.ID)
		c.need(path+".title", p.Title)
		if p.Amount < 0 || p.Amount > 99 {
			c.say(path+".amount", "must be 1 to 99")
		}
		if slices.ContainsFunc(parts[:i], func(q ExchangedPart) bool { return q.ID == p.ID }) {
			c.say(path+".id", "%q is another part's too", p.ID)
		}
	}
}

// kept checks what a field says of the device beyond the run.
func (c *checker) kept(at string, f Field) {
	if f.Keeps != "" && (f.Keeps != Software || !f.Text) {
		c.say(at+".keeps", "must be software, in a field of text")
	}
	if f.Counts != "" && (f.Text || len(f.Options) > 0 || f.Unit != "") {
		c.say(at+".counts", "is of a figure without a unit: what is counted stands here")
	}
	if f.SetBack && f.Counts == "" {
		c.say(at+".set_back", "is of a counter: say under counts what it counts")
	}
}

// maintains checks that a procedure which maintains measures nothing.
func (c *checker) maintains() {
	if c.p.Maintains && (len(c.p.Measures()) > 0 || len(c.p.Findings()) > 0) {
		c.say("maintains", "is of a procedure that measures nothing: leave it out, or the measures and findings")
	}
	if c.p.Maintains && strings.TrimSpace(c.p.Test) != "" {
		c.say("maintains", "is of the whole device: leave test out")
	}
}
