// Package instrument connects instruments: over TCP or a serial port, each as its profile says. A link identifies the
// instrument, keeps its latest samples and what it reports to be set to, and connects again by itself.
package instrument

import (
	"context"
	"errors"
	"fmt"
	"io"
	"strings"
	"sync"
	"time"

	"northneedle/core/signal"
)

// State of a link.
type State string

const (
	Connecting State = "connecting"
	Alive      State = "alive"
	Silent     State = "silent"  // connected, but nothing comes
	Garbled    State = "garbled" // what comes cannot be read
	Lost       State = "lost"    // no connection; it is tried again
)

// Status is the state of a link in words.
type Status struct {
	State State  `json:"state"`
	Words string `json:"words"`
	IDN   string `json:"idn,omitempty"` // what it says of itself
}

// Simulated reports whether the instrument says of itself that it is simulated.
func (s Status) Simulated() bool { return strings.Contains(strings.ToLower(s.IDN), "simulated") }

// Timing of a link: how long silence lasts before it is said, how long until a lost one is tried again, how long an
// answer may take where the profile says nothing, and how often settings are read back.
type Timing struct{ Silence, Retry, Answer, Readback time.Duration }

// DefaultTiming suits instruments that send several samples a second.
var DefaultTiming = Timing{
	Silence:  2 * time.Second,
	Retry:    time.Second,
	Answer:   2 * time.Second,
	Readback: time.Second,
}

// kept is how many samples of a channel are remembered: two minutes at 100 a second.
const kept = 12000

// Link keeps one instrument connected.
type Link struct {
	name    string
	address Address
	profile *Profile
	timing  Timing
	now     func() time.Time // of the workshop, for samples that carry no time of their own

	mutex    sync.Mutex
	status   Status
	conn     io.ReadWriteCloser
	why      error // the connection was ended from here
	pending  *pending
	channels map[string]*channel
	wanted   map[string]bool // channels that somebody listens to
	started  map[string]bool // those that the instrument was told to send since it was connected
	reported map[string]Reported
	settled  string // what the driver set it to last
	last     time.Time
	garbage  time.Time
	unread   string // why the last unreadable line was
	session  int    // how often it was connected
	console  console
	query    sync.Mutex // one question at a time
	cancel   context.CancelFunc
	done     chan struct{}
}

// channel is what came over one channel.
type channel struct {
	samples []signal.Sample
	total   int       // ever received
	came    time.Time // the last one
	moving  bool      // the last one says of itself that it does not stand
	gaps    time.Duration
	keys    []KeyPress
	before  *float64 // the last sample that was dropped
}

// Reported is what an instrument says that it is set to.
type Reported struct {
	Value string
	At    time.Time // real time of its answer
}

// KeyPress is a reading that an instrument sent at its own key.
type KeyPress struct {
	N     int // counted from 1 in each session of a link
	Value float64
	At    time.Time
}

// pending is a question under way.
type pending struct {
	sent   string
	match  Pattern
	answer chan string
	refuse chan error
}

// Dial starts a link to an instrument, which need not answer yet. now is the workshop's time. The link runs until the
// context ends or it is closed.
func Dial(ctx context.Context, name string, at Address, p *Profile, timing Timing, now func() time.Time) *Link {
	ctx, cancel := context.WithCancel(ctx)
	l := &Link{
		name:     name,
		address:  at,
		profile:  p,
		timing:   timing,
		now:      now,
		reported: map[string]Reported{},
		wanted:   map[string]bool{},
		cancel:   cancel,
		done:     make(chan struct{}),
	}
	l.status = Status{State: Connecting, Words: name + ": connecting."}
	l.forget()
	go l.keep(ctx)
	return l
}

// Close ends the link and waits until it has ended.
func (l *Link) Close() {
	l.cancel()
	<-l.done
}

// Done is closed when the link has ended.
func (l *Link) Done() <-chan struct{} { return l.done }

