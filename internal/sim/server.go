package sim

import (
	"bufio"
	"bytes"
	"cmp"
	"context"
	"fmt"
	"hash/fnv"
	"io"
	"math/rand/v2"
	"net"
	"strings"
	"sync"
	"time"

	"northneedle/internal/capture"
	"northneedle/internal/instrument"

	"github.com/creack/pty"
	"golang.org/x/term"
)

// Model is what a simulated instrument simulates. Calls are never concurrent.
type Model interface {
	// IDN is the answer to *IDN?.
	IDN() string
	// Step moves the model on by dt seconds.
	Step(dt float64)
	// Channels are the names of what it measures.
	Channels() []string
	// Value is the present reading of a channel.
	Value(channel string) float64
	// Command carries out a command; ok is false where it is not one of the model's.
	Command(c Command) (answer string, ok bool, err error)
	// Rate is how many samples a second it streams, 1 to 100.
	Rate() int
	// Controls are what a person can do to the simulated device.
	Controls() instrument.Controls
}

// faultsOf are faults with whether each is on, from codes and words in turn.
func faultsOf(on map[string]bool, codesAndWords ...string) []instrument.Knob {
	all := []instrument.Knob{}
	for i := 0; i+1 < len(codesAndWords); i += 2 {
		all = append(all, instrument.Knob{Code: codesAndWords[i], Word: codesAndWords[i+1], On: on[codesAndWords[i]]})
	}
	return all
}

// keysOf are keys of the device's menu, from codes and words in turn.
func keysOf(codesAndWords ...string) []instrument.Knob { return faultsOf(nil, codesAndWords...) }

// routinesOf are calibration routines of the device's menu, from codes and words in turn.
func routinesOf(codesAndWords ...string) []instrument.Knob {
	all := keysOf(codesAndWords...)
	for i := range all {
		all[i].Once = true
	}
	return all
}

// codes are the codes of controls.
func codes(all []instrument.Knob) []string {
	var list []string
	for _, c := range all {
		list = append(list, c.Code)
	}
	return list
}

// Server serves one model to any number of clients, through one or more doors: each speaks one dialect.
type Server struct {
	model Model
	rest  string // commands that set it as it is after *RST, parted by semicolons

	mutex   sync.Mutex
	doors   []*door
	clients map[*client]bool
	set     map[string]string // what it was set to last, by header
	t       float64
	before  float64 // what the first channel read a second ago
	fault   string  // DROP, SILENT or GARBAGE
	until   time.Time
	wg      sync.WaitGroup
	clock   capture.WallClock
}

// door is a way to the model: a listener, or a pseudo-terminal.
type door struct {
	dialect  Dialect
	listener net.Listener // nil: a pseudo-terminal
	name     string       // its address
}

type client struct {
	conn     io.ReadWriteCloser
	dialect  Dialect
	channels map[string]bool
	errors   []string
	events   int // of the standard event status register, IEEE 488.2
	out      chan string
	spoke    float64 // when a stream sent its last line
}

// Serve starts a simulated instrument on an address such as "127.0.0.1:0".
func Serve(ctx context.Context, address string, m Model) (*Server, error) {
	return ServeAt(ctx, address, m, capture.WallClock{Time: time.Now})
}

// ServeAt is [Serve] by a clock, whose seconds are the model's.
func ServeAt(ctx context.Context, address string, m Model, clock capture.WallClock) (*Server, error) {
	s := &Server{model: m, clients: map[*client]bool{}, set: map[string]string{}, clock: clock}
	if _, err := s.Listen(ctx, address, OwnLine); err != nil {
		return nil, err
	}
	s.wg.Add(1)
	go s.run(ctx)
	return s, nil
}

// Serve starts the simulated instrument of a kind in a world, set as it is after *RST.
func (k Kind) Serve(ctx context.Context, address string, w World, clock capture.WallClock) (*Server, error) {
	s, err := ServeAt(ctx, address, k.New(w), clock)
	if err != nil {
		return nil, err
	}
	s.mutex.Lock()
	defer s.mutex.Unlock()
	s.rest = k.Rest
	s.reset()
	return s, nil
}

