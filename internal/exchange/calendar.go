package exchange

import (
	"bytes"
	"time"

	ics "github.com/arran4/golang-ical"
)

// Appointment is one entry of a calendar: a whole day where AllDay, else from Start to End.
type Appointment struct {
	ID       string // stays the same when the entry changes
	Start    time.Time
	End      time.Time
	AllDay   bool
	Title    string
	Text     string
	Location string
}

// Calendar writes appointments as iCalendar (RFC 5545).
func Calendar(name string, now time.Time, appointments []Appointment) ([]byte, error) {
	c := ics.NewCalendarFor("North Needle")
	c.SetMethod(ics.MethodPublish)
	c.SetXWRCalName(name)
	for _, a := range appointments {
		e := c.AddEvent(a.ID + "@north-needle")
		e.SetDtStampTime(now)
		if a.AllDay {
			e.SetAllDayStartAt(a.Start)
			e.SetAllDayEndAt(a.Start.AddDate(0, 0, 1))
		} else {
			e.SetStartAt(a.Start)
			e.SetEndAt(a.End)
		}
		e.SetSummary(a.Title)
		if a.Text != "" {
			e.SetDescription(a.Text)
		}
		if a.Location != "" {
			e.SetLocation(a.Location)
		}
	}
	var b bytes.Buffer
	err := c.SerializeTo(&b, ics.WithNewLineWindows)
	return b.Bytes(), err
}
