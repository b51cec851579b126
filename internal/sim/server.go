package sim

import (
	"bufio"
	"context"
	"encoding/json"
	"fmt"
	"hash/fnv"
	"math/rand/v2"
	"net"
	"strconv"
	"strings"
	"sync"
	"time"

	"northneedle/internal/capture"
	"northneedle/internal/instrument"
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

// Server serves one model to any number of clients.
type Server struct {
	model    Model
	listener net.Listener

	mutex   sync.Mutex
	clients map[*client]bool
	t       float64
	fault   string // DROP, SILENT or GARBAGE
	until   time.Time
	wg      sync.WaitGroup
	clock   capture.WallClock
}

type client struct {
	conn     net.Conn
	channels map[string]bool
	errors   []string
	out      chan string
}

// Serve starts a simulated instrument on an address such as "127.0.0.1:0".
func Serve(ctx context.Context, address string, m Model) (*Server, error) {
	return ServeAt(ctx, address, m, capture.WallClock{Time: time.Now})
}

// ServeAt is [Serve] by a clock, whose seconds are the model's.
func ServeAt(ctx context.Context, address string, m Model, clock capture.WallClock) (*Server, error) {
	listener, err := net.Listen("tcp", address)
	if err != nil {
		return nil, fmt.Errorf("the simulated instrument cannot listen: %w", err)
	}
	s := &Server{model: m, listener: listener, clients: map[*client]bool{}, clock: clock}
	context.AfterFunc(ctx, func() { listener.Close() })
	s.wg.Add(2)
	go s.accept()
	go s.run(ctx)
	return s, nil
}

// Address is where it listens.
func (s *Server) Address() string { return s.listener.Addr().String() }

// Wait returns when the simulated instrument has stopped.
func (s *Server) Wait() { s.wg.Wait() }

func (s *Server) accept() {
	defer s.wg.Done()
	for {
		conn, err := s.listener.Accept()
		if err != nil {
			return
		}
		c := &client{conn: conn, channels: map[string]bool{}, out: make(chan string, queued)}
		s.mutex.Lock()
		dropped := s.faulty("DROP")
		if !dropped {
			s.clients[c] = true
		}
		s.mutex.Unlock()
		if dropped {
			conn.Close()
			continue
		}
		s.wg.Add(2)
		go s.write(c)
		go s.serve(c)
	}
}

// write sends a client what is queued for it. Lines that are queued together leave together.
func (s *Server) write(c *client) {
	defer s.wg.Done()
	buffer := bufio.NewWriter(c.conn)
	for line := range c.out {
		c.conn.SetWriteDeadline(time.Now().Add(2 * time.Second))
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
	for scanner.Scan() {
		s.mutex.Lock()
		send := s.send // as it is now: the command that switches a fault is still answered well
		if !s.faulty("SILENT") && !s.faulty("GARBAGE") {
			send = s.queue
		}
		send(c, s.handle(c, scanner.Text()))
		s.mutex.Unlock()
	}
	s.mutex.Lock()
	defer s.mutex.Unlock()
	c.conn.Close()
	delete(s.clients, c)
	close(c.out)
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

// handle answers one command line; every command gets exactly one line.
func (s *Server) handle(c *client, line string) string {
	fail := func(text string) string {
		c.errors = append(c.errors, text)
		if len(c.errors) > 20 {
			c.errors = c.errors[1:]
		}
		return "ERROR " + text
	}
	command, err := ParseCommand(line)
	if err != nil {
		return fail(err.Error())
	}
	channel := strings.ToUpper(command.Arg(0))
	switch {
	case command.Is("*IDN") && command.Query:
		return s.model.IDN()
	case command.Is("SYSTem:ERRor") && command.Query:
		if len(c.errors) == 0 {
			return `0,"No error"`
		}
		first := c.errors[0]
		c.errors = c.errors[1:]
		return first
	case command.Is("SIMulate:CATalog") && command.Query:
		text, err := json.Marshal(s.model.Controls())
		if err != nil {
			return fail(err.Error())
		}
		return string(text)
	case command.Is("SUBScribe"):
		if !s.has(channel) {
			return fail(`-224,"No such channel"`)
		}
		c.channels[channel] = true
		return "OK"
	case command.Is("UNSubscribe"):
		delete(c.channels, channel)
		return "OK"
	case command.Is("SIMulate:LINK"):
		seconds, err := strconv.ParseFloat(command.Arg(1), 64)
		if err != nil || !(seconds >= 0 && seconds <= 600) {
			return fail(`-222,"Data out of range"`)
		}
		s.fault, s.until = channel, time.Now().Add(time.Duration(seconds*float64(time.Second)))
		if channel == "DROP" {
			for other := range s.clients {
				other.conn.Close()
			}
		}
		return "OK"
	}
	if name, ok := strings.CutPrefix(command.Header, "MEAS:"); ok && command.Query && s.has(name) {
		return strconv.FormatFloat(s.model.Value(name), 'f', 4, 64)
	}
	if name, ok := strings.CutPrefix(command.Header, "MEASURE:"); ok && command.Query && s.has(name) {
		return strconv.FormatFloat(s.model.Value(name), 'f', 4, 64)
	}
	answer, ok, err := s.model.Command(command)
	switch {
	case err != nil:
		return fail(err.Error())
	case !ok:
		return fail(`-113,"Undefined header"`)
	}
	return answer
}

func (s *Server) has(channel string) bool {
	for _, name := range s.model.Channels() {
		if name == channel {
			return true
		}
	}
	return false
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
	s.t += dt
	s.model.Step(dt)
	for c := range s.clients {
		var lines []string
		for channel := range c.channels {
			lines = append(lines, instrument.FormatSample(s.t, channel, s.model.Value(channel)))
		}
		if len(lines) > 0 {
			s.send(c, strings.Join(lines, lineEnd))
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
