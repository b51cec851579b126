package instrument

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"net"
	"slices"
	"strings"
	"sync/atomic"
	"time"

	"go.bug.st/serial"
)

// Transports are the ways an instrument may be connected.
var Transports = []Transport{TCP, SerialPort}

// Transport is a way an instrument is connected.
type Transport string

// The address of TCP is host:port; that of a serial port its name, such as /dev/ttyUSB0 or COM3.
const (
	TCP        Transport = "tcp"
	SerialPort Transport = "serial"
)

// Address is where an instrument is.
type Address struct {
	Transport Transport `json:"transport"`
	Where     string    `json:"where"`
	Serial    Serial    `json:"serial"` // zero values: as the profile says
}

// ParseAddress reads "tcp:host:port", "serial:/dev/ttyUSB0", or either without the word where it is plain.
func ParseAddress(text string) (a Address, err error) {
	text = strings.TrimSpace(text)
	word, rest, found := strings.Cut(text, ":")
	switch {
	case found && Transport(word) == TCP:
		a = Address{Transport: TCP, Where: rest}
	case found && Transport(word) == SerialPort:
		a = Address{Transport: SerialPort, Where: rest}
	case strings.HasPrefix(text, "/") || strings.HasPrefix(strings.ToUpper(text), "COM") && !found:
		a = Address{Transport: SerialPort, Where: text}
	default:
		a = Address{Transport: TCP, Where: text}
	}
	return a, a.Check()
}

// Check refuses an address at which nothing can be.
func (a Address) Check() error {
	switch {
	case a.Transport != TCP && a.Transport != SerialPort:
		return fmt.Errorf("an instrument is connected by tcp or serial, not by %q", a.Transport)
	case strings.TrimSpace(a.Where) == "":
		return errors.New("the address is missing: host:port, or the name of a serial port")
	case a.Transport == TCP:
		if _, port, err := net.SplitHostPort(a.Where); err != nil || port == "" {
			return fmt.Errorf("%q is no address: write host:port, such as 10.0.0.7:4001", a.Where)
		}
		return nil
	}
	return a.Serial.check()
}

// or takes from the profile's defaults what is not said.
func (s Serial) or(d *Serial) Serial {
	if d == nil {
		d = &Serial{}
	}
	return Serial{
		Baud:   cmp.Or(s.Baud, d.Baud, 9600),
		Bits:   cmp.Or(s.Bits, d.Bits, 8),
		Parity: cmp.Or(s.Parity, d.Parity, "none"),
		Stop:   cmp.Or(s.Stop, d.Stop, "1"),
		Flow:   cmp.Or(s.Flow, d.Flow, "none"),
	}
}

// Words is how a port is set, in words, with what is not said from the profile's defaults: "9600 baud, 8 bits, no
// parity, 1 stop bit, no flow control".
func (s Serial) Words(defaults *Serial) string {
	s = s.or(defaults)
	not := func(word string) string { return map[bool]string{true: "no", false: word}[word == "none"] }
	stop := map[string]string{"1": "1 stop bit"}[s.Stop]
	return fmt.Sprintf("%d baud, %d bits, %s parity, %s, %s flow control", s.Baud, s.Bits, not(s.Parity),
		cmp.Or(stop, s.Stop+" stop bits"), not(s.Flow))
}

func (s Serial) check() error {
	s = s.or(nil)
	switch {
	case s.Baud < 50 || s.Baud > 4_000_000:
		return fmt.Errorf("%d baud: 50 to 4 000 000", s.Baud)
	case s.Bits < 5 || s.Bits > 8:
		return fmt.Errorf("%d bits: 5 to 8", s.Bits)
	case parities[s.Parity] == nil:
		return fmt.Errorf("parity %q: none, odd, even, mark or space", s.Parity)
	case stops[s.Stop] == nil:
		return fmt.Errorf("%s stop bits: 1, 1.5 or 2", s.Stop)
	case !slices.Contains([]string{"none", "rts-cts", "xon-xoff"}, s.Flow):
		return fmt.Errorf("flow control %q: none, rts-cts or xon-xoff", s.Flow)
	}
	return nil
}

func ptr[T any](v T) *T { return &v }

var parities = map[string]*serial.Parity{"none": ptr(serial.NoParity), "odd": ptr(serial.OddParity),
	"even": ptr(serial.EvenParity), "mark": ptr(serial.MarkParity), "space": ptr(serial.SpaceParity)}