// Profile says how the instrument is spoken to.
func (l *Link) Profile() *Profile { return l.profile }

// Address is where the instrument is.
func (l *Link) Address() Address { return l.address }

// forget drops what came before. The mutex is held, or nobody else knows the link.
func (l *Link) forget() {
	fresh := map[string]*channel{}
	for _, c := range l.profile.Channels {
		fresh[c.ID] = &channel{}
		if before := l.channels[c.ID]; before != nil {
			fresh[c.ID].total, fresh[c.ID].gaps, fresh[c.ID].before = before.total, before.gaps, before.before
			if n := len(before.samples); n > 0 {
				fresh[c.ID].before = &before.samples[n-1].V
			}
		}
	}
	l.channels = fresh
}

// keep connects again and again until the context ends.
func (l *Link) keep(ctx context.Context) {
	defer close(l.done)
	for ctx.Err() == nil {
		err := l.connect(ctx)
		if ctx.Err() != nil {
			return
		}
		l.mutex.Lock()
		l.status = Status{
			State: Lost,
			Words: fmt.Sprintf("%s: the link is lost (%s). It is tried again; what was recorded is kept, and readings can be typed.",
				l.name, err),
			IDN: l.status.IDN,
		}
		l.mutex.Unlock()
		select {
		case <-ctx.Done():
		case <-time.After(l.timing.Retry):
		}
	}
}

// connect is one connection, from its opening to its end.
func (l *Link) connect(ctx context.Context) error {
	conn, err := l.address.open(ctx, l.profile.Link.Serial, l.timing.Answer)
	if err != nil {
		return err
	}
	ctx, end := context.WithCancelCause(ctx)
	defer end(nil)
	stop := context.AfterFunc(ctx, func() { conn.Close() })
	defer stop()
	defer conn.Close()
	drain(conn)
	l.mutex.Lock()
	l.conn, l.why, l.last, l.garbage, l.settled = conn, nil, time.Now(), time.Time{}, ""
	l.session++
	l.reported, l.started = map[string]Reported{}, map[string]bool{}
	l.forget()
	for _, c := range l.channels {
		c.before = nil // it may have been set otherwise meanwhile
	}
	l.mutex.Unlock()
	ended := make(chan error, 1)
	go func() {
		err := l.receive(ctx, conn)
		end(err)
		ended <- err
	}()
	l.speak(ctx, end)
	<-ended
	l.mutex.Lock()
	defer l.mutex.Unlock()
	l.conn = nil
	if l.pending != nil {
		l.pending.refuse <- fmt.Errorf("%s: the link was lost", l.name)
		l.pending = nil
	}
	if l.why != nil {
		return l.why
	}
	return context.Cause(ctx)
}

// drain throws away what was on its way from before: a late answer must not be taken for the next one's.
func drain(conn io.Reader) {
	buffer := make([]byte, 4096)
	for until := time.Now().Add(poll + poll/2); time.Now().Before(until); {
		if n, err := conn.Read(buffer); n == 0 || err != nil {
			return
		}
	}
}

// speak identifies the instrument, starts what streams, and asks for what is polled, until the context ends.
func (l *Link) speak(ctx context.Context, end context.CancelCauseFunc) {
	idn := l.profile.Title
	if q := l.profile.Identify; q != nil {
		text, err := l.ask(ctx, *q)
		if err != nil {
			end(err)
			return
		}
		idn = text
	}
	l.mutex.Lock()
	l.status = Status{State: Alive, Words: l.name + ": link alive.", IDN: idn}
	l.mutex.Unlock()
	if err := l.start(ctx); err != nil {
		end(err)
		return
	}
	if err := l.schedule(ctx); err != nil {
		end(err)
	}
}

