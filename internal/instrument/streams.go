package instrument

import (
	"context"
	"slices"
	"time"
)

// Listen has the instrument send channels from now on, also when it is connected again: what streams loads the line and
// this machine, so nothing does that nobody listens to. Without names it is all of them.
func (l *Link) Listen(ctx context.Context, channels ...string) error {
	l.mutex.Lock()
	for _, c := range l.profile.Channels {
		if len(channels) == 0 || slices.Contains(channels, c.ID) {
			l.wanted[c.ID] = true
		}
	}
	alive := l.status.State == Alive
	l.mutex.Unlock()
	if !alive {
		return nil // it is started as soon as it is connected
	}
	return l.start(ctx)
}

// Listening reports whether the instrument is asked for channels.
func (l *Link) Listening(channels ...string) bool {
	l.mutex.Lock()
	defer l.mutex.Unlock()
	for _, c := range l.profile.Channels {
		if slices.Contains(channels, c.ID) && !l.wanted[c.ID] {
			return false
		}
	}
	return true
}

// start starts what streams, is wanted, and was not started yet.
func (l *Link) start(ctx context.Context) error {
	for _, c := range l.profile.Channels {
		l.mutex.Lock()
		due := c.Start != nil && l.wanted[c.ID] && !l.started[c.ID]
		if due {
			l.started[c.ID] = true
		}
		l.mutex.Unlock()
		if !due {
			continue
		}
		_, err := l.ask(ctx, *c.Start)
		l.mutex.Lock()
		l.started[c.ID] = err == nil // what refused is asked again by who listens next
		l.last = time.Now()          // silence is counted from here
		l.mutex.Unlock()
		if err != nil {
			return err
		}
	}
	return nil
}

// schedule asks again and again for what the profile polls, and for the settings.
func (l *Link) schedule(ctx context.Context) error {
	type due struct {
		Question
		setting string
		next    time.Time
	}
	var all []*due
	for _, c := range l.profile.Channels {
		known := c.Ask != nil && slices.ContainsFunc(all, func(d *due) bool { return d.Send == c.Ask.Send })
		if c.Ask != nil && !known {
			q := *c.Ask
			q.Match = Pattern{} // whichever channel it is of
			all = append(all, &due{Question: q})
		}
	}
	for _, s := range l.profile.Settings {
		if s.Read != nil && (!s.Simulated || l.Status().Simulated()) {
			all = append(all, &due{Question: *s.Read, setting: s.ID})
		}
	}
	if len(all) == 0 {
		<-ctx.Done()
		return nil
	}
	for {
		next := slices.MinFunc(all, func(x, y *due) int { return x.next.Compare(y.next) })
		select {
		case <-ctx.Done():
			return nil
		case <-time.After(time.Until(next.next)):
		}
		every := next.Every.or(time.Second)
		if next.setting != "" {
			every = next.Every.or(l.timing.Readback)
		}
		if next.next = next.next.Add(every); next.next.Before(time.Now()) {
			next.next = time.Now().Add(every)
		}
		if next.setting != "" {
			if _, err := l.readBack(ctx, l.profile.Setting(next.setting)); err != nil {
				return err
			}
			continue
		}
		if _, err := l.exchange(ctx, next.Question, true); err != nil {
			return err
		}
	}
}

// expects reports whether the instrument should be sending: it is asked, or was told to, or does so by itself.
func (l *Link) expects() bool {
	return slices.ContainsFunc(l.profile.Channels, func(c Channel) bool {
		return !c.Key && (c.Start == nil || l.started[c.ID])
	})
}
