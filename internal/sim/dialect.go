package sim

import (
	"encoding/json"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"
	"time"
)

// Dialect is a way that instruments speak.
type Dialect interface {
	// answer is what a line is answered with; empty for nothing. The server's mutex is held.
	answer(s *Server, c *client, line string) string
	// stream is what is sent by itself at a step of the model; empty for nothing.
	stream(s *Server, c *client) string
	// pressed is what is sent when the instrument's own key is pressed; empty for nothing.
	pressed(m Model) string
}

// The dialects, each as its profile describes it from outside.
var (
	OwnLine       Dialect = ownLine{}       // lines in the manner of IEEE 488.2, samples streamed after SUBScribe
	SerialBalance Dialect = serialBalance{} // "W?" is answered by sign, value, unit and a sign of rest
	CommaAnalyser Dialect = commaAnalyser{} // "DATA?" is answered by figures with commas between them
	KeyPrinter    Dialect = keyPrinter{}    // a line at its own key, and nothing else
	CSVLogger     Dialect = csvLogger{}     // a line of figures every second
)

// Dialects are the dialects by the id of the profile that describes them. The instrument behind each is of a kind of
// simulated instrument.
var Dialects = []struct {
	Profile, Kind string
	Dialect       Dialect
}{
	{"serial-balance", "balance", SerialBalance},
	{"comma-analyser", "blood-gas", CommaAnalyser},
	{"key-printer", "photometer", KeyPrinter},
	{"csv-logger", "chamber-probe", CSVLogger},
}

// ownLine is the stand-ins' own protocol. Errors are queued silently, as IEEE 488.2 has it.
type ownLine struct{}

func (ownLine) pressed(Model) string { return "" }

func (ownLine) stream(s *Server, c *client) string {
	var lines []string
	for channel := range c.channels {
		lines = append(lines, formatSample(s.t, channel, s.model.Value(channel)))
	}
	return strings.Join(lines, lineEnd)
}

// formatSample writes a sample: "#S 12.350 CO2 4.7130".
func formatSample(t float64, channel string, value float64) string {
	line := make([]byte, 0, 48) // more than a line is long
	line = strconv.AppendFloat(append(line, "#S "...), t, 'f', 3, 64)
	line = append(append(append(line, ' '), channel...), ' ')
	return string(strconv.AppendFloat(line, value, 'f', 4, 64))
}

// Bits of the standard event status register.
const (
	operationComplete = 1
	executionError    = 16
	commandError      = 32
)

// answer carries out the commands of a line, which are parted by semicolons. What is asked is answered in one line.
func (ownLine) answer(s *Server, c *client, line string) string {
	var answers []string
	for part := range strings.SplitSeq(line, ";") {
		if strings.TrimSpace(part) == "" {
			continue
		}
		command, err := ParseCommand(part)
		text := ""
		if err == nil {
			text, err = s.own(c, command)
		}
		switch {
		case err != nil:
			c.fail(err.Error())
		case command.Query:
			answers = append(answers, text)
		}
	}
	return strings.Join(answers, ";")
}

// fail queues an error. A full queue says so in its last place.
func (c *client) fail(text string) {
	c.events |= map[bool]int{true: commandError, false: executionError}[strings.HasPrefix(text, "-1")]
	if len(c.errors) >= 20 {
		c.errors[19] = `-350,"Queue overflow"`
		return
	}
	c.errors = append(c.errors, text)
}

// own carries out one command.
func (s *Server) own(c *client, command Command) (string, error) {
	channel := strings.ToUpper(command.Arg(0))
	has := slices.Contains(s.model.Channels(), channel)
	switch {
	case strings.HasPrefix(command.Header, "*"):
		return s.common(c, command)
	case (command.Is("SYSTem:ERRor") || command.Is("SYSTem:ERRor:NEXT")) && command.Query:
		if len(c.errors) == 0 {
			return `0,"No error"`, nil
		}
		first := c.errors[0]
		c.errors = c.errors[1:]
		return first, nil
	case command.Is("SIMulate:CATalog") && command.Query:
		text, err := json.Marshal(s.model.Controls())
		return string(text), err
	case command.Is("SUBScribe") && !has:
		return "", fmt.Errorf(`-224,"No such channel"`)
	case command.Is("SUBScribe"):
		c.channels[channel] = true
		return "", nil
	case command.Is("UNSubscribe"):
		delete(c.channels, channel)
		return "", nil
	case command.Is("SIMulate:PRINt"):
		go s.Press()
		return "", nil
	case command.Is("SIMulate:LINK"):
		return "", s.trouble(command)
	}
	for _, name := range s.model.Channels() {
		if command.Query && command.Is("MEASure:"+name) {
			return strconv.FormatFloat(s.model.Value(name), 'f', 4, 64), nil
		}
	}
	answer, ok, err := s.command(command)
	if !ok && err == nil {
		return "", fmt.Errorf(`-113,"Undefined header"`)
	}
	return answer, err
}

