package capture_test

import (
	"context"
	"fmt"
	"strings"
	"testing"
	"time"

	"northneedle/core/person"
	"northneedle/core/procedure"
	"northneedle/core/run"
	"northneedle/core/signal"
	"northneedle/internal/capture"
	"northneedle/internal/definition"
	"northneedle/internal/demo"
	"northneedle/internal/instrument"
	"northneedle/internal/sim"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

var monday = time.Date(2026, 3, 2, 9, 0, 0, 0, time.UTC)

// connected is a bench with one simulated instrument, linked.
func connected(t *testing.T, kind string) *capture.Driver {
	t.Helper()
	return linked(t, capture.Faster(speed), kind)
}

// linked is a bench with one simulated instrument that goes by a clock, by the profile of an id. It belongs to nobody.
func linked(t *testing.T, clock capture.WallClock, kind string) *capture.Driver {
	t.Helper()
	ctx, cancel := context.WithCancel(context.Background())
	server, _, err := sim.ServeDialect(ctx, profile(t, kind).Kind, demo.World(), clock)
	require.NoError(t, err)
	d := capture.NewDriver(clock)
	link := d.Connect(ctx, capture.Connection{ID: kind, Name: "The " + kind, Address: instrument.Address{
		Transport: instrument.TCP, Where: server.Address()}, Profile: profile(t, kind)}, instrument.Timing{
		Silence: 300 * time.Millisecond, Retry: 50 * time.Millisecond, Answer: time.Second, Readback: 100 * time.Millisecond})
	t.Cleanup(func() { link.Close(); cancel(); server.Wait() })
	require.Eventually(t, func() bool { return d.Links()[0].State == instrument.Alive }, 10*time.Second,
		5*time.Millisecond)
	return d
}

// profile is one of those that ship.
func profile(t *testing.T, id string) *instrument.Profile {
	t.Helper()
	all, err := definition.Profiles("")
	require.NoError(t, err)
	p := instrument.Find(all, id)
	require.NotNil(t, p, id)
	return p
}

// speed is how many seconds of the simulated instruments pass in one.
const speed = 10

// begun is a run of a family with its standards bound.
func begun(t *testing.T, family string) run.Run {
	t.Helper()
	all, err := definition.Shipped()
	require.NoError(t, err)
	for _, p := range all {
		if p.Family != family || p.Maintains {
			continue
		}
		r := run.NewRun(p)
		r.ID = "run"
		carry := func(c run.Command) {
			events, err := r.Decide("c", c, run.Order{At: monday,
				By: person.Person{ID: "idris", Role: person.Technician}})
			require.NoError(t, err)
			for _, e := range events {
				r = r.Apply(e)
			}
		}
		carry(run.OpenRun{RunOpened: run.RunOpened{Procedure: p.ID, Device: run.Device{Tag: "TEST-1", Family: family},
			Lab: demo.Lab()}})
		for _, role := range p.Roles {
			carry(run.BindStandard{Role: role.ID, Standard: demo.Fitting(role, monday)})
		}
		return r
	}
	require.FailNow(t, "no procedure")
	return run.Run{}
}

var (
	idris = person.Person{ID: "idris", Name: "Idris Vail", Role: person.Technician}
	noor  = person.Person{ID: "noor", Name: "Noor Bexley", Role: person.Technician}
)

func TestAPointIsSetReadAndTaken(t *testing.T) {
	b, r := connected(t, "co-bench"), begun(t, "breath-monitor")
	ctx := context.Background()
	watch, err := b.Set(ctx, r, "co", "gas", capture.Hand{Person: idris})
	require.NoError(t, err)
	require.Eventually(t, func() bool { return watch.Look().Steady }, 40*time.Second, 50*time.Millisecond)
	frame := watch.Look()
	require.NotNil(t, frame.Value)
	assert.InDelta(t, 49.6, *frame.Value, 4)
	c := run.CaptureReading{Measure: "co", Point: "gas"}
	require.NoError(t, b.Take(ctx, r.ID, frame.ID, idris.ID, &c))
	assert.True(t, c.Steady)
	require.Len(t, c.Values, 1)
	assert.Equal(t, *frame.Value, c.Values[0], "what was on the screen, whatever has come since")
	assert.LessOrEqual(t, len(c.Trace), 801)
	assert.NotEmpty(t, c.Trace)
	assert.Equal(t, frame.At, c.Origin.At)
	assert.Equal(t, "co-bench", c.Origin.Kind)
	assert.Equal(t, "TEST-1", c.Origin.Settings["device"], "as the instrument itself reports")
	assert.Equal(t, "Idris Vail", c.Origin.Holder)
	assert.Equal(t, profile(t, "co-bench").Hash, c.Origin.Profile)
	assert.True(t, c.Origin.Simulated)

	// Another point's frame, another person's, or none at all, is not taken.
	for name, err := range map[string]error{
		"another point":  b.Take(ctx, r.ID, frame.ID, idris.ID, &run.CaptureReading{Measure: "air", Point: "clean-air"}),
		"another person": b.Take(ctx, r.ID, frame.ID, noor.ID, &run.CaptureReading{Measure: "co", Point: "gas"}),
		"another run":    b.Take(ctx, "other", frame.ID, idris.ID, &run.CaptureReading{Measure: "co", Point: "gas"}),
		"no frame":       b.Take(ctx, r.ID, "01", idris.ID, &run.CaptureReading{Measure: "co", Point: "gas"}),
	} {
		assert.ErrorContains(t, err, "look again", name)
	}

	// The same point again goes on with its trace; another begins anew.
	again, err := b.Set(ctx, r, "co", "gas", capture.Hand{Person: idris})
	require.NoError(t, err)
	assert.NotEmpty(t, again.Look().Traces[0].Samples)
	air, err := b.Set(ctx, r, "air", "clean-air", capture.Hand{Person: idris})
	require.NoError(t, err)
	assert.False(t, air.Look().Steady, "what came before says nothing about it")
	assert.ErrorContains(t, b.Take(ctx, r.ID, frame.ID, idris.ID, &run.CaptureReading{Measure: "co", Point: "gas"}),
		"this point needs", "the instrument is set otherwise by now")
}

func TestLookingNeverSetsAndAnInstrumentHasOneHolder(t *testing.T) {
	b, r := connected(t, "co-bench"), begun(t, "breath-monitor")
	ctx := context.Background()
	looks, err := b.Watch(r, "co", "gas", idris.ID)
	require.NoError(t, err)
	assert.True(t, looks.Look().Unset)
	assert.Equal(t, "AIR", says(b, "gas"), "looking sets nothing")
	watch, err := b.Set(ctx, r, "co", "gas", capture.Hand{Person: idris})
	require.NoError(t, err)
	require.Eventually(t, func() bool { return !looks.Look().Unset }, 5*time.Second, 10*time.Millisecond)

	other := begun(t, "breath-monitor")
	other.ID, other.Device.Tag = "run-2", "TEST-2"
	_, err = b.Set(ctx, other, "air", "clean-air", capture.Hand{Person: noor})
	var held *capture.Held
	require.ErrorAs(t, err, &held)
	assert.ErrorContains(t, err, "held by Idris Vail for TEST-1")
	_, err = b.Set(ctx, other, "air", "clean-air", capture.Hand{Person: idris})
	require.ErrorAs(t, err, &held, "one run at a time, also of one person")
	assert.Equal(t, "TEST-1", says(b, "device"))
	seen, err := b.Watch(other, "air", "clean-air", noor.ID)
	require.NoError(t, err)
	frame := seen.Look()
	require.NotNil(t, frame.Held)
	assert.Empty(t, frame.Traces, "what it sends is of another device")
	assert.Nil(t, frame.Value)

	// Taken over deliberately: the first is told, and reads nothing more.
	_, err = b.Set(ctx, other, "air", "clean-air", capture.Hand{Person: noor, TakeOver: true})
	require.NoError(t, err)
	frame = watch.Look()
	require.NotNil(t, frame.Held)
	assert.Equal(t, "Noor Bexley", frame.Held.Name)
	assert.Empty(t, frame.ID)
	_, err = b.Steady(ctx, watch, capture.LivePace, nil)
	assert.ErrorContains(t, err, "Noor Bexley took the instrument over for TEST-2")
	b.Release(other.ID, noor.ID)
	_, err = b.Set(ctx, r, "co", "gas", capture.Hand{Person: idris})
	require.NoError(t, err, "let go of, it is free")
}

// says is what the only instrument reports of a setting.
func says(b *capture.Driver, setting string) string {
	i := b.Instruments()[0]
	if i.ReadBack(context.Background()) != nil {
		return "no answer"
	}
	return i.Reported()[setting].Value
}

func TestAnInstrumentTurnedByHandIsNotRead(t *testing.T) {
	b, r := connected(t, "co-bench"), begun(t, "breath-monitor")
	ctx := context.Background()
	watch, err := b.Set(ctx, r, "co", "gas", capture.Hand{Person: idris})
	require.NoError(t, err)
	require.Eventually(t, func() bool { return watch.Look().Steady }, 40*time.Second, 50*time.Millisecond)
	frame := watch.Look()
	require.NoError(t, b.Instruments()[0].Tell(ctx, "SOURce:GAS AIR")) // at its own panel
	c := run.CaptureReading{Measure: "co", Point: "gas"}
	assert.ErrorContains(t, b.Take(ctx, r.ID, frame.ID, idris.ID, &c), "says that gas is AIR; this point needs")
	assert.Empty(t, c.Values)
	frame = watch.Look()
	assert.False(t, frame.Steady)
	assert.Contains(t, frame.Why, "says that gas is AIR")
	assert.Empty(t, frame.ID, "nothing can be taken from it")
}

func TestALostLinkGivesNoReading(t *testing.T) {
	b, r := connected(t, "co-bench"), begun(t, "breath-monitor")
	ctx := context.Background()
	watch, err := b.Set(ctx, r, "co", "gas", capture.Hand{Person: idris})
	require.NoError(t, err)
	require.NoError(t, b.Simulate(ctx, "co-bench", "SIMulate:LINK GARBAGE,2"))
	require.Eventually(t, func() bool { return watch.Look().Status.State == instrument.Garbled }, 5*time.Second,
		10*time.Millisecond)
	frame := watch.Look()
	assert.Contains(t, frame.Why, "typed", "the way out is named")
	assert.Empty(t, frame.ID)
	assert.False(t, frame.Steady)
}

func TestWhatTheBenchCannotRead(t *testing.T) {
	b, r := connected(t, "co-bench"), begun(t, "breath-monitor")
	ctx := context.Background()
	_, err := b.Set(ctx, r, "nothing", "gas", capture.Hand{})
	assert.Error(t, err)
	_, err = b.Set(ctx, begun(t, "spirometer"), "volume", "slow-injected", capture.Hand{})
	assert.ErrorContains(t, err, "type what it shows")
	assert.ErrorContains(t, b.Simulate(ctx, "syringe-bench", "SIMulate:FAULt BANG,ON"), "no simulated instrument")
	assert.ErrorContains(t, b.Simulate(ctx, "co-bench", "SOURce:GAS AIR"), "no simulated instrument", "only SIMulate lines")
}

// What an instrument says of its own menu is held against what the run recorded of it: nothing is read until both agree, and
// the reading carries it.
func TestAnInstrumentThatTellsItsMenuIsHeldAgainstTheRecord(t *testing.T) {
	b, r := connected(t, "flow-analyser-menu"), begun(t, "ventilator")
	ctx := context.Background()
	r.Choices = map[string]string{"analyser_condition": "BTPS", "ventilator_condition": "BTPS", "flowing": "air", "mixture_set": "air"}
	r.Plate = map[string]float64{"small_volume": 20}
	r.Ambient = procedure.Ambient{TemperatureC: 21, PressureHPa: 1010, HumidityPercent: 50, Recorded: true}
	require.NoError(t, b.Simulate(ctx, "flow-analyser-menu", "SIMulate:FAULt CONDITION,ON"))
	watch, err := b.Set(ctx, r, "vt", "500-ml", capture.Hand{Person: idris})
	require.NoError(t, err)
	says := func(words string) func() bool {
		return func() bool {
			frame := watch.Look()
			return strings.Contains(frame.Why, words) && frame.ID == ""
		}
	}
	require.Eventually(t, says("says that condition is STPD; this point needs BTPS, as was recorded"), 10*time.Second, 20*time.Millisecond)
	require.NoError(t, b.Simulate(ctx, "flow-analyser-menu", "SIMulate:FAULt CONDITION,OFF"))
	require.NoError(t, b.Simulate(ctx, "flow-analyser-menu", "SIMulate:FAULt MIXTURE,ON"))
	require.Eventually(t, says("says that mixture is O2; this point needs air"), 10*time.Second, 20*time.Millisecond)
	require.NoError(t, b.Simulate(ctx, "flow-analyser-menu", "SIMulate:FAULt MIXTURE,OFF"))
	require.Eventually(t, func() bool { return watch.Look().Steady }, 40*time.Second, 50*time.Millisecond)
	c := run.CaptureReading{Measure: "vt", Point: "500-ml"}
	require.NoError(t, b.Take(ctx, r.ID, watch.Look().ID, idris.ID, &c))
	assert.Equal(t, "BTPS", c.Origin.Settings["condition"])
	assert.Equal(t, "AIR", c.Origin.Settings["mixture"])
}

// The role that a procedure names is filled by a reference, and that reference's own link is read; another's never.
func TestARolesReferenceIsReadByItsOwnLink(t *testing.T) {
	b, r := connected(t, "balance"), begun(t, "infusion-pump")
	m := r.Procedure.Measure("flow")
	i := b.Instruments()[0]
	own := r.Bound[m.Capture.Role].Standard.Tag
	find := func(belongs ...string) (string, error) {
		b.Remove("balance")
		for n, tag := range belongs {
			i.ID, i.Belongs = fmt.Sprint("balance-", n), tag
			b.Add(i)
			defer b.Remove(i.ID)
		}
		found, err := b.For(r, m)
		return found.Belongs, err
	}
	found, err := find("", own, "BL-OTHER")
	require.NoError(t, err)
	assert.Equal(t, own, found)
	found, err = find("BL-OTHER", "")
	require.NoError(t, err)
	assert.Empty(t, found, "the one that belongs to nobody serves")
	_, err = find("BL-OTHER")
	assert.ErrorContains(t, err, own+" is not connected")
	_, err = find("", "")
	assert.ErrorContains(t, err, "say of one that it belongs to "+own)
	_, err = find(own, own)
	assert.ErrorContains(t, err, "two links")
}

// What starts the measured thing is set last, and the trace begins just before it: a recovery begins at the temperature
// from before the lid was opened, however long the instrument takes to be set and read back.
func TestATraceBeginsBeforeWhatStartsIt(t *testing.T) {
	b, r := linked(t, capture.Faster(60), "chamber-probe"), begun(t, "warm-chamber")
	r.Moved = "Probe into zone 1, upper"
	ctx := context.Background()
	require.NoError(t, b.Simulate(ctx, "chamber-probe", "SIMulate:LAG 1"))
	warm, err := b.Set(ctx, r, "stability", "zone-1", capture.Hand{Person: idris})
	require.NoError(t, err)
	_, err = b.Steady(ctx, warm, capture.LivePace, nil)
	require.NoError(t, err)
	before, _ := b.Instruments()[0].Samples("TEMP", 0)
	opened, err := b.Set(ctx, r, "recovery", "after-opening", capture.Hand{Person: idris})
	require.NoError(t, err)
	trace := func() []signal.Sample { all, _ := b.Instruments()[0].Samples("TEMP", 0); return all }
	require.Eventually(t, func() bool { return len(trace()) > 60 }, 10*time.Second, 10*time.Millisecond)
	assert.InDelta(t, before[len(before)-1].V, trace()[0].V, 0.1, "where it was before")
	c, err := b.Steady(ctx, opened, capture.LivePace, nil)
	require.NoError(t, err)
	assert.Less(t, c.Values[0], 300.0, "it came back")
	assert.Greater(t, c.Values[0], 3.0)
}