var stops = map[string]*serial.StopBits{"1": ptr(serial.OneStopBit), "1.5": ptr(serial.OnePointFiveStopBits),
	"2": ptr(serial.TwoStopBits)}

// Ports are the serial ports of this machine that have a name. Others can be given by hand.
func Ports() []string {
	found, err := serial.GetPortsList()
	if err != nil || found == nil {
		return []string{}
	}
	slices.Sort(found)
	return found
}

// poll is how long a read waits at most, so that its end is noticed.
const poll = 200 * time.Millisecond

// open connects with an instrument. A read from what it returns gives 0 bytes and no error when none came for a
// moment.
func (a Address) open(ctx context.Context, defaults *Serial, within time.Duration) (io.ReadWriteCloser, error) {
	if a.Transport == TCP {
		dialer := net.Dialer{Timeout: within}
		conn, err := dialer.DialContext(ctx, "tcp", a.Where)
		if err != nil {
			return nil, errors.New("nothing answers at its address")
		}
		return socket{conn, within}, nil
	}
	s := a.Serial.or(defaults)
	if err := s.check(); err != nil {
		return nil, err
	}
	port, err := serial.Open(a.Where, &serial.Mode{BaudRate: s.Baud, DataBits: s.Bits, Parity: *parities[s.Parity],
		StopBits: *stops[s.Stop]})
	if err != nil {
		return nil, fmt.Errorf("the serial port %s cannot be opened: %s", a.Where, err)
	}
	if err := port.SetReadTimeout(poll); err != nil {
		port.Close()
		return nil, err
	}
	switch s.Flow {
	case "xon-xoff":
		return &xonXoff{Port: port, within: within}, nil
	case "rts-cts":
		return clearToSend{port, within}, nil
	}
	return port, nil
}

// socket is a connection whose reads end after a moment, and whose writes do not wait for ever.
type socket struct {
	net.Conn
	within time.Duration
}

// Read gives what comes, or nothing after a moment.
func (s socket) Read(p []byte) (int, error) {
	s.SetReadDeadline(time.Now().Add(poll))
	n, err := s.Conn.Read(p)
	if timeout, ok := errors.AsType[net.Error](err); ok && timeout.Timeout() {
		return n, nil
	}
	return n, err
}

// Write sends, within the time of an answer.
func (s socket) Write(p []byte) (int, error) {
	s.SetWriteDeadline(time.Now().Add(s.within))
	return s.Conn.Write(p)
}

// clearToSend is a port with flow control by its RTS and CTS lines: nothing is sent before the instrument is ready.
// A port without these lines, such as a simulated one, is always ready.
type clearToSend struct {
	serial.Port
	within time.Duration
}

// Write sends as soon as the instrument is ready.
func (c clearToSend) Write(p []byte) (int, error) {
	ready := func() bool {
		bits, err := c.GetModemStatusBits()
		return err != nil || bits.CTS
	}
	return sendWhen(ready, c.within, c.Port, p)
}

// xonXoff is a port whose instrument says by itself when nothing is to be sent: XOFF stops, XON goes on.
type xonXoff struct {
	serial.Port
	within  time.Duration
	stopped atomic.Bool
}

const (
	xon  = 0x11
	xoff = 0x13
)

// Read takes the signs out of what comes.
func (x *xonXoff) Read(p []byte) (int, error) {
	n, err := x.Port.Read(p)
	kept := 0
	for _, b := range p[:n] {
		if b == xoff || b == xon {
			x.stopped.Store(b == xoff)
			continue
		}
		p[kept] = b
		kept++
	}
	return kept, err
}

// Write sends as soon as nothing stops it.
func (x *xonXoff) Write(p []byte) (int, error) {
	return sendWhen(func() bool { return !x.stopped.Load() }, x.within, x.Port, p)
}

// sendWhen writes as soon as the instrument is ready to receive.
func sendWhen(ready func() bool, within time.Duration, to io.Writer, p []byte) (int, error) {
	for until := time.Now().Add(within); !ready(); time.Sleep(5 * time.Millisecond) {
		if time.Now().After(until) {
			return 0, errors.New("it is not ready to receive: check the cable and the flow control")
		}
	}
	return to.Write(p)
}
