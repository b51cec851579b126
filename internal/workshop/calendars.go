package workshop

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"northneedle/core/device"
	"northneedle/core/duty"
	"northneedle/internal/exchange"
	"northneedle/internal/ledger"
)

// RoundCalendar is a day's round as iCalendar.
func (ws *Workshop) RoundCalendar(day, who string) (f File, err error) {
	saved, err := ws.Ledger.Round(day)
	if err != nil {
		saved = ledger.Round{Day: day, People: []string{who}}
	}
	v, err := ws.round(saved, false)
	if err != nil {
		return f, err
	}
	date, err := time.ParseInLocation(time.DateOnly, day, ws.Clock().Location())
	if err != nil {
		return f, err
	}
	var entries []exchange.Appointment
	for _, b := range v.Plan.Blocks {
		at := slices.IndexFunc(v.Jobs, func(j RoundJob) bool { return j.ID == b.Job })
		j := v.Jobs[at]
		title := j.Tag + " " + j.Title
		if b.Part != "whole" {
			title += ", " + b.Part
		}
		start := func(minute int) time.Time { return atMinute(date, minute) }
		entries = append(entries, exchange.Appointment{
			ID:       day + "-" + b.Job + "-" + strings.ReplaceAll(b.Part, " ", "-"),
			Start:    start(b.From),
			End:      start(b.Until),
			Title:    title,
			Text:     b.Person + "\n" + j.Device,
			Location: b.Place,
		})
	}
	text, err := exchange.Calendar("Round of "+day, ws.Clock(), entries)
	return File{Name: "round-" + day + ".ics", Type: "text/calendar; charset=utf-8", Save: true, Body: text}, err
}

// feedDays is how far ahead the feed looks.
const feedDays = 400

// Feed is what is due, for whoever has the secret link of somebody's calendar; false where it is not, or no longer, valid. Why
// something is late, and what was said of it, is not in it.
func (ws *Workshop) Feed(ctx context.Context, given string) (text []byte, valid bool, err error) {
	if _, valid, err := ws.TokenOf(ctx, ledger.OfCalendar, given); err != nil || !valid {
		return nil, false, err
	}
	var entries []exchange.Appointment
	due := ws.Ledger.EveryDue(ws.Clock().AddDate(0, 0, feedDays))
	rows := rowsWithStates(ws, due, func(d ledger.Due) string { return d.AssetID }, func([]string) error { return nil },
		func(d ledger.Due, s device.Standing) []any { return []any{d, s} })
	for row, err := range rows {
		if err != nil {
			return nil, true, err
		}
		d, state := row[0].(ledger.Due), row[1].(device.Standing)
		if !duty.HasDay(d.DueOn) {
			continue
		}
		entries = append(entries, exchange.Appointment{
			ID:       d.ID,
			Start:    d.DueOn,
			AllDay:   true,
			Title:    d.Tag + " " + d.Title,
			Text:     fmt.Sprintf("%s %s, risk %d, %s", d.Maker, d.Model, d.Risk, state.State),
			Location: d.Place + ", " + d.Site,
		})
	}
	text, err = exchange.Calendar("North Needle: due", ws.Clock(), entries)
	return text, true, err
}
