package capture_test

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"testing"
	"time"

	"northneedle/core/procedure"
	"northneedle/core/reference"
	"northneedle/core/run"
	"northneedle/internal/capture"
	"northneedle/internal/definition"
	"northneedle/internal/demo"
	"northneedle/internal/instrument"
	"northneedle/internal/sim"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A whole run of a pump is weighed with a plain balance on a serial line, here a pseudo-terminal. The balance knows
// nothing of the pump, whose rate is set by hand; what it does not measure is typed.
func TestAPumpIsWeighedByABalanceOnASerialLine(t *testing.T) {
	if testing.Short() {
		t.Skip("it weighs for an hour, a hundred times as fast")
	}
	t.Parallel()
	const fast = 100 // times as fast: so the balance is asked as much more often
	clock := capture.Faster(fast)
	ctx, stop := context.WithCancel(context.Background())
	server, own, err := sim.ServeDialect(ctx, "balance", sim.World{}, clock)
	require.NoError(t, err)
	t.Cleanup(func() { stop(); server.Wait() })
	port, err := server.Terminal(ctx, sim.SerialBalance)
	require.NoError(t, err)
	text := strings.Replace(profile(t, "serial-balance").Text, "every: 200 ms", "every: 5 ms", 1)
	faster, err := definition.ReadProfile("faster.yaml", []byte(text))
	require.NoError(t, err)
	d := capture.NewDriver(clock)
	link := d.Connect(ctx, capture.Connection{ID: "balance", Name: "Balance", Belongs: "BL-1", Profile: faster,
		Address: instrument.Address{Transport: instrument.SerialPort, Where: port}}, instrument.DefaultTiming)
	t.Cleanup(link.Close)
	hand := instrument.Dial(ctx, "The pump", instrument.Address{Transport: instrument.TCP, Where: own},
		profile(t, "balance"), instrument.DefaultTiming, clock.Now)
	t.Cleanup(hand.Close)
	require.Eventually(t, func() bool {
		return d.Links()[0].State == instrument.Alive && hand.Status().State == instrument.Alive
	}, 10*time.Second, 10*time.Millisecond)

	typed := 0
	read := func(r run.Run, m *procedure.Measure, p *procedure.Point) (run.CaptureReading, error) {
		watch, err := d.Set(ctx, r, m.ID, p.ID, capture.Hand{Person: idris})
		var refused *run.Refusal
		if errors.As(err, &refused) && refused.Code == "no-instrument" {
			typed++
			e, err := r.Expect(m, p)
			return run.CaptureReading{Measure: m.ID, Point: p.ID, Typed: fmt.Sprint(e.Reference), Confirmed: true}, err
		}
		if err != nil {
			return run.CaptureReading{}, err
		}
		byHand := watch.Look().ByHand
		require.NotEmpty(t, byHand, "the rate is for the hand")
		for _, setting := range byHand {
			require.NoError(t, hand.Tell(ctx, "SOURce:"+strings.ToUpper(setting)))
		}
		return d.Steady(ctx, watch, capture.Pace{Beat: 3 * time.Second, Stand: 5 * time.Second, Away: 10 * time.Minute,
			Patience: 2 * time.Hour}, nil)
	}
	all, err := definition.Shipped()
	require.NoError(t, err)
	for _, p := range all {
		if p.Family != "infusion-pump" {
			continue
		}
		at := time.Now().Add(-4 * time.Hour)
		w := &sim.Technician{Person: idris, Reviewer: noor, At: at, Truth: exact{}, Capture: read,
			Room: [3]string{"21", "1008", "46"}, Plate: map[string]string{"water_temperature": "22", "evaporation": "0.02"},
			Standard: func(_ run.Run, role reference.Role) reference.Standard {
				s := demo.Fitting(role, at)
				s.Tag = "BL-1"
				return s
			}}
		r, _, err := w.Work(p, run.RunOpened{Procedure: p.ID, Hash: p.Hash, Lab: demo.Lab(),
			Device: run.Device{ID: "d", Tag: "IP-1", Family: p.Family}})
		require.NoError(t, err)
		linked := 0
		for _, reading := range r.Readings {
			if reading.Origin == nil {
				continue
			}
			linked++
			assert.Equal(t, "serial:"+port, reading.Origin.Link)
			assert.Equal(t, "BL-1", reading.Origin.Tag)
			assert.Equal(t, faster.Hash, reading.Origin.Profile)
			assert.Equal(t, "8", reading.Origin.Settings["averaging"], "as the balance itself reports")
		}
		assert.Greater(t, linked, 5)
		assert.Positive(t, typed)
		flow, point := r.Procedure.Measure("flow"), r.Procedure.Measure("flow").Points[1]
		verdict, err := r.Judge(flow, &point, 0)
		require.NoError(t, err)
		require.NotNil(t, verdict)
		assert.InEpsilon(t, verdict.Reference, verdict.Indicated, 0.06, "the pump delivers nearly what is set")
	}
}
