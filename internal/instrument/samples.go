package instrument

import (
	"northneedle/core/signal"
	"slices"
	"time"
)

// Samples are the remembered samples of a channel after a count of those received before, and the count to ask with
// next. Ask with 0 for all that are remembered.
func (l *Link) Samples(id string, after int) ([]signal.Sample, int) {
	l.mutex.Lock()
	defer l.mutex.Unlock()
	c := l.channels[id]
	if c == nil {
		return nil, 0
	}
	fresh := min(c.total-after, len(c.samples))
	if fresh <= 0 {
		return nil, c.total
	}
	return append([]signal.Sample(nil), c.samples[len(c.samples)-fresh:]...), c.total
}

// Before is what a channel showed last before it was settled; false: that is not known, as after a reconnection.
func (l *Link) Before(id string) (float64, bool) {
	l.mutex.Lock()
	defer l.mutex.Unlock()
	if c := l.channels[id]; c != nil && c.before != nil {
		return *c.before, true
	}
	return 0, false
}

// Delay is how long what a channel measures takes to its sensor.
func (l *Link) Delay(id string) time.Duration {
	l.mutex.Lock()
	defer l.mutex.Unlock()
	if c := l.profile.Channel(id); c != nil {
		return c.Delay.or(0)
	}
	return 0
}

// Freshness is the age of a channel's last bytes, how often they come, and whether the instrument says that the
// reading moves. Both times are of this machine's own clock. The age is very large where nothing came.
func (l *Link) Freshness(id string) (age, period time.Duration, moving bool) {
	l.mutex.Lock()
	defer l.mutex.Unlock()
	c, p := l.channels[id], l.profile.Channel(id)
	if c == nil || c.came.IsZero() {
		return time.Hour, 0, false
	}
	period = c.gaps
	if p.Ask != nil {
		period = p.Ask.Every.or(time.Second)
	}
	return time.Since(c.came), period, c.moving
}

// Keys are what the instrument sent over a channel at its own key since it was connected, the oldest first.
func (l *Link) Keys(id string) []KeyPress {
	l.mutex.Lock()
	defer l.mutex.Unlock()
	if c := l.channels[id]; c != nil {
		return slices.Clone(c.keys)
	}
	return nil
}

// Settle says what the instrument is set to now. The samples it sent before are dropped.
func (l *Link) Settle(settings string) {
	l.mutex.Lock()
	defer l.mutex.Unlock()
	l.settled = settings
	l.forget()
}

// Settled reports whether the instrument is set so since it was connected.
func (l *Link) Settled(settings string) bool {
	l.mutex.Lock()
	defer l.mutex.Unlock()
	return l.settled != "" && l.settled == settings
}

// Rate is how many samples a second a channel sends, by the middle of the gaps between those that came lately, so that
// a missing one changes nothing; 0 before.
func (l *Link) Rate(id string) float64 {
	l.mutex.Lock()
	defer l.mutex.Unlock()
	c := l.channels[id]
	if c == nil || len(c.samples) <= 20 {
		return 0
	}
	all := c.samples[len(c.samples)-21:]
	gaps := make([]float64, 20)
	for i := range gaps {
		gaps[i] = all[i+1].T - all[i].T
	}
	slices.Sort(gaps)
	if gaps[10] <= 0 {
		return 0
	}
	return 1 / gaps[10]
}