// trouble switches a fault of the link: SIMulate:LINK DROP, SILENT or GARBAGE, and for how many seconds.
func (s *Server) trouble(command Command) error {
	seconds, err := strconv.ParseFloat(command.Arg(1), 64)
	if err != nil || !(seconds >= 0 && seconds <= 600) {
		return fmt.Errorf(`-222,"Data out of range"`)
	}
	s.fault, s.until = strings.ToUpper(command.Arg(0)), time.Now().Add(time.Duration(seconds*float64(time.Second)))
	if s.fault == "DROP" {
		for other := range s.clients {
			other.conn.Close()
		}
	}
	return nil
}

// common are the common commands of IEEE 488.2.
func (s *Server) common(c *client, command Command) (string, error) {
	name := command.Header
	if command.Query {
		name += "?"
	}
	switch name {
	case "*IDN?":
		return s.model.IDN(), nil
	case "*RST":
		s.reset()
	case "*CLS":
		c.errors, c.events = nil, 0
	case "*OPC":
		c.events |= operationComplete
	case "*OPC?":
		return "1", nil
	case "*TST?":
		return "0", nil
	case "*WAI":
	case "*ESR?":
		events := c.events
		c.events = 0
		return strconv.Itoa(events), nil
	case "*STB?":
		status := 0
		if len(c.errors) > 0 {
			status |= 4
		}
		if c.events != 0 {
			status |= 32
		}
		return strconv.Itoa(status), nil
	default:
		return "", fmt.Errorf(`-113,"Undefined header"`)
	}
	return "", nil
}

// quiet answers nothing, and sends nothing by itself.
type quiet struct{}

func (quiet) answer(*Server, *client, string) string { return "" }
func (quiet) stream(*Server, *client) string         { return "" }
func (quiet) pressed(Model) string                   { return "" }

// serialBalance speaks like a plain balance on a serial line.
type serialBalance struct{ quiet }

func (serialBalance) answer(s *Server, c *client, line string) string {
	word, value, _ := strings.Cut(strings.ToUpper(strings.TrimSpace(line)), " ")
	switch word {
	case "WHO":
		return "NB-2201 simulated balance"
	case "W?":
		m := s.model.Value("MASS")
		sign, rest := "+", "="
		if m < 0 {
			sign = "-"
		}
		if math.Abs(m-s.before) > 0.002 {
			rest = "~"
		}
		return fmt.Sprintf("%s%09.3f g %s", sign, math.Abs(m), rest)
	case "TARE":
		if balance, ok := s.model.(*Balance); ok {
			balance.cup, balance.hanging = 0, 0
		}
		return "OK"
	case "AVG":
		if n, err := strconv.Atoi(value); err != nil || n < 1 || n > 64 {
			return "NO averaging is 1 to 64"
		}
		s.set["AVG"] = value
		return "OK"
	case "AVG?":
		if s.set["AVG"] == "" {
			s.set["AVG"] = "8"
		}
		return "AVG " + s.set["AVG"]
	}
	return "NO what is " + word
}

// commaAnalyser answers one question with all its figures.
type commaAnalyser struct{ quiet }

func (commaAnalyser) answer(s *Server, c *client, line string) string {
	switch strings.ToUpper(strings.TrimSpace(line)) {
	case "ID?":
		return "CA-40 simulated analyser"
	case "DATA?":
		m := s.model
		return fmt.Sprintf("R,%.3f,%.1f,%.1f,%.0f", m.Value("PH"), m.Value("PCO2"), m.Value("PO2"), m.Value("THB"))
	}
	return "?"
}

// keyPrinter sends a line when its own key is pressed.
type keyPrinter struct{ quiet }

func (keyPrinter) pressed(m Model) string {
	return fmt.Sprintf("CONC %.2f mmol/L  ABS %.3f", m.Value("CONCENTRATION"), m.Value("ABSORBANCE"))
}

// csvLogger sends a line of figures every second.
type csvLogger struct{ quiet }

func (csvLogger) stream(s *Server, c *client) string {
	if s.t-c.spoke < 1 {
		return ""
	}
	c.spoke = s.t
	return fmt.Sprintf("%.1f,%.3f", s.t, s.model.Value("TEMP"))
}
