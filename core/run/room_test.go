package run_test

import (
	"testing"

	"northneedle/core/run"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestRoomConditionsInTheUnitsOfTheRoomsInstruments(t *testing.T) {
	ready := func(units run.RoomUnits) *bench {
		b := open(t, small())
		opened := b.events[0].Fact.(run.RunOpened)
		opened.Lab.Room = units
		b.events[0].Fact = opened
		b.run = run.Fold(compiled(t, small()), b.events)
		b.do(run.BindStandard{Role: "mixture", Standard: mixture()},
			run.AnswerCheck{Step: "cautions", Answer: run.Fine}, run.AnswerCheck{Step: "casing", Answer: run.Fine},
			run.StartWait{Step: "warm-up"})
		return b
	}
	for name, c := range map[string]struct {
		units                 run.RoomUnits
		temperature, pressure string
		celsius, hPa          float64
	}{
		"the usual ones": {run.RoomUnits{}, "21,4", "1008", 21.4, 1008},
		"°F and mmHg": {run.RoomUnits{Temperature: "[degF]", Pressure: "mm[Hg]"}, "70.52", "756", 21.4,
			1007.917},
		"a unit behind it": {run.RoomUnits{}, "70.52 °F", "100.8kPa", 21.4, 1008},
		"back to the usual": {run.RoomUnits{Temperature: "[degF]", Pressure: "kPa"}, "21.4 °C", "1008 mbar", 21.4,
			1008},
		"in kPa, with comma": {run.RoomUnits{Pressure: "kPa"}, "21.4", "100,8", 21.4, 1008},
	} {
		b := ready(c.units)
		b.do(run.RecordAmbient{
			Step:        "room",
			Temperature: c.temperature,
			Pressure:    c.pressure,
			Humidity:    "46 %",
			Source:      "RC-01",
		})
		assert.InDelta(t, c.celsius, b.run.Ambient.TemperatureC, 1e-6, name)
		assert.InDelta(t, c.hPa, b.run.Ambient.PressureHPa, 1e-3, name)
		assert.InDelta(t, 46, b.run.Ambient.HumidityPercent, 1e-9, name)
	}
	b := ready(run.RoomUnits{Pressure: "mm[Hg]"})
	room := func(temperature, pressure string) run.RecordAmbient {
		return run.RecordAmbient{
			Step:        "room",
			Temperature: temperature,
			Pressure:    pressure,
			Humidity:    "46",
			Source:      "RC-01",
		}
	}
	b.refused(room("21", "1008"), "range", "Is the unit right?")
	b.refused(room("21", "756 °F"), "unit", "Type it in hPa")
	b.refused(room("21", "756 furlongs"), "unit", "furlongs")
	b.refused(room("warm", "756"), "number", "temperature")
	assert.Equal(t, run.RoomUnits{Temperature: "Cel", Pressure: "mm[Hg]"}, b.view().Room)
	require.Error(t, run.RoomUnits{Pressure: "Cel"}.Check())
	require.NoError(t, run.RoomUnits{}.Check())
}