// ServeDialect starts the simulated instrument of a kind to be reached through other doors; its own line is on a free
// port of this machine, which is returned.
func ServeDialect(ctx context.Context, kind string, w World, clock capture.WallClock) (s *Server, own string, err error) {
	for _, k := range Kinds() {
		if k.ID == kind {
			s, err = k.Serve(ctx, "127.0.0.1:0", w, clock)
			break
		}
	}
	switch {
	case err != nil:
		return nil, "", err
	case s == nil:
		return nil, "", fmt.Errorf("there is no simulated %s", kind)
	}
	return s, s.Address(), nil
}

// reset sets the instrument as it is after *RST. The device that is connected stays as it is. The mutex is held.
func (s *Server) reset() {
	clear(s.set)
	for line := range strings.SplitSeq(s.rest, ";") {
		if c, err := ParseCommand(line); err == nil {
			s.command(c)
		}
	}
}

// Listen opens a door on a TCP address, and gives the address it has.
func (s *Server) Listen(ctx context.Context, address string, d Dialect) (string, error) {
	listener, err := net.Listen("tcp", address)
	if err != nil {
		return "", fmt.Errorf("the simulated instrument cannot listen: %w", err)
	}
	at := &door{dialect: d, listener: listener, name: listener.Addr().String()}
	s.mutex.Lock()
	s.doors = append(s.doors, at)
	s.mutex.Unlock()
	context.AfterFunc(ctx, func() { listener.Close() })
	s.wg.Add(1)
	go s.accept(at)
	return at.name, nil
}

// Terminal opens a door on a pseudo-terminal, and gives the name of the port to open. Not on Windows.
func (s *Server) Terminal(ctx context.Context, d Dialect) (string, error) {
	master, port, err := pty.Open()
	if err != nil {
		return "", fmt.Errorf("there is no pseudo-terminal: %w", err)
	}
	if _, err := term.MakeRaw(int(port.Fd())); err != nil { // no echo
		return "", err
	}
	at := &door{dialect: d, name: port.Name()}
	s.mutex.Lock()
	s.doors = append(s.doors, at)
	s.mutex.Unlock()
	s.enter(at, master)
	context.AfterFunc(ctx, func() { master.Close(); port.Close() }) // open until then: whoever connects may leave
	return at.name, nil
}

// Address is where it listens first.
func (s *Server) Address() string { return s.doors[0].name }

// Wait returns when the simulated instrument has stopped.
func (s *Server) Wait() { s.wg.Wait() }

func (s *Server) accept(d *door) {
	defer s.wg.Done()
	for {
		conn, err := d.listener.Accept()
		if err != nil {
			return
		}
		s.mutex.Lock()
		dropped := s.faulty("DROP")
		s.mutex.Unlock()
		if dropped {
			conn.Close()
			continue
		}
		s.enter(d, conn)
	}
}

// enter serves one who came through a door.
func (s *Server) enter(d *door, conn io.ReadWriteCloser) {
	c := &client{conn: conn, dialect: d.dialect, channels: map[string]bool{}, out: make(chan string, queued), events: 128}
	s.mutex.Lock()
	s.clients[c] = true
	s.mutex.Unlock()
	s.wg.Add(2)
	go s.write(c)
	go s.serve(c)
}

// write sends a client what is queued for it. Lines that are queued together leave together.
func (s *Server) write(c *client) {
	defer s.wg.Done()
	buffer := bufio.NewWriter(c.conn)
	for line := range c.out {
		if conn, ok := c.conn.(net.Conn); ok {
			conn.SetWriteDeadline(time.Now().Add(2 * time.Second))
		}
		_, err := buffer.WriteString(line + lineEnd)
		if err == nil && len(c.out) == 0 {
			err = buffer.Flush()
		}
		if err != nil {
			c.conn.Close()
		}
	}
}

func (s *Server) serve(c *client) {
	defer s.wg.Done()
	scanner := bufio.NewScanner(c.conn)
	scanner.Split(eitherEnd)
	for scanner.Scan() {
		if len(scanner.Bytes()) == 0 {
			continue // between CR and LF
		}
		s.mutex.Lock()
		send := s.send // as it is now: the command that switches a fault is still answered well
		if !s.faulty("SILENT") && !s.faulty("GARBAGE") {
			send = s.queue
		}
		if answer := c.dialect.answer(s, c, scanner.Text()); answer != "" {
			send(c, answer)
		}
		s.mutex.Unlock()
	}
	s.mutex.Lock()
	defer s.mutex.Unlock()
	c.conn.Close()
	delete(s.clients, c)
	close(c.out)
}

