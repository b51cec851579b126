package sim_test

import (
	"fmt"
	"math"
	"slices"
	"testing"
	"time"

	"northneedle/core/reference"
	"northneedle/core/run"
	"northneedle/core/runview"
	"northneedle/core/uncertainty"
	"northneedle/internal/demo"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestAPumpIsWeighedByHand: W1, W2 and W3 are typed as read, the time of each stage is kept, and everything else is computed.
func TestAPumpIsWeighedByHand(t *testing.T) {
	p := shipped(t, "infusion-pump-flow")
	w := technician(hands{t: t})
	w.Until = "stages"
	balance := demo.Fitting(p.Roles[0], monday)
	balance.Values[0].Resolution = 1e-5 // kg: it shows 10 mg
	w.Standard = func(run.Run, reference.Role) reference.Standard { return balance }
	r, _, err := w.Work(p, opened(p))
	require.NoError(t, err)

	at, n := w.At, 0
	do := func(c run.Command) error {
		n++
		events, err := r.Decide(fmt.Sprintf("hand-%d", n), c, run.Order{At: at, By: w.Person})
		for _, e := range events {
			r = r.Apply(e)
		}
		return err
	}
	first, second := p.Measure("stages").Points[0].ID, p.Measure("stages").Points[1].ID
	start := func(point, typed, again string) error {
		return do(run.StartStage{Measure: "stages", Point: point, Typed: typed, Again: again})
	}
	stop := func(point string) error { return do(run.StopStage{Measure: "stages", Point: point}) }
	record := func(c run.CaptureReading) error {
		c.Reading, c.Measure = fmt.Sprintf("reading-%d", n), "stages"
		return do(c)
	}
	pass := func(seconds int) { at = at.Add(time.Duration(seconds) * time.Second) }

	require.ErrorContains(t, stop(first), "no stage is under way")
	require.ErrorContains(t, start(first, "about 12", ""), "Type what the instrument shows")
	require.NoError(t, start(first, "12,34", ""))
	require.ErrorContains(t, start(second, "12.34", ""), "Another stage is under way")
	pass(200)
	require.ErrorContains(t, start(first, "13.1", ""), "Say why it is started again")
	require.NoError(t, start(first, "13.10", "the cup was touched"))
	require.ErrorContains(t, record(run.CaptureReading{Point: first, Typed: "17.29"}), "Stop the time first")
	require.ErrorContains(t, record(run.CaptureReading{Point: first, Linked: true, Steady: true, Values: []float64{25}}), "is being read by hand")
	pass(600)
	require.NoError(t, stop(first))
	require.ErrorContains(t, stop(first), "stands already")
	require.ErrorContains(t, record(run.CaptureReading{Point: first, Typed: "12.90"}), "nothing was delivered")
	require.ErrorContains(t, record(run.CaptureReading{Point: first, Typed: "17.29", Lasted: "ten"}), "is no time")
	require.ErrorContains(t, record(run.CaptureReading{Point: first, Typed: "17.29", Lasted: "8:10"}), "is yours right?")
	require.ErrorContains(t, record(run.CaptureReading{Point: first, Typed: "17.29", Lasted: "8:10", Confirmed: true}), "lasted 8:10 of 10:00")
	require.ErrorContains(t, record(run.CaptureReading{Point: first, Typed: "53.9"}), "24.48 would fit", "a decimal mark that slipped")
	require.NoError(t, record(run.CaptureReading{Point: first, Typed: "17.29", Lasted: "10:02"}))

	reading := r.Readings[len(r.Readings)-1]
	assert.InDelta(t, (17.29-13.10)/602*3600, reading.Values[0], 1e-9)
	assert.Equal(t, "13.100 to 17.290 g in 10:02", reading.Detail)
	before, ok := r.StageBefore(p.Measure("stages"), 0)
	assert.True(t, ok && before == 17.29, "what was read after the first is offered before the second")

	v, err := r.Judge(p.Measure("stages"), p.Measure("stages").Point(first), 0)
	require.NoError(t, err)
	per := v.Indicated / (reading.Values[0] + 0.02)
	assert.InDelta(t, 1.0033, per, 0.0003, "water at 22 °C, weighed in air")
	assert.InDelta(t, v.Indicated-25, v.Error, 1e-9, "over-delivery is positive")
	assert.InDelta(t, 1.25, *v.High, 1e-9, "5 % of what was set")
	hours, line := 602.0/3600, balance.Values[0]
	squares := 0.0
	for _, u := range []float64{line.U / line.K * 1000 * math.Sqrt2 / hours, 0.01 / hours / math.Sqrt(6),
		reading.Values[0] / 602 / math.Sqrt(3), 0.01 / math.Sqrt(3), 0.005 / math.Sqrt(3)} {
		squares += u * u * per * per
	}
	water := v.Budget.Lines[slices.IndexFunc(v.Budget.Lines, func(l uncertainty.Line) bool { return l.Name == "Water temperature, within 1 K" })]
	squares += water.Contribution * water.Contribution
	assert.InDelta(t, 2*math.Sqrt(squares), v.U, 1e-6, "balance twice, its step twice, stopwatch, evaporation, display, water")

	require.NoError(t, start(second, "17.29", ""))
	pass(180)
	require.NoError(t, do(run.OmitPoint{Measure: "stages", Point: second, Reason: "no time"}))
	assert.Empty(t, r.Stages, "leaving a point out ends what reads it")
	require.NoError(t, start(second, "17.29", ""))
	pass(180)
	require.NoError(t, stop(second))
	require.NoError(t, record(run.CaptureReading{Point: second, Typed: "37.35"}))
	assert.Contains(t, runview.Of(r, at).Remarks, "Stage, 1, 25 mL/h for 10 min (as found): the stage was started again at "+
		r.Restarts[0].At.Format("15:04")+": the cup was touched.")

	// A flow below 5 mL/h wants a finer balance than one of 10 mg.
	require.NoError(t, do(run.ClosePhase{Finding: "set-factor"}))
	require.NoError(t, do(run.DecideFinding{Finding: "set-factor", Decision: "leave"}))
	assert.ErrorContains(t, do(run.AddPoint{Measure: "flow", Label: "1 mL/h", At: "1"}),
		"a balance that shows 1 mg or finer is needed: this one shows 10 mg")
	m := r.Procedure.Measure("flow")
	ten, err := r.Expect(m, &m.Points[0])
	require.NoError(t, err)
	assert.Empty(t, ten.Longer, "without drops the balance is good enough")
}