// receive takes lines until the connection ends.
func (l *Link) receive(ctx context.Context, conn io.Reader) error {
	lines := &lineReader{from: conn, longest: l.profile.Line.longest()}
	for {
		line, ok, err := lines.next()
		switch {
		case errors.Is(err, errLong):
			l.garbled(err.Error())
		case err != nil && ctx.Err() != nil:
			return ctx.Err()
		case err != nil:
			return errors.New("it closed the connection")
		case ok:
			l.take(line)
		}
	}
}

func (l *Link) garbled(why string) {
	l.mutex.Lock()
	defer l.mutex.Unlock()
	l.note(why)
}

func (l *Link) note(why string) { l.garbage, l.unread = time.Now(), why }

// take looks at a line: a reading, or the answer to the question under way, or nothing that can be read.
func (l *Link) take(raw string) {
	line, err := l.profile.Line.plain(raw)
	l.mutex.Lock()
	defer l.mutex.Unlock()
	l.console.add(false, line)
	if err != nil {
		l.note(err.Error())
		return
	}
	if line == "" {
		return
	}
	p := l.pending
	if p != nil && line == p.sent {
		return // an echo
	}
	if l.readings(line, "") {
		return
	}
	reason := l.profile.Refused.parts(line)
	switch {
	case p == nil:
		l.note("it sends what nobody asked for, or what its profile does not know")
	case reason != nil:
		l.pending = nil
		p.refuse <- &RefusedByInstrument{strings.TrimSpace(reason["reason"])}
	case p.match.Regexp != nil && p.match.MatchString(line), p.match.Regexp == nil && l.readings(line, p.sent):
		l.last, l.pending = time.Now(), nil
		p.answer <- line
	default:
		l.note("it answers what its profile does not know")
	}
}

// readings takes the readings out of a line that answers a poll, or of one that came by itself; false where it is no
// such line.
func (l *Link) readings(line, asked string) (found bool) {
	for i := range l.profile.Channels {
		c := &l.profile.Channels[i]
		if (c.Ask == nil) != (asked == "") || c.Ask != nil && c.Ask.Send != asked {
			continue
		}
		r, is, err := c.read(line)
		switch {
		case is && err != nil:
			l.note(err.Error())
		case is:
			l.sample(c, r)
		}
		found = found || is
	}
	return found
}

// sample keeps a reading.
func (l *Link) sample(c *Channel, r reading) {
	now := time.Now()
	l.last = now
	ch := l.channels[c.ID]
	if !ch.came.IsZero() {
		gap := now.Sub(ch.came)
		if ch.gaps == 0 {
			ch.gaps = gap
		}
		ch.gaps += (gap - ch.gaps) / 8
	}
	ch.came, ch.moving = now, r.moving
	if !r.timed {
		r.t = float64(l.now().UnixMicro()%1e13) / 1e6
	}
	ch.total++
	if c.Key {
		ch.keys = append(ch.keys, KeyPress{ch.total, r.value, now})
		ch.keys = ch.keys[max(len(ch.keys)-20, 0):]
	}
	all := append(ch.samples, signal.Sample{T: r.t, V: r.value})
	if n := len(all); n > 1 && all[n-1].T < all[n-2].T { // the instrument started over
		all = all[n-1:]
	}
	if len(all) > 2*kept {
		all = append([]signal.Sample(nil), all[len(all)-kept:]...)
	}
	ch.samples = all
}

// Status is the state of the link now.
func (l *Link) Status() Status {
	l.mutex.Lock()
	defer l.mutex.Unlock()
	s := l.status
	if s.State != Alive {
		return s
	}
	now := time.Now()
	switch {
	case now.Sub(l.garbage) < l.timing.Silence:
		s.State = Garbled
		s.Words = fmt.Sprintf("%s: what it sends cannot be read (%s). Check the cable, the line settings and the profile; readings can be typed.",
			l.name, l.unread)
	case l.expects() && now.Sub(l.last) > l.timing.Silence:
		s.State = Silent
		s.Words = fmt.Sprintf("%s: connected, but silent for %.0f s. Readings can be typed.", l.name,
			now.Sub(l.last).Seconds())
	}
	return s
}
