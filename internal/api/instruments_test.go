package api_test

import (
	"bytes"
	"context"
	"encoding/csv"
	"flag"
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"
	"time"

	"northneedle/core/run"
	"northneedle/core/runview"
	"northneedle/internal/capture"
	"northneedle/internal/instrument"
	"northneedle/internal/sim"
	"northneedle/internal/workshop"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// moves is how many moves two people make at one instrument: few as a rule, the full number in "make attack".
var moves = flag.Int("moves", 150, "how many moves TestTwoPeopleAtOneInstrument makes")

// fastGasBench is the address of a gas bench that breathes thirty times as fast.
func fastGasBench(t *testing.T) string {
	t.Helper()
	ctx, stop := context.WithCancel(context.Background())
	world := sim.World{Cylinders: map[string]map[string]float64{"HG-22": {"CO2": 5.02}, "HG-23": {"CO2": 10.04}}}
	server, address, err := sim.ServeDialect(ctx, "gas-bench", world, capture.Faster(30))
	require.NoError(t, err)
	t.Cleanup(func() { stop(); server.Wait() })
	return address
}

// connect has the house's gas bench at another address.
func (h *house) connect(address string) {
	h.t.Helper()
	lead := h.signedIn("Tamsin Orrery")
	status, body := lead.call("PUT", "/api/instruments/gas-bench", order{"name": "Gas bench", "belongs": "GB-1",
		"profile": "gas-bench", "transport": "tcp", "address": address, "why": "a faster one"})
	require.Equal(h.t, 200, status, string(body))
	require.Eventually(h.t, func() bool {
		return get[workshop.InstrumentDetail](lead, "/api/instruments/gas-bench").Link.State == instrument.Alive
	}, 10*time.Second, 20*time.Millisecond)
}

// Two people, two runs, one gas bench, in any order: holding, taking over, letting go, looking, taking frames that are
// shown, old, of another point or of the other's screen, and a gas that is turned at the bench itself. The two devices
// read so differently that a value says whose it is. No reading lands at another point or another device.
func TestTwoPeopleAtOneInstrument(t *testing.T) {
	h := newHouse(t)
	ctx := context.Background()
	h.connect(fastGasBench(t))

	type actor struct {
		*client
		view   runview.View
		factor float64 // what the device shows for one
		frames []string
	}
	var actors []*actor
	for n, name := range []string{"Idris Vail", "Noor Bexley"} {
		c := h.signedIn(name)
		a := &actor{client: c, factor: 1 + 2*float64(n)}
		a.view = c.toMeasuring(c.open(firstOf(t, c, "capnograph", 6+n)))
		for _, command := range []string{"SIMulate:DEVice " + a.view.Device.Tag, fmt.Sprintf("SIMulate:PRESs SPAN,%d", 400*n)} {
			require.Equal(t, 204, c.status("POST", "/api/stand-ins/gas-bench", order{"command": command}))
		}
		actors = append(actors, a)
	}
	points := map[string]float64{"5": 5.02, "10": 10.04}
	names := []string{"5", "10"}
	random := rand.New(rand.NewPCG(uint64(*moves), 7))
	done := map[string]int{}
	for range *moves {
		n := random.IntN(2)
		a, other := actors[n], actors[1-n]
		point := names[random.IntN(2)]
		spot := order{"measure": "co2", "point": point}
		time.Sleep(15 * time.Millisecond)
		switch move := random.IntN(30); {
		case move < 4:
			spot["take_over"] = move < 2
			status, _ := a.call("POST", "/api/runs/"+a.view.ID+"/hold", spot)
			done[fmt.Sprint("hold ", status)]++
		case move == 4:
			a.call("DELETE", "/api/runs/"+a.view.ID+"/hold", nil)
		case move == 5:
			h.shop.Bench.Instruments()[0].Tell(ctx, "SOURce:GAS AIR")
		case move < 20:
			if frame := a.frame(a.view.ID, "co2", point, anyFrame); frame.ID != "" {
				a.frames = append(a.frames, frame.ID)
			}
		default:
			frames := a.frames
			if random.IntN(5) == 0 {
				frames = other.frames
			}
			if len(frames) == 0 {
				continue
			}
			frame := frames[max(len(frames)-1-random.IntN(4), 0)]
			a.view = get[runview.View](a.client, "/api/runs/"+a.view.ID)
			status, body := a.try(a.view, order{"kind": "capture", "measure": "co2", "point": point, "frame": frame,
				"reason": "now"})
			done[fmt.Sprint("capture ", status)]++
			if status != 200 {
				continue
			}
			a.view = view(t, body)
			all := a.view.Measures[0].Points
			for _, p := range all {
				for _, r := range p.Readings {
					if r.Withdrawn != "" {
						continue
					}
					want := points[p.ID] * a.factor
					if strings.Contains(r.Detail, "of 1 breaths") {
						want = min(want, r.Values[0]) // the gas was let in during its only breath: it is marked as not steady
					}
					require.InEpsilon(t, want, r.Values[0], 0.2, "%s, %g at %s of %s: %+v %s", p.Label, r.Values[0], r.Origin.Frame,
						a.view.Device.Tag, r.Origin, r.Detail)
					require.Equal(t, a.view.Device.Tag, r.Origin.Settings["device"])
					require.Equal(t, a.view.OpenedBy.Name, r.Origin.Holder)
					a.view = a.send(a.view, order{"kind": "withdraw", "reading": r.ID, "reason": "again"})
				}
			}
		}
	}
	t.Logf("%d moves: %v", *moves, done)
	assert.Positive(t, done["capture 200"])
	assert.Positive(t, done["capture 409"])
	for _, a := range actors {
		events, err := h.ledger.Events(a.view.ID, 0)
		require.NoError(t, err)
		used := map[string]bool{}
		for _, e := range events {
			if reading, ok := e.Fact.(run.ReadingCaptured); ok {
				require.False(t, used[reading.Origin.Frame], "one frame, one reading")
				used[reading.Origin.Frame] = true
			}
		}
	}
}

func TestInstrumentsAreRegisteredChangedTriedAndRetired(t *testing.T) {
	h := newHouse(t)
	ctx, stop := context.WithCancel(context.Background())
	server, _, err := sim.ServeDialect(ctx, "balance", sim.World{}, capture.WallClock{Time: time.Now})
	require.NoError(t, err)
	t.Cleanup(func() { stop(); server.Wait() })
	port, err := server.Terminal(ctx, sim.SerialBalance)
	require.NoError(t, err)
	lead, idris := h.signedIn("Tamsin Orrery"), h.signedIn("Idris Vail")
	body := func(more order) order {
		all := order{"id": "balance-one", "name": "Balance", "belongs": "bl-1", "profile": "serial-balance",
			"transport": "serial", "address": port, "serial": order{"baud": 19200}}
		for k, v := range more {
			all[k] = v
		}
		return all
	}
	for name, c := range map[string]struct {
		more  order
		words string
	}{
		"no name":         {order{"name": " "}, "Give the instrument a name"},
		"no such profile": {order{"profile": "nothing"}, "There is no profile nothing"},
		"no such tag":     {order{"belongs": "XX-9"}, "no reference and no device XX-9"},
		"no address":      {order{"transport": "tcp", "address": "here"}, "write host:port"},
		"parity":          {order{"serial": order{"baud": 7}}, "7 baud"},
	} {
		status, text := lead.call("POST", "/api/instruments", body(c.more))
		assert.Equal(t, 422, status, name)
		assert.Contains(t, string(text), c.words, name)
	}
	assert.Equal(t, 403, idris.status("POST", "/api/instruments", body(nil)))
	require.Equal(t, 200, lead.status("POST", "/api/instruments", body(nil)))
	require.Equal(t, 200, lead.status("POST", "/api/instruments", body(nil)), "sent again it registers nothing twice")
	_, text := lead.call("POST", "/api/instruments", body(order{"id": "balance-two"}))
	assert.Contains(t, string(text), "two cannot speak on one line")
	_, text = lead.call("POST", "/api/instruments", body(order{"id": "balance-two", "address": "/dev/other"}))
	assert.Contains(t, string(text), "BL-1 is connected already, as “Balance”")

	var seen workshop.InstrumentDetail
	require.Eventually(t, func() bool {
		seen = get[workshop.InstrumentDetail](idris, "/api/instruments/balance-one")
		return seen.Link.State == instrument.Alive && seen.Channels[0].Value != nil && seen.Settings[0].Says == "8"
	}, 10*time.Second, 20*time.Millisecond)
	assert.Equal(t, "19200 baud, 8 bits, no parity, 1 stop bit, no flow control", seen.Line)
	assert.NotEmpty(t, seen.Certificate)
	for _, try := range []struct {
		what   order
		status int
		words  string
	}{
		{order{"act": "tare"}, 200, ""},
		{order{"setting": "averaging", "value": "16"}, 200, "16"},
		{order{"setting": "averaging", "value": "900"}, 409, "averaging is 1 to 64"},
		{order{"line": "WHO"}, 200, "NB-2201"},
		{order{"line": "CAL 200"}, 409, "never sent"},
		{order{}, 422, "Write a line"},
	} {
		status, text := idris.call("POST", "/api/instruments/balance-one/try", try.what)
		assert.Equal(t, try.status, status, string(text))
		assert.Contains(t, string(text), try.words)
	}
	console := fmt.Sprint(get[[]instrument.ConsoleLine](idris, "/api/instruments/balance-one/console"))
	assert.Contains(t, console, "AVG 16")
	assert.NotContains(t, console, "CAL 200")
	assert.Equal(t, 422, lead.status("POST", "/api/instruments/balance-one/retire", order{"why": ""}))
	require.Equal(t, 200, lead.status("POST", "/api/instruments/balance-one/retire", order{"why": "sold"}))
	seen = get[workshop.InstrumentDetail](idris, "/api/instruments/balance-one")
	assert.True(t, seen.Retired)
	assert.Nil(t, seen.Link)
	history := fmt.Sprint(get[[]workshop.HappenedView](lead, "/api/history/instrument/balance-one"))
	assert.Contains(t, history, "instrument registered")
	assert.Contains(t, history, "sold")
	kept, err := h.ledger.ProfileText(seen.Hash)
	require.NoError(t, err)
	assert.Contains(t, kept.Text, "id: serial-balance", "the text is part of the numbers that came through it")
}

func TestLabelsCarryThePublicAddress(t *testing.T) {
	h := newHouse(t)
	lead := h.signedIn("Tamsin Orrery")
	printed := func() int {
		status, pdf := lead.call("GET", "/api/labels.pdf?tag=MB-0417", nil)
		require.Equal(t, 200, status)
		return len(pdf)
	}
	tag := printed()
	for _, wrong := range []string{"needle.example", "ftp://needle.example", "http://", "https://needle.example/?a=1"} {
		status, text := lead.call("POST", "/api/house/address", order{"address": wrong})
		assert.Equal(t, 422, status, wrong)
		assert.Contains(t, string(text), "Write the whole address")
	}
	assert.Equal(t, 403, h.signedIn("Idris Vail").status("POST", "/api/house/address", order{"address": ""}))
	require.Equal(t, 200, lead.status("POST", "/api/house/address", order{"address": "https://needle.example:8360/"}))
	assert.Equal(t, "https://needle.example:8360", get[workshop.HouseView](lead, "/api/house").Address)
	assert.Greater(t, printed(), tag, "a longer code has more squares")
}

// A flow analyser does not serve a ventilator while its own preparation is open.
func TestWhatIsBeingPreparedServesNobody(t *testing.T) {
	h := newHouse(t)
	ctx, stop := context.WithCancel(context.Background())
	server, own, err := sim.ServeDialect(ctx, "flow-analyser", sim.World{}, capture.WallClock{Time: time.Now})
	require.NoError(t, err)
	t.Cleanup(func() { stop(); server.Wait() })
	require.Equal(t, 200, h.signedIn("Tamsin Orrery").status("POST", "/api/instruments", order{"id": "analyser-one",
		"name": "Flow analyser", "belongs": "FA-1", "profile": "flow-analyser", "transport": "tcp", "address": own}))
	idris := h.signedIn("Idris Vail")
	require.Eventually(t, func() bool {
		return get[workshop.InstrumentDetail](idris, "/api/instruments/analyser-one").Link.State == instrument.Alive
	}, 10*time.Second, 20*time.Millisecond)
	v := idris.openBy(firstOf(t, idris, "ventilator", 1), "ventilator-performance")
	v = idris.send(v, order{"kind": "bind", "role": "analyser", "standard": "FA-1"})
	spot := order{"measure": "alarms", "point": "disconnection"}
	require.Equal(t, 204, idris.status("POST", "/api/runs/"+v.ID+"/hold", spot))
	prepared := idris.open("FA-1")
	status, text := idris.call("POST", "/api/runs/"+v.ID+"/hold", spot)
	assert.Equal(t, 409, status)
	assert.Contains(t, string(text), "Flow analyser FA-1 is being worked on itself")
	idris.send(prepared, order{"kind": "abandon", "reason": "not today"})
	assert.Equal(t, 204, idris.status("POST", "/api/runs/"+v.ID+"/hold", spot))
}

// What was typed earlier than it could be sent keeps both times; a clock that cannot be right is not believed.
func TestAReadingThatWasTypedEarlier(t *testing.T) {
	h := newHouse(t)
	c := h.signedIn("Idris Vail")
	v := c.toMeasuring(c.open(firstOf(t, c, "capnograph", 6)))
	last := h.now
	h.now = h.now.Add(10 * time.Minute)
	for _, try := range []struct {
		given, kept time.Time
	}{
		{h.now.Add(-4 * time.Minute), h.now.Add(-4 * time.Minute)},
		{h.now.Add(-2 * time.Second), time.Time{}}, // as good as now
		{h.now.Add(time.Hour), time.Time{}},        // its clock is ahead
		{last.Add(-time.Hour), h.now},              // before the run's last event, which is the withdrawal before
	} {
		v = c.send(v, order{"kind": "capture", "measure": "co2", "point": "room-air", "typed": "0,04",
			"given_at": try.given})
		all := v.Measures[0].Points[0].Readings
		reading := all[len(all)-1]
		if try.kept.IsZero() || try.kept.Equal(h.now) {
			assert.Nil(t, reading.Given, try.given)
		} else {
			assert.WithinDuration(t, try.kept, *reading.Given, 0)
			assert.WithinDuration(t, h.now, reading.At, 0)
		}
		v = c.send(v, order{"kind": "withdraw", "reading": reading.ID, "reason": "again"})
	}
}

// The register goes out as a list, is changed there, and comes in again: as a whole or not at all.
func TestInstrumentsComeInAsAList(t *testing.T) {
	h := newHouse(t)
	lead := h.signedIn("Tamsin Orrery")
	_, text := lead.call("GET", "/api/lists/instruments?format=csv", nil)
	rows, err := csv.NewReader(bytes.NewReader(text)).ReadAll()
	require.NoError(t, err)
	require.Equal(t, []string{"name", "belongs", "profile", "transport", "address", "baud", "bits", "parity", "stop", "flow",
		"status", "why"}, rows[0])
	before := get[[]workshop.InstrumentView](lead, "/api/instruments")
	again := decoded[workshop.ImportView](t, second(lead.sent(t, "instruments", string(text))))
	assert.Equal(t, len(before), again.Rows, "unchanged, all of it can be taken")
	posted[workshop.ImportView](lead, "/api/imports/"+again.ID, order{"go": true})
	assert.Equal(t, before, get[[]workshop.InstrumentView](lead, "/api/instruments"), "and changes nothing")

	head := strings.Join(rows[0], ",") + "\n"
	for row, field := range map[string]string{
		"Balance,,no-such,tcp,127.0.0.1:9,,,,,,,":                         "profile",
		"Balance,NO-1,serial-balance,tcp,127.0.0.1:9,,,,,,,":              "belongs",
		"Balance,,serial-balance,usb,127.0.0.1:9,,,,,,,":                  "transport",
		"Balance,,serial-balance,serial,/dev/one,fast,,,,,,":              "baud",
		"Balance,,serial-balance,serial,/dev/one,9600,9,,,,,":             "address",
		"Balance,,serial-balance,tcp,127.0.0.1:9,,,,,,gone,":              "status",
		"Balance,,serial-balance,tcp,127.0.0.1:9,,,,,,retired,sold":       "status",
		"Balance,,serial-balance,tcp,127.0.0.1:9,,,,,,\nB,,x,tcp,":        "address",
		rows[1][0] + "," + rows[1][1] + ",serial-balance,tcp,127.0.0.1:9": "why",
	} {
		read := decoded[workshop.ImportView](t, second(lead.sent(t, "instruments", head+row+"\n")))
		require.NotEmpty(t, read.Refused, row)
		assert.Equal(t, field, read.Refused[0].Field, "%s: %s", row, read.Refused[0].Why)
	}

	take := func(list string) map[string]workshop.InstrumentView {
		read := decoded[workshop.ImportView](t, second(lead.sent(t, "instruments", head+list)))
		require.Zero(t, read.Count, "%+v", read.Refused)
		posted[workshop.ImportView](lead, "/api/imports/"+read.ID, order{"go": true})
		require.Equal(t, 403, h.signedIn("Idris Vail").status("POST", "/api/imports/"+read.ID, order{"go": true}))
		all := map[string]workshop.InstrumentView{}
		for _, i := range get[[]workshop.InstrumentView](lead, "/api/instruments") {
			all[i.Name] = i
		}
		return all
	}
	after := take("First balance,,serial-balance,tcp,127.0.0.1:8,,,,,,,\nSecond balance,,serial-balance,serial,/dev/two,4800,7,even,2,,,\n")
	assert.Equal(t, instrument.Serial{Baud: 4800, Bits: 7, Parity: "even", Stop: "2"}, after["Second balance"].Serial)
	assert.NotNil(t, after["Second balance"].Link, "it is being connected")
	after = take("First balance,,serial-balance,tcp,127.0.0.1:9,,,,,,,moved\nSecond balance,,serial-balance,serial,/dev/two,,,,,,retired,broken\n")
	assert.Equal(t, "127.0.0.1:9", after["First balance"].Address)
	assert.True(t, after["Second balance"].Retired)
	assert.Nil(t, after["Second balance"].Link)
}
