package procedure_test

import (
	"testing"

	"northneedle/core/procedure"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestRoomConditionsInTheUnitsOfTheRoomsInstruments(t *testing.T) {
	ready := func(units procedure.RoomUnits) *bench {
		b := open(t, small())
		opened := b.events[0].Fact.(procedure.RunOpened)
		opened.Lab.Room = units
		b.events[0].Fact = opened
		b.run = procedure.Fold(small(), b.events)
		b.do(procedure.BindStandard{Role: "mixture", Standard: mixture()}, procedure.AnswerCheck{Step: "cautions", Answer: procedure.Fine}, procedure.AnswerCheck{Step: "casing", Answer: procedure.Fine}, procedure.StartWait{Step: "warm-up"})
		return b
	}
	for name, c := range map[string]struct {
		units                 procedure.RoomUnits
		temperature, pressure string
		celsius, hPa          float64
	}{
		"the usual ones":     {procedure.RoomUnits{}, "21,4", "1008", 21.4, 1008},
		"°F and mmHg":        {procedure.RoomUnits{Temperature: "[degF]", Pressure: "mm[Hg]"}, "70.52", "756", 21.4, 1007.917},
		"a unit behind it":   {procedure.RoomUnits{}, "70.52 °F", "100.8kPa", 21.4, 1008},
		"back to the usual":  {procedure.RoomUnits{Temperature: "[degF]", Pressure: "kPa"}, "21.4 °C", "1008 mbar", 21.4, 1008},
		"in kPa, with comma": {procedure.RoomUnits{Pressure: "kPa"}, "21.4", "100,8", 21.4, 1008},
	} {
		b := ready(c.units)
		b.do(procedure.RecordAmbient{Step: "room", Temperature: c.temperature, Pressure: c.pressure, Humidity: "46 %", Source: "RC-01"})
		assert.InDelta(t, c.celsius, b.run.Ambient.TemperatureC, 1e-6, name)
		assert.InDelta(t, c.hPa, b.run.Ambient.PressureHPa, 1e-3, name)
		assert.InDelta(t, 46, b.run.Ambient.HumidityPercent, 1e-9, name)
	}
	b := ready(procedure.RoomUnits{Pressure: "mm[Hg]"})
	room := func(temperature, pressure string) procedure.RecordAmbient {
		return procedure.RecordAmbient{Step: "room", Temperature: temperature, Pressure: pressure, Humidity: "46", Source: "RC-01"}
	}
	b.refused(room("21", "1008"), "range", "Is the unit right?")
	b.refused(room("21", "756 °F"), "unit", "Type it in hPa")
	b.refused(room("21", "756 furlongs"), "unit", "furlongs")
	b.refused(room("warm", "756"), "number", "temperature")
	assert.Equal(t, procedure.RoomUnits{Temperature: "Cel", Pressure: "mm[Hg]"}, b.view().Room)
	require.Error(t, procedure.RoomUnits{Pressure: "Cel"}.Check())
	require.NoError(t, procedure.RoomUnits{}.Check())
}
