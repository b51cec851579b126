package workshop

import (
	"crypto/rand"
	"crypto/subtle"
	"encoding/base64"
	"fmt"
	"slices"
	"strings"
	"time"

	"northneedle/core/duty"
	"northneedle/core/person"
	"northneedle/internal/exchange"
	"northneedle/internal/ledger"
)

// FeedView is where a calendar program reads what is due.
type FeedView struct {
	Path string `json:"path" doc:"of the secret link; whoever has it can read what is due, and nothing else"`
}

// FeedLink is the feed's link, a new one where it is renewed.
func (ws *Workshop) FeedLink(renew bool, who person.Person) (FeedView, error) {
	secret, err := ws.feedSecret(renew, who)
	return FeedView{"/feed/" + secret + ".ics"}, err
}

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
		start := func(minute int) time.Time { return date.Add(time.Duration(minute) * time.Minute) }
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

// feedSecret is the secret part of the feed's link, made where there is none.
func (ws *Workshop) feedSecret(renew bool, who person.Person) (string, error) {
	var secret string
	if err := ws.Ledger.Setting("feed", &secret); err != nil {
		return "", err
	}
	if secret != "" && !renew {
		return secret, nil
	}
	raw := make([]byte, 24)
	if _, err := rand.Read(raw); err != nil {
		return "", err
	}
	secret = base64.RawURLEncoding.EncodeToString(raw)
	return secret, ws.Ledger.SetSetting(ws.act("", "calendar link made", who, ""), "feed", secret)
}

// feedDays is how far ahead the feed looks.
const feedDays = 400

// Feed is what is due, for whoever has the secret link; false where the secret is not, or no longer,
// valid.
func (ws *Workshop) Feed(given string) (text []byte, valid bool, err error) {
	secret, err := ws.feedSecret(false, ledger.Nobody)
	if err != nil || subtle.ConstantTimeCompare([]byte(given), []byte(secret)) != 1 {
		return nil, false, nil
	}
	due, err := ws.Ledger.DueUntil(ws.Clock().AddDate(0, 0, feedDays), 5000)
	if err != nil {
		return nil, true, err
	}
	ids := make([]string, len(due))
	for i, d := range due {
		ids[i] = d.AssetID
	}
	states, err := ws.states(ids...)
	if err != nil {
		return nil, true, err
	}
	var entries []exchange.Appointment
	for _, d := range due {
		if !duty.HasDay(d.DueOn) {
			continue
		}
		entries = append(entries, exchange.Appointment{
			ID:       d.ID,
			Start:    d.DueOn,
			AllDay:   true,
			Title:    d.Tag + " " + d.Title,
			Text:     strings.TrimSpace(fmt.Sprintf("%s %s, risk %d, %s\n%s\n%s", d.Maker, d.Model, d.Risk, states[d.AssetID].State, d.Reason, states[d.AssetID].Words)),
			Location: d.Place + ", " + d.Site,
		})
	}
	text, err = exchange.Calendar("North Needle: due", ws.Clock(), entries)
	return text, true, err
}
