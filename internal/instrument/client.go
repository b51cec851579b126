package instrument

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"net"
	"slices"
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
	IDN   string `json:"idn,omitempty"`
}

// Timing of a link: how long silence lasts before it is said, and how long until
// a lost one is tried again.
type Timing struct{ Silence, Retry, Answer time.Duration }

// DefaultTiming suits instruments that stream several samples a second.
var DefaultTiming = Timing{Silence: 2 * time.Second, Retry: time.Second, Answer: 3 * time.Second}

// kept is how many samples of a channel are remembered: two minutes at 100 a second.
const kept = 12000

// Client keeps one instrument connected: it identifies it, subscribes to its
// channels, remembers their latest samples, and reconnects by itself.
type Client struct {
	name, address string
	channels      []string
	timing        Timing

	mutex   sync.Mutex
	status  Status
	conn    net.Conn
	pending chan string // receives the answer to the query under way
	samples map[string][]signal.Sample
	total   map[string]int // samples ever received, by channel
	settled string         // what the instrument was set to last
	last    time.Time      // of the last good line
	garbage time.Time      // of the last unreadable one
	query   sync.Mutex     // one query at a time
	done    chan struct{}
}

// Dial starts a client for an instrument, which need not answer yet. It runs until the context ends.
func Dial(ctx context.Context, name, address string, channels []string, timing Timing) *Client {
	c := &Client{
		name:     name,
		address:  address,
		channels: channels,
		timing:   timing,
		samples:  map[string][]signal.Sample{},
		total:    map[string]int{},
		done:     make(chan struct{}),
	}
	c.status = Status{State: Connecting, Words: name + ": connecting."}
	go c.keep(ctx)
	return c
}

// Done is closed when the client has stopped.
func (c *Client) Done() <-chan struct{} { return c.done }

// keep connects again and again until the context ends.
func (c *Client) keep(ctx context.Context) {
	defer close(c.done)
	for ctx.Err() == nil {
		err := c.session(ctx)
		if ctx.Err() != nil {
			return
		}
		words := fmt.Sprintf("%s: the link is lost (%s). It is tried again; what was recorded is kept, and readings can be typed.", c.name, plain(err))
		c.set(Status{State: Lost, Words: words, IDN: c.Status().IDN})
		select {
		case <-ctx.Done():
		case <-time.After(c.timing.Retry):
		}
	}
}

func plain(err error) string {
	var refused *net.OpError
	if errors.As(err, &refused) && refused.Op == "dial" {
		return "nothing answers at its address"
	}
	return "it stopped answering"
}

func (c *Client) set(s Status) {
	c.mutex.Lock()
	defer c.mutex.Unlock()
	c.status = s
}

// session is one connection, from dialling to its end.
func (c *Client) session(ctx context.Context) error {
	dialer := net.Dialer{Timeout: c.timing.Answer}
	conn, err := dialer.DialContext(ctx, "tcp", c.address)
	if err != nil {
		return err
	}
	stop := context.AfterFunc(ctx, func() { conn.Close() })
	defer stop()
	defer conn.Close()
	c.mutex.Lock()
	c.conn, c.last, c.garbage, c.settled = conn, time.Now(), time.Time{}, ""
	c.mutex.Unlock()
	defer func() {
		c.mutex.Lock()
		c.conn = nil
		if c.pending != nil {
			close(c.pending)
			c.pending = nil
		}
		c.mutex.Unlock()
	}()
	ended := make(chan error, 1)
	go func() { ended <- c.receive(conn) }()
	idn, err := c.Ask(ctx, "*IDN?")
	if err != nil {
		conn.Close()
		<-ended
		return err
	}
	c.set(Status{State: Alive, Words: c.name + ": link alive.", IDN: idn})
	for _, channel := range c.channels {
		if _, err := c.Ask(ctx, "SUBScribe "+channel); err != nil {
			conn.Close()
			<-ended
			return err
		}
	}
	return <-ended
}

