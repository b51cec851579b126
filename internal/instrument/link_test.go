package instrument_test

import (
	"context"
	"fmt"
	"io"
	"math"
	"net"
	"runtime"
	"strings"
	"testing"
	"time"

	"northneedle/internal/capture"
	"northneedle/internal/definition"
	"northneedle/internal/instrument"
	"northneedle/internal/sim"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

var quick = instrument.Timing{
	Silence:  300 * time.Millisecond,
	Retry:    50 * time.Millisecond,
	Answer:   time.Second,
	Readback: 200 * time.Millisecond,
}

// profile is one of those that ship.
func profile(t testing.TB, id string) *instrument.Profile {
	t.Helper()
	all, err := definition.Profiles("")
	require.NoError(t, err)
	p := instrument.Find(all, id)
	require.NotNil(t, p, id)
	return p
}

func dial(t *testing.T, name string, at instrument.Address, p *instrument.Profile) *instrument.Link {
	t.Helper()
	link := instrument.Dial(context.Background(), name, at, p, quick, time.Now)
	t.Cleanup(link.Close)
	require.NoError(t, link.Listen(context.Background()))
	return link
}

func tcp(where string) instrument.Address {
	return instrument.Address{Transport: instrument.TCP, Where: where}
}

// connected starts a gas bench stand-in and a link to it.
func connected(t *testing.T) *instrument.Link {
	t.Helper()
	ctx, cancel := context.WithCancel(context.Background())
	server, err := sim.Serve(ctx, "127.0.0.1:0", sim.NewGasBench(map[string]float64{"HG-22": 5.02}))
	require.NoError(t, err)
	t.Cleanup(func() { cancel(); server.Wait() })
	link := dial(t, "Gas bench", tcp(server.Address()), profile(t, "gas-bench"))
	await(t, link, instrument.Alive)
	return link
}

func await(t *testing.T, l *instrument.Link, state instrument.State) {
	t.Helper()
	require.Eventually(t, func() bool { return l.Status().State == state }, 10*time.Second, 5*time.Millisecond,
		"the link was to be %s", state)
}

func TestALinkReadsSetsAndReadsBack(t *testing.T) {
	link := connected(t)
	assert.True(t, link.Status().Simulated())
	ctx := context.Background()
	byHand, err := link.Set(ctx, map[string]string{"gas": "HG-22", "breath": "30", "device": "MB-0001", "lamp": "on"}, nil)
	require.NoError(t, err)
	assert.Equal(t, []string{"lamp"}, byHand, "what it cannot be told is for the hand")
	assert.Equal(t, "HG-22", link.Reported()["gas"].Value)
	assert.Empty(t, link.Differs(map[string]string{"gas": "hg-22", "breath": "30.0"}))
	_, err = link.Set(ctx, map[string]string{"gas": "XX-1"}, nil)
	assert.ErrorContains(t, err, "no cylinder XX-1")

	// Someone turns it by another way: it is seen within the time of reading back.
	other := dial(t, "Gas bench", link.Address(), link.Profile())
	await(t, other, instrument.Alive)
	require.NoError(t, other.Tell(ctx, "SOUR:GAS AIR"))
	require.Eventually(t, func() bool {
		return strings.Contains(link.Differs(map[string]string{"gas": "HG-22"}), "says that gas is AIR; this point needs HG-22")
	}, 5*time.Second, 10*time.Millisecond)

	require.NoError(t, link.Tell(ctx, "SOUR:GAS HG-22"))
	require.Eventually(t, func() bool {
		high := math.Inf(-1)
		samples, _ := link.Samples("CO2", 0)
		for _, s := range samples {
			high = math.Max(high, s.V)
		}
		return high > 4.5 && high < 5.6
	}, 10*time.Second, 20*time.Millisecond, "the trace shows breaths of the gas")
	lines := link.Console(0)
	assert.Equal(t, lines[2:4], link.Console(lines[1].N)[:2], "those after the second")
	again := dial(t, "Gas bench", link.Address(), link.Profile())
	await(t, again, instrument.Alive)
	assert.NotEmpty(t, again.Console(lines[len(lines)-1].N), "a page that showed an earlier link's lines goes on with this one's")
	console := fmt.Sprint(lines)
	assert.Contains(t, console, "SOURce:GAS HG-22")
	assert.Contains(t, console, "North Needle,Gas bench simulated")
}

func TestATroubledLinkSaysSoAndComesBack(t *testing.T) {
	link := connected(t)
	for fault, state := range map[string]instrument.State{"DROP": instrument.Lost, "SILENT": instrument.Lost,
		"GARBAGE": instrument.Garbled} {
		_, before := link.Samples("CO2", 0)
		go link.Ask(context.Background(), "SIMulate:LINK "+fault+",1.5;*OPC?") // its answer may be lost with the link
		await(t, link, state)
		assert.Contains(t, link.Status().Words, "Gas bench")
		assert.Contains(t, link.Status().Words, "typed", "the way out is named")
		await(t, link, instrument.Alive)
		require.Eventually(t, func() bool { _, after := link.Samples("CO2", 0); return after > before },
			5*time.Second, 10*time.Millisecond, "samples come again")
	}
}

// Nothing streams that nobody listens to; what somebody listened to streams again after the link was lost.
func TestWhatNobodyListensToDoesNotStream(t *testing.T) {
	busy := connected(t)
	link := instrument.Dial(context.Background(), "Gas bench", busy.Address(), busy.Profile(), quick, time.Now)
	t.Cleanup(link.Close)
	await(t, link, instrument.Alive)
	_, before := busy.Samples("CO2", 0)
	require.Eventually(t, func() bool { _, n := busy.Samples("CO2", 0); return n > before+10 }, 5*time.Second, 10*time.Millisecond)
	_, n := link.Samples("CO2", 0)
	assert.Zero(t, n)
	assert.Equal(t, instrument.Alive, link.Status().State, "it is not silent: nobody told it to send")
	require.NoError(t, link.Listen(context.Background(), "CO2"))
	streams := func() bool { _, after := link.Samples("CO2", 0); return after > n }
	require.Eventually(t, streams, 5*time.Second, 10*time.Millisecond)
	go link.Ask(context.Background(), "SIMulate:LINK DROP,0.5")
	await(t, link, instrument.Lost)
	await(t, link, instrument.Alive)
	_, n = link.Samples("CO2", 0)
	require.Eventually(t, streams, 5*time.Second, 10*time.Millisecond)
}

func TestAnInstrumentThatIsNotThere(t *testing.T) {
	for _, at := range []instrument.Address{tcp("127.0.0.1:1"),
		{Transport: instrument.SerialPort, Where: "/dev/there-is-none"}} {
		link := dial(t, "Nothing", at, profile(t, "serial-balance"))
		await(t, link, instrument.Lost)
		_, err := link.Ask(context.Background(), "WHO")
		assert.ErrorContains(t, err, "not connected")
	}
}

// The stand-ins answer the common commands, take several commands in a line, and queue errors silently.
func TestCommonCommands(t *testing.T) {
	link := connected(t)
	for _, ask := range []struct{ line, answer string }{
		{"*ESR?", "128"}, {"*OPC?", "1"}, {"*STB?", "0"}, {":SOURce:GAS HG-22;:SOURce:GAS?;*OPC?", "HG-22;1"},
		{"NONSENSE;SOUR:BRE 999;*STB?", "36"}, {"SYST:ERR?;:SYST:ERR:NEXT?;SYST:ERR?", `-113,"Undefined header";-222,"Data out of range: 1 to 60 breaths a minute";0,"No error"`},
		{"*ESR?", "48"}, {"NONSENSE;*CLS;*ESR?;*STB?", "0;0"}, {"*RST;SOUR:GAS?;SOUR:BRE?", "NONE;NONE"}, {"*TST?", "0"}, {";;*OPC?", "1"},
	} {
		answer, err := link.Ask(context.Background(), ask.line)
		require.NoError(t, err, ask.line)
		assert.Equal(t, ask.answer, answer, ask.line)
	}
}

// Five dialects, each over TCP and over a pseudo-terminal: identified, read, set where it can be.
func TestEveryDialectOverEveryTransport(t *testing.T) {
	type trial struct {
		profile, kind string
		dialect       sim.Dialect
		channel       string
		low, high     float64
		setting       string
	}
	for _, c := range []trial{
		{"finger-simulator", "finger-simulator", sim.OwnLine, "SPO2", 90, 100, "spo2"},
		{"serial-balance", "balance", sim.SerialBalance, "MASS", -1, 1, "averaging"},
		{"comma-analyser", "blood-gas", sim.CommaAnalyser, "PCO2", 30, 50, ""},
		{"key-printer", "photometer", sim.KeyPrinter, "CONCENTRATION", -0.1, 0.1, ""},
		{"csv-logger", "chamber-probe", sim.CSVLogger, "TEMP", 15, 45, ""},
	} {
		for _, transport := range instrument.Transports {
			t.Run(c.profile+" "+string(transport), func(t *testing.T) {
				t.Parallel()
				ctx, cancel := context.WithCancel(context.Background())
				server, _, err := sim.ServeDialect(ctx, c.kind, sim.World{}, capture.WallClock{Time: time.Now})
				require.NoError(t, err)
				t.Cleanup(func() { cancel(); server.Wait() })
				at := instrument.Address{Transport: transport}
				if transport == instrument.TCP {
					at.Where, err = server.Listen(ctx, "127.0.0.1:0", c.dialect)
				} else {
					at.Where, err = server.Terminal(ctx, c.dialect)
				}
				require.NoError(t, err)
				p := profile(t, c.profile)
				link := dial(t, p.Title, at, p)
				await(t, link, instrument.Alive)
				value := func() (float64, bool) {
					samples, n := link.Samples(c.channel, 0)
					if n == 0 {
						return 0, false
					}
					return samples[len(samples)-1].V, true
				}
				if c.dialect == sim.KeyPrinter {
					assert.Empty(t, link.Keys(c.channel))
					server.Press()
				}
				require.Eventually(t, func() bool { _, ok := value(); return ok }, 10*time.Second, 10*time.Millisecond)
				v, _ := value()
				assert.True(t, v >= c.low && v <= c.high, "%g", v)
				if c.dialect == sim.KeyPrinter {
					assert.Len(t, link.Keys(c.channel), 1)
				}
				if c.setting != "" {
					byHand, err := link.Set(ctx, map[string]string{c.setting: "60"}, nil)
					require.NoError(t, err)
					assert.Empty(t, byHand)
					assert.Equal(t, "60", link.Reported()[c.setting].Value)
				}
				assert.Equal(t, instrument.Alive, link.Status().State, link.Status().Words)
			})
		}
	}
}

func TestWhatIsNeverSentIsNeverSent(t *testing.T) {
	ctx, cancel := context.WithCancel(context.Background())
	server, _, err := sim.ServeDialect(ctx, "balance", sim.World{}, capture.WallClock{Time: time.Now})
	require.NoError(t, err)
	t.Cleanup(func() { cancel(); server.Wait() })
	at, err := server.Listen(ctx, "127.0.0.1:0", sim.SerialBalance)
	require.NoError(t, err)
	link := dial(t, "Balance", tcp(at), profile(t, "serial-balance"))
	await(t, link, instrument.Alive)
	_, err = link.Try(ctx, "cal 200")
	assert.ErrorContains(t, err, "never sent")
	assert.NotContains(t, fmt.Sprint(link.Console(0)), "cal 200")
	require.NoError(t, link.Act(ctx, "tare"))
	assert.ErrorContains(t, link.Act(ctx, "explode"), "knows no act")
	_, err = link.Set(ctx, map[string]string{"averaging": "99"}, nil)
	assert.ErrorContains(t, err, "averaging is 1 to 64", "in the instrument's own words")
}

// bad serves connections with what a bad balance does; asked are the lines that it was sent.
func bad(t *testing.T, do func(conn net.Conn, ask func() string)) string {
	t.Helper()
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	t.Cleanup(func() { listener.Close() })
	go func() {
		for {
			conn, err := listener.Accept()
			if err != nil {
				return
			}
			go func() {
				defer conn.Close()
				var pending strings.Builder
				buffer := make([]byte, 256)
				do(conn, func() string {
					for {
						if line, rest, found := strings.Cut(pending.String(), "\r\n"); found {
							pending.Reset()
							pending.WriteString(rest)
							return line
						}
						n, err := conn.Read(buffer)
						if err != nil {
							runtime.Goexit()
						}
						pending.Write(buffer[:n])
					}
				})
			}()
		}
	}()
	return listener.Addr().String()
}

// Thirteen kinds of bad instrument: nothing absurd is read, it is said within 3 s, and memory stays bounded.
func TestBadInstruments(t *testing.T) {
	// answering identifies itself, and answers each question with what it is told to.
	answering := func(say func(n int) string) func(net.Conn, func() string) {
		return func(conn net.Conn, ask func() string) {
			for n := 0; ; {
				switch ask() {
				case "WHO":
					io.WriteString(conn, "NB-1\r\n")
				case "AVG?":
					io.WriteString(conn, "AVG 8\r\n")
				default:
					n++
					if _, err := io.WriteString(conn, say(n)); err != nil {
						return
					}
				}
			}
		}
	}
	good := "+0005.000 g =\r\n"
	for name, c := range map[string]struct {
		does  func(net.Conn, func() string)
		words string // empty: it is read all the same
	}{
		"silent":                {func(_ net.Conn, ask func() string) { ask(); select {} }, "did not answer"},
		"one byte a second":     {func(conn net.Conn, ask func() string) { ask(); drip(conn, "NB-1\r\n") }, "did not answer"},
		"a line of 10 MB":       {answering(func(int) string { return strings.Repeat("9", 10<<20) + "\r\n" }), "too long|did not answer"},
		"not a number":          {answering(func(int) string { return "NaN g =\r\n" }), "does not know|did not answer"},
		"too large":             {answering(func(int) string { return "1" + strings.Repeat("0", 60) + ".0 g =\r\n" }), "no instrument measures"},
		"closes in mid-line":    {answering(func(n int) string { return "+0005.0" }), "did not answer|lost"},
		"floods":                {func(conn net.Conn, ask func() string) { ask(); flood(conn) }, "nobody asked|did not answer|cannot be read"},
		"another unit":          {answering(func(int) string { return "+0005.000 s =\r\n" }), `it sends "s"`},
		"answers late":          {answering(func(int) string { time.Sleep(800 * time.Millisecond); return good }), "did not answer"},
		"two lines for one":     {answering(func(int) string { return good + good }), "nobody asked"},
		"reconnects all along":  {answering(func(n int) string { return "" }), "did not answer|lost"},
		"garbage":               {answering(func(int) string { return "\x07\x7f\xff\xfe\r\n" }), "unreadable|did not answer"},
		"an echo of every line": {echoing, ""},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			link := dial(t, "Balance", tcp(bad(t, c.does)), profile(t, "serial-balance"))
			said := func() bool {
				for _, words := range strings.Split(c.words, "|") {
					if strings.Contains(link.Status().Words, words) {
						return true
					}
				}
				return false
			}
			if c.words == "" {
				await(t, link, instrument.Alive)
			} else {
				require.Eventually(t, said, 3*time.Second, 10*time.Millisecond, "%s", link.Status().Words)
			}
			time.Sleep(300 * time.Millisecond)
			samples, _ := link.Samples("MASS", 0)
			for _, s := range samples {
				require.Equal(t, 5.0, s.V, "only what was sent as a reading, whole and in its unit")
			}
			var memory runtime.MemStats
			runtime.ReadMemStats(&memory)
			assert.Less(t, memory.HeapAlloc, uint64(400<<20))
		})
	}
}