// eitherEnd cuts lines at LF, CR or both.
func eitherEnd(data []byte, last bool) (advance int, token []byte, err error) {
	if at := bytes.IndexAny(data, "\r\n"); at >= 0 {
		return at + 1, data[:at], nil
	}
	if last && len(data) > 0 {
		return len(data), data, nil
	}
	return 0, nil, nil
}

// queue hands lines to the client's writer; a client that does not read loses lines, not the simulated instrument.
func (s *Server) queue(c *client, line string) {
	select {
	case c.out <- line:
	default:
	}
}

// send queues a line, unless the link is to be silent or to send garbage.
func (s *Server) send(c *client, line string) {
	switch {
	case s.faulty("SILENT"):
	case s.faulty("GARBAGE"):
		s.queue(c, strings.Repeat("\x07\x7f~#S ..", 3))
	default:
		s.queue(c, line)
	}
}

func (s *Server) faulty(kind string) bool { return s.fault == kind && time.Now().Before(s.until) }

// command carries out a command of the model, and notes what it was set to. The mutex is held.
func (s *Server) command(c Command) (answer string, ok bool, err error) {
	header := c.long()
	settable := strings.HasPrefix(header, "SOURCE:") || header == "SIMULATE:DEVICE"
	if c.Query && settable {
		return cmp.Or(s.set[header], "NONE"), true, nil
	}
	answer, ok, err = s.model.Command(c)
	if ok && err == nil && settable {
		s.set[header] = strings.Join(c.Args, ",")
	}
	return answer, ok, err
}

// Press presses the instrument's own key: dialects that print, print.
func (s *Server) Press() {
	s.mutex.Lock()
	defer s.mutex.Unlock()
	for c := range s.clients {
		if line := c.dialect.pressed(s.model); line != "" {
			s.send(c, line)
		}
	}
}

const lineEnd = "\r\n"

// queued is how many answers and steps wait for a client.
const queued = 256

// burst is how many steps are made up for at once after a delay: fewer than a queue holds. Beyond that the
// simulated time stands still.
const burst = queued / 2

// run moves the model by the clock and streams samples until the context ends: in steps of one
// sample, so that a busy machine delays samples, and neither distorts nor loses any.
func (s *Server) run(ctx context.Context) {
	defer s.wg.Done()
	dt := 1 / float64(s.model.Rate())
	step := time.Duration(dt * float64(time.Second))
	ticker := time.NewTicker(max(time.Duration(float64(step)/max(s.clock.Speed, 1)), 5*time.Millisecond))
	defer ticker.Stop()
	next := s.clock.Now()
	for {
		select {
		case <-ctx.Done():
			s.mutex.Lock()
			for c := range s.clients {
				c.conn.Close()
			}
			s.mutex.Unlock()
			return
		case <-ticker.C:
			now := s.clock.Now()
			if most := burst * step; now.Sub(next) > most {
				next = now.Add(-most)
			}
			for ; !next.After(now); next = next.Add(step) {
				s.tick(dt)
			}
		}
	}
}

func (s *Server) tick(dt float64) {
	s.mutex.Lock()
	defer s.mutex.Unlock()
	if int(s.t+dt) != int(s.t) {
		s.before = s.model.Value(s.model.Channels()[0])
	}
	s.t += dt
	s.model.Step(dt)
	for c := range s.clients {
		if line := c.dialect.stream(s, c); line != "" {
			s.send(c, line)
		}
	}
}

// seeded is a generator that gives the same numbers for the same words.
func seeded(words string) *rand.Rand {
	h := fnv.New64a()
	h.Write([]byte(words))
	stream := uint64(1099511628211)
	for _, r := range []byte(words) {
		stream = stream*31 + uint64(r)
	}
	return rand.New(rand.NewPCG(h.Sum64(), stream))
}