// receive takes lines until the connection ends.
func (c *Client) receive(conn net.Conn) error {
	scanner := bufio.NewScanner(conn)
	scanner.Buffer(make([]byte, maxLine), 64*maxLine)
	for scanner.Scan() {
		line, err := ParseLine(scanner.Text())
		c.mutex.Lock()
		switch {
		case err != nil:
			c.garbage = time.Now()
		case line.Sample:
			c.last = time.Now()
			kepts := append(c.samples[line.Channel], signal.Sample{T: line.T, V: line.Value})
			if n := len(kepts); n > 1 && kepts[n-1].T < kepts[n-2].T { // the instrument started over
				kepts = kepts[n-1:]
			}
			if len(kepts) > 2*kept {
				kepts = append([]signal.Sample(nil), kepts[len(kepts)-kept:]...)
			}
			c.samples[line.Channel] = kepts
			c.total[line.Channel]++
		case c.pending != nil:
			c.last = time.Now()
			c.pending <- line.Answer
			c.pending = nil
		}
		c.mutex.Unlock()
	}
	if err := scanner.Err(); err != nil {
		return err
	}
	return errors.New("the instrument closed the connection")
}

// Ask sends a command and waits for its one-line answer, at most for the link's answer time. It waits
// even when the context ends, so that a late answer is not taken for the answer to the next command.
func (c *Client) Ask(ctx context.Context, command string) (string, error) {
	c.query.Lock()
	defer c.query.Unlock()
	if err := ctx.Err(); err != nil {
		return "", err
	}
	answer := make(chan string, 1)
	c.mutex.Lock()
	conn := c.conn
	if conn != nil {
		c.pending = answer
	}
	c.mutex.Unlock()
	if conn == nil {
		return "", fmt.Errorf("%s is not connected", c.name)
	}
	conn.SetWriteDeadline(time.Now().Add(c.timing.Answer))
	if _, err := fmt.Fprintf(conn, "%s\n", command); err != nil {
		return "", err
	}
	select {
	case text, ok := <-answer:
		if !ok {
			return "", fmt.Errorf("%s: the link was lost", c.name)
		}
		return text, nil
	case <-time.After(c.timing.Answer):
	}
	conn.Close() // a late answer must not be taken for the next one's
	return "", fmt.Errorf("%s did not answer within %s", c.name, c.timing.Answer)
}

// Status is the state of the link now.
func (c *Client) Status() Status {
	c.mutex.Lock()
	defer c.mutex.Unlock()
	s := c.status
	if s.State != Alive {
		return s
	}
	now := time.Now()
	switch {
	case now.Sub(c.garbage) < c.timing.Silence:
		s.State = Garbled
		s.Words = c.name +
			": what it sends cannot be read. Check the cable and the line settings; readings can be typed."
	case now.Sub(c.last) > c.timing.Silence:
		s.State = Silent
		s.Words = fmt.Sprintf("%s: connected, but silent for %.0f s. Readings can be typed.", c.name,
			now.Sub(c.last).Seconds())
	}
	return s
}

// Samples are the remembered samples of a channel after a count of those received
// before, and the count to ask with next. Ask with 0 for all that are remembered.
func (c *Client) Samples(channel string, after int) ([]signal.Sample, int) {
	c.mutex.Lock()
	defer c.mutex.Unlock()
	all, total := c.samples[channel], c.total[channel]
	fresh := min(total-after, len(all))
	if fresh <= 0 {
		return nil, total
	}
	return append([]signal.Sample(nil), all[len(all)-fresh:]...), total
}

// Settle says what the instrument is set to now. The samples it sent before are dropped.
func (c *Client) Settle(settings string) {
	c.mutex.Lock()
	defer c.mutex.Unlock()
	c.settled = settings
	clear(c.samples)
}

// Settled reports whether the instrument is set so since it was connected.
func (c *Client) Settled(settings string) bool {
	c.mutex.Lock()
	defer c.mutex.Unlock()
	return c.settled != "" && c.settled == settings
}

// Rate is how many samples a second the first channel sends, by the middle of the gaps
// between those that came lately, so that a missing one changes nothing; 0 before.
func (c *Client) Rate() float64 {
	c.mutex.Lock()
	defer c.mutex.Unlock()
	for _, channel := range c.channels {
		all := c.samples[channel]
		if len(all) <= 20 {
			continue
		}
		var gaps []float64
		for i := len(all) - 20; i < len(all); i++ {
			gaps = append(gaps, all[i].T-all[i-1].T)
		}
		slices.Sort(gaps)
		if gaps[10] > 0 {
			return 1 / gaps[10]
		}
	}
	return 0
}
