package exchange_test

import (
	"bytes"
	"testing"
	"time"

	"northneedle/internal/exchange"

	ics "github.com/arran4/golang-ical"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestACalendarCanBeReadBack(t *testing.T) {
	now := time.Date(2026, 3, 2, 9, 0, 0, 0, time.UTC)
	title := "MB-0417 Capnograph, verification; 5 % CO₂ – " + string(bytes.Repeat([]byte("long "), 30))
	text, err := exchange.Calendar("Rounds", now, []exchange.Appointment{{ID: "a", Start: now, End: now.Add(time.Hour),
		Title: title, Text: "one\ntwo"}, {ID: "b", Start: now, AllDay: true, Title: "due",
		Location: "Theatre 2, Merrowby"}})
	require.NoError(t, err)
	for line := range bytes.SplitSeq(text, []byte("\r\n")) {
		require.LessOrEqual(t, len(line), 75)
	}
	c, err := ics.ParseCalendar(bytes.NewReader(text))
	require.NoError(t, err)
	require.Len(t, c.Events(), 2)
	first, second := c.Events()[0], c.Events()[1]
	assert.Equal(t, title, ics.FromText(first.GetProperty(ics.ComponentPropertySummary).Value))
	start, err := first.GetStartAt()
	require.NoError(t, err)
	assert.True(t, start.Equal(now))
	day, err := second.GetAllDayStartAt()
	require.NoError(t, err)
	assert.Equal(t, "2026-03-02", day.Format(time.DateOnly))
}