func drip(conn net.Conn, text string) {
	for _, b := range []byte(text) {
		time.Sleep(time.Second)
		if _, err := conn.Write([]byte{b}); err != nil {
			return
		}
	}
}

func flood(conn net.Conn) {
	block := []byte(strings.Repeat("+0005.000 g =\r\n", 1000))
	for {
		if _, err := conn.Write(block); err != nil {
			return
		}
	}
}

func echoing(conn net.Conn, ask func() string) {
	for {
		line := ask()
		answer := map[string]string{"WHO": "NB-1", "AVG?": "AVG 8", "W?": "+0005.000 g ="}[line]
		if _, err := io.WriteString(conn, line+"\r\n"+answer+"\r\n"); err != nil {
			return
		}
	}
}

func TestWhatStartsTheMeasuredThingIsSetLast(t *testing.T) {
	ctx, cancel := context.WithCancel(context.Background())
	server, own, err := sim.ServeDialect(ctx, "chamber-probe", sim.World{}, capture.WallClock{Time: time.Now})
	require.NoError(t, err)
	t.Cleanup(func() { cancel(); server.Wait() })
	link := dial(t, "Probe", tcp(own), profile(t, "chamber-probe"))
	await(t, link, instrument.Alive)
	began := ""
	_, err = link.Set(ctx, map[string]string{"lid": "opened", "probe": "2-lower", "device": "WC-1"},
		func() { began = fmt.Sprint(link.Console(0)) })
	require.NoError(t, err)
	assert.Contains(t, began, "SOURce:PROBE 2-lower")
	assert.NotContains(t, began, "SOURce:LID opened", "the trace begins before the lid is opened")
	assert.Equal(t, "opened", link.Reported()["lid"].Value)
}
