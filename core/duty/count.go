package duty

import (
	"fmt"
	"time"
)

// Counter is a counter of the device that a duty goes by. The zero value: it was never read.
type Counter struct {
	From  float64    // what it showed when the duty was last done; below zero where it was set back since
	Shows float64    // as it was read last
	At    *time.Time // when
}

// Use adds to what was used since a duty was last done. Used up, it is due at once.
func (r *Recurring) Use(amount float64, at time.Time) {
	r.Counter.Shows += amount
	r.setUsed(r.Used+amount, at)
}

// Counted takes over what the device's counter shows; used up, the duty is due at once. The first time it counts from what
// had been noted. A counter that shows less than before was set back in between: what it shows now comes on top, and what it
// counted after its last reading before that is not known.
func (r *Recurring) Counted(shows float64, at time.Time) {
	switch {
	case r.Counter.At == nil:
		r.Counter.From = shows - r.Used
	case shows < r.Counter.Shows:
		r.Counter.From = -r.Used
	}
	r.Counter.Shows, r.Counter.At = shows, &at
	r.setUsed(shows-r.Counter.From, at)
}

// SetBack notes that the device's counter was set back to nothing. What was used since the duty was last done stays.
func (r *Recurring) SetBack(at time.Time) {
	r.Counter = Counter{From: -r.Used, At: &at}
}

func (r *Recurring) setUsed(used float64, at time.Time) {
	r.Used = used
	if r.Duty.Uses > 0 && used >= r.Duty.Uses {
		if due := earlier(r.DueOn, at); due.Before(r.DueOn) {
			r.DueOn, r.Reason = due, fmt.Sprintf("used up: %g of %g %s", used, r.Duty.Uses, r.Duty.Unit)
		}
	}
}

// GoesBy reports whether a duty goes by a counter of these.
func (d Duty) GoesBy(unit string) bool { return d.Uses > 0 && d.Unit == unit }
