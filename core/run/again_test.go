package run_test

import (
	"strings"
	"testing"
	"time"

	"northneedle/core/adjust"
	"northneedle/core/procedure"
	"northneedle/core/reference"
	"northneedle/core/run"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// other is another mixture, whose value is not that of the first.
func other() reference.Standard {
	s := mixture()
	s.ID, s.Tag = "s2", "HG-23"
	s.Values = []reference.Certified{{Quantity: "CO2", Value: 4.6, Unit: "%{vol}", U: 0.05, K: 2}}
	return s
}

// A reference that is exchanged counts from there on: what was read keeps the one that it was read with, also when one of
// them is found out later.
func TestAReferenceIsExchangedFromHereOn(t *testing.T) {
	b := open(t, small()).prepared()
	b.do(b.read("zero", "0.04"))
	b.do(b.read("gas", "5.00"))
	b.refused(run.BindStandard{Role: "mixture", Standard: other()}, "role-in-use", "what was read keeps HG-22")
	b.refused(run.BindStandard{Role: "mixture", Standard: mixture(), Exchange: "empty"}, "same-standard", "already")
	b.do(run.BindStandard{Role: "mixture", Standard: other(), Exchange: "it ran empty"})
	m := b.run.Procedure.Measure("response")
	before, err := b.run.Judge(m, m.Point("gas"), 0)
	require.NoError(t, err)
	assert.InDelta(t, 0, before.Error, 1e-9, "it was read with 5 %")
	b.do(run.ClosePhase{Finding: "verdict"}, run.DecideFinding{Finding: "verdict", Decision: adjust.Adjust, Reason: "as told"},
		run.MakeAdjustment{Finding: "verdict", Control: "span", Steps: 1})
	b.do(b.read("zero", "0.04"))
	b.do(b.read("gas", "4.63"))
	after, err := b.run.Judge(m, m.Point("gas"), 1)
	require.NoError(t, err)
	assert.InDelta(t, 0.03, after.Error, 1e-9, "and this with 4.6 %")
	v := b.view()
	require.Len(t, v.Roles[0].Earlier, 1)
	assert.Equal(t, []string{"Response gas (as found)"}, v.Roles[0].Earlier[0].Points)
	assert.Contains(t, strings.Join(v.Remarks, "\n"), "exchanged for HG-23")

	again, err := b.run.Reassess(reference.ReferenceError{Standard: "s1", Quantity: "CO2", Error: -0.2, U: 0.02, Unit: "%{vol}", Remove: true})
	require.NoError(t, err)
	require.Len(t, again, 1, "only what was read with it")
	assert.Equal(t, run.AsFound, again[0].Phase)
}

// In the middle of a point nothing is exchanged: its readings would be of two references.
func TestAPointIsOfOneReference(t *testing.T) {
	d := small()
	d.Steps[4].(*procedure.Measure).Repeats = 2
	b := open(t, d).prepared()
	exchange := run.BindStandard{Role: "mixture", Standard: other(), Exchange: "it ran empty"}
	b.do(b.read("zero", "0.04"), b.read("zero", "0.05"), b.read("gas", "5.00"))
	b.refused(exchange, "half-read", "gas is half read with HG-22: finish it, or withdraw its readings")
	last := b.run.Readings[len(b.run.Readings)-1].Reading
	b.do(run.WithdrawReading{Reading: last, Reason: "the cylinder ran empty within it"}, exchange)
	b.do(b.read("gas", "4.60"), b.read("gas", "4.62"))
	m := b.run.Procedure.Measure("response")
	v, err := b.run.Judge(m, m.Point("gas"), 0)
	require.NoError(t, err)
	assert.InDelta(t, 4.6, v.Reference, 1e-9, "both are of the one that was read with")
	assert.InDelta(t, 0.01, v.Error, 1e-9)
}

// What does not come is no error of so much: it does not conform, whatever was read meanwhile, and is said in words.
func TestWhatDoesNotComeIsNoError(t *testing.T) {
	d := small()
	d.Steps[4].(*procedure.Measure).Absent = "no alarm within 30 s"
	b := open(t, d).prepared()
	none := run.CaptureReading{Reading: "reading-none", Measure: "response", Point: "zero", Absent: true}
	b.do(none)
	b.do(b.read("gas", "5.00"))
	m := b.run.Procedure.Measure("response")
	v, err := b.run.Judge(m, m.Point("zero"), 0)
	require.NoError(t, err)
	assert.Equal(t, "no alarm within 30 s", v.Absent)
	assert.False(t, v.Pass || v.Gross || v.Zone.Within())
	assert.Equal(t, "Outside: no alarm within 30 s.", b.view().Measures[0].Points[0].Found.Sentence)
	b.do(run.ClosePhase{Finding: "verdict"})
	require.Len(t, b.run.FoundOut(), 1)
	assert.Equal(t, "Response zero: no alarm within 30 s", b.run.FoundOut()[0].Words())

	waits := open(t, small()).prepared()
	waits.refused(none, "reading-needed", "waits for nothing")
}

// A pattern can see what no single point shows: then the finding does not conform, is looked into, and is found out.
func TestAFindingFailsAlthoughNoPointIsOutside(t *testing.T) {
	d := small()
	m := d.Steps[4].(*procedure.Measure)
	m.Points[0].With = map[string]float64{"dial": 70, "level": 3}
	m.Points[1].With = map[string]float64{"dial": 60} // shown is 5 more than at 70, and should be 10 less
	d.Steps[5].(*procedure.Finding).PatternName = "attenuator"
	b := open(t, d).prepared()
	b.do(b.read("zero", "0.04"), b.read("gas", "5.00"), run.ClosePhase{Finding: "verdict"})
	f := b.run.Procedure.Findings()[0]
	advice, err := b.run.Advise(f)
	require.NoError(t, err)
	assert.Equal(t, adjust.Investigate, advice.Decision)
	assert.Contains(t, advice.Why, "add up")
	require.Len(t, b.run.FoundOut(), 1)
	assert.Equal(t, "Verdict: at 60 dB the level is +15.0 dB off the dial, more than 3 dB", b.run.FoundOut()[0].Words())
	assert.Contains(t, b.view().AsFound(), "inside at all of 2 points. Verdict outside: at 60 dB")
	b.do(run.DecideFinding{Finding: "verdict", Decision: adjust.Leave, Reason: "it is good enough"},
		run.DoStep{Step: "close-the-gas"}, run.AnswerCheck{Step: "menu-left", Answer: run.Fine})
	assert.Equal(t, run.Fails, b.view().Result, "against the advice, and still not conforming")
}

// A point of the technician's own is judged as the others are, and what was read already stays.
func TestAPointOfOnesOwn(t *testing.T) {
	b := open(t, small()).prepared()
	b.do(b.read("zero", "0.04"))
	b.refused(run.AddPoint{Measure: "response", At: "gas", U: "0.02"}, "at", "")
	b.refused(run.AddPoint{Measure: "response", At: "2,5"}, "u", "no standard of this measure realises the point")
	b.refused(run.AddPoint{Measure: "response"}, "at", "at which value")
	b.do(run.AddPoint{Measure: "response", At: "2,5", U: "0,02"})
	p := b.run.Procedure.Measure("response").Point("own-1")
	require.NotNil(t, p)
	assert.Equal(t, "2.5 vol%", p.Label)
	assert.Equal(t, 2, len(compiled(t, small()).Measure("response").Points), "the procedure itself is as it was")
	b.do(b.read("gas", "5.00"))
	b.refused(run.ClosePhase{Finding: "verdict"}, "incomplete", "2.5 vol%")
	b.do(b.read("own-1", "3.40"))
	b.do(run.ClosePhase{Finding: "verdict"})
	require.Len(t, b.run.FoundOut(), 1)
	assert.InDelta(t, 0.9, b.run.FoundOut()[0].Error, 1e-9)
	b.refused(run.AddPoint{Measure: "response", At: "3", U: "0.02"}, "closed", "closed")
}

// The room is read from an instrument with a certificate, is held against the height of its site, and is corrected with a
// reason once readings rest on it.
func TestTheRoomIsOfItsPlace(t *testing.T) {
	height := 1240.0
	b := open(t, small(), func(o *run.RunOpened) { o.Device.Height, o.Device.Site = &height, "Ardrennish Ridge" })
	instrument := reference.Standard{ID: "rc", Tag: "RC-01", Kind: "room-conditions", Status: reference.Usable,
		Certificate: reference.Certificate{Number: "K-9", On: start.AddDate(0, -1, 0), DueOn: start.AddDate(0, 6, 0)},
		Values:      []reference.Certified{{Quantity: "pressure", From: 500, To: 1100, Unit: "hPa", U: 1.2, K: 2}}}
	room := run.RecordAmbient{Step: "room", Temperature: "21", Pressure: "1008", Humidity: "46", Source: "RC-01", Instrument: &instrument}
	b.refused(room, "height", "about 873 hPa is usual; 1008 hPa was typed")
	room.Pressure = "871"
	expired := instrument
	expired.Certificate.DueOn = start.AddDate(0, 0, -2)
	unfit := room
	unfit.Instrument = &expired
	b.refused(unfit, "unfit-standard", "RC-01 cannot be used")
	b.do(run.BindStandard{Role: "mixture", Standard: mixture()}, run.AnswerCheck{Step: "cautions", Answer: run.Fine},
		run.AnswerCheck{Step: "casing", Answer: run.Fine}, run.StartWait{Step: "warm-up"}, room)
	assert.Equal(t, procedure.Ambient{TemperatureC: 21, PressureHPa: 871, HumidityPercent: 46, UPressureHPa: 1.2, Source: "RC-01", Recorded: true,
		Instrument: "RC-01", Certificate: "certificate K-9, valid until " + start.AddDate(0, 6, 0).Format(time.DateOnly)}, b.run.Ambient)
	b.now = b.now.Add(5 * time.Minute)
	b.do(run.DoStep{Step: "open-the-gas"}, b.read("zero", "0.04"))
	room.Pressure = "869"
	b.refused(room, "room-changed", "Say why it is corrected")
	room.Reason = "the other barometer was read"
	b.do(room)
	assert.Contains(t, strings.Join(b.view().Remarks, "\n"), "before: 21.0 °C · 871 hPa · 46 %): the other barometer was read")
	room.Pressure, room.Confirmed = "1008", true
	b.do(room)
}

// Points that are set together are read together: one setting, two readings. The one that is set already comes before the
// next that is not, and may be read before its own step is due; another may not.
func TestPointsSetTogetherAreReadTogether(t *testing.T) {
	d := small()
	drive := func(n string) map[string]string { return map[string]string{"level": n} }
	m := d.Steps[4].(*procedure.Measure)
	m.Points = []procedure.Point{{ID: "a", Label: "a", At: "1", U: 0.02, Drive: drive("1")}, {ID: "b", Label: "b", At: "3", U: 0.02, Drive: drive("2")}}
	other := *m
	other.Measure, other.Pair = "flow", "response"
	other.Points = []procedure.Point{{ID: "x", Label: "x", At: "2", U: 0.02, Drive: drive("1")}, {ID: "y", Label: "y", At: "4", U: 0.02, Drive: drive("9")}}
	d.Steps = append(d.Steps[:5:5], append(procedure.Steps{&other}, d.Steps[5:]...)...)
	d.Steps[6].(*procedure.Finding).Judges = []string{"response", "flow"}
	b := open(t, d).prepared()
	next := func() string {
		m, p := b.run.NextPoint(b.now)
		return m.ID + " " + p.ID
	}
	read := func(measure, point, typed string) run.CaptureReading {
		c := b.read(point, typed)
		c.Measure = measure
		return c
	}
	assert.Equal(t, "response a", next())
	b.do(read("response", "a", "1.00"))
	assert.Equal(t, "flow x", next(), "it is set already")
	b.refused(read("flow", "y", "4.00"), "out-of-order", "Response comes before")
	b.do(read("flow", "x", "2.00"))
	assert.Equal(t, "response b", next())
	b.do(read("response", "b", "3.00"))
	assert.Equal(t, "flow y", next())
}
