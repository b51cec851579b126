package capture

import (
	"fmt"
	"time"

	"northneedle/core/person"
	"northneedle/core/run"
)

// Hand is who is at an instrument, and whether they take it from whoever holds it.
type Hand struct {
	Person   person.Person
	TakeOver bool
}

// Hold is what an instrument serves: one run and one person.
type Hold struct {
	Run    string    `json:"run"`
	Device string    `json:"device" doc:"tag of the device of that run"`
	Person string    `json:"person" doc:"id"`
	Name   string    `json:"name"`
	Since  time.Time `json:"since"`
}

// Held says that an instrument serves another run, or someone else.
type Held struct {
	Instrument string // its name
	Hold       Hold
}

func (h *Held) Error() string {
	return fmt.Sprintf("%s is held by %s for %s since %s. It may be taken over; then %s is told, and reads nothing more with it.",
		h.Instrument, h.Hold.Name, h.Hold.Device, h.Hold.Since.Format("15:04"), h.Hold.Name)
}

// Unwrap is the refusal it comes as.
func (h *Held) Unwrap() error {
	return &run.Refusal{Kind: run.Conflict, Code: "held", Field: "take_over", Message: h.Error()}
}

// Holder is what an instrument serves now.
func (d *Driver) Holder(id string) (Hold, bool) {
	d.mutex.Lock()
	defer d.mutex.Unlock()
	h, held := d.holds[id]
	return h, held
}

// take gives a point's instrument to its run and a person.
func (d *Driver) take(w *Point, by Hand) error {
	d.mutex.Lock()
	defer d.mutex.Unlock()
	h, held := d.holds[w.source.ID]
	mine := held && h.Run == w.key.run && h.Person == by.Person.ID
	switch {
	case mine:
		return nil
	case held && !by.TakeOver:
		return &Held{w.source.Name, h}
	}
	d.holds[w.source.ID] = Hold{w.key.run, w.tag, by.Person.ID, by.Person.Name, d.clock.Now()}
	return nil
}

// Release lets go of every instrument that a person holds for a run; an empty person is everyone.
func (d *Driver) Release(run, person string) {
	d.mutex.Lock()
	defer d.mutex.Unlock()
	for id, h := range d.holds {
		if h.Run == run && (person == "" || h.Person == person) {
			delete(d.holds, id)
		}
	}
}

// holder is who holds the point's instrument; mine reports whether it is the point's own run and person.
func (w *Point) holder() (h Hold, held, mine bool) {
	h, held = w.driver.Holder(w.source.ID)
	return h, held, held && h.Run == w.key.run && h.Person == w.who
}
