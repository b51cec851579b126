package api

import (
	"context"
	"crypto/rand"
	"crypto/subtle"
	"encoding/base64"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"time"

	"northneedle/core/duty"
	"northneedle/core/person"
	"northneedle/internal/exchange"
	"northneedle/internal/ledger"

	"github.com/danielgtaylor/huma/v2"
	"github.com/go-chi/chi/v5"
)

// FeedView is where a calendar program reads what is due.
type FeedView struct {
	Path string `json:"path" doc:"of the secret link; whoever has it can read what is due, and nothing else"`
}

func registerCalendars(api huma.API, h *House) {
	serveFile(api, operation{"round-calendar", http.MethodGet, "/api/rounds/{day}/calendar.ics",
		"A day's round as iCalendar", person.Look, 0, nil}.as("text/calendar"),
		func(ctx context.Context, in *DayPath) (*file, error) {
			text, err := h.roundCalendar(in.Day, who(ctx).Name)
			return kept("round-"+in.Day+".ics", "text/calendar; charset=utf-8", text), err
		})
	serve(api, operation{"feed", http.MethodGet, "/api/feed", "The secret link of the calendar feed", person.ReadFeed,
		0, nil},
		func(ctx context.Context, _ *struct{}) (out FeedView, err error) {
			secret, err := h.feedSecret(false, who(ctx))
			return FeedView{"/feed/" + secret + ".ics"}, err
		})
	serve(api, operation{"renew-feed", http.MethodPost, "/api/feed", "A new secret link; the old one stops working",
		person.KeepFeed, 0, nil},
		func(ctx context.Context, _ *struct{}) (out FeedView, err error) {
			secret, err := h.feedSecret(true, who(ctx))
			return FeedView{"/feed/" + secret + ".ics"}, err
		})
}

func (h *House) roundCalendar(day, who string) ([]byte, error) {
	saved, err := h.Ledger.Round(day)
	if err != nil {
		saved = ledger.Round{Day: day, People: []string{who}}
	}
	v, err := h.round(saved, false)
	if err != nil {
		return nil, err
	}
	date, err := time.ParseInLocation(time.DateOnly, day, h.Clock().Location())
	if err != nil {
		return nil, err
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
	return exchange.Calendar("Round of "+day, h.Clock(), entries)
}

// feedSecret is the secret part of the feed's link, made where there is none.
func (h *House) feedSecret(renew bool, who person.Person) (string, error) {
	var secret string
	if err := h.Ledger.Setting("feed", &secret); err != nil {
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
	return secret, h.Ledger.SetSetting(h.act("", "calendar link made", who, ""), "feed", secret)
}

// feedDays is how far ahead the feed looks.
const feedDays = 400

// feed serves what is due to whoever has the secret link.
func (h *House) feed(w http.ResponseWriter, r *http.Request) {
	secret, err := h.feedSecret(false, ledger.Nobody)
	given := strings.TrimSuffix(chi.URLParam(r, "secret"), ".ics")
	if err != nil || subtle.ConstantTimeCompare([]byte(given), []byte(secret)) != 1 {
		problem := &Problem{
			Status: http.StatusNotFound,
			Title:  "Not found",
			Detail: "This calendar link is not, or no longer, valid.",
			Code:   "not-found",
		}
		problem.write(w)
		return
	}
	due, err := h.Ledger.DueUntil(h.Clock().AddDate(0, 0, feedDays), 5000)
	if err != nil {
		problem := &Problem{
			Status: http.StatusInternalServerError,
			Title:  "Not read",
			Detail: "What is due could not be read.",
			Code:   "internal",
		}
		problem.write(w)
		return
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
			Text:     fmt.Sprintf("%s %s, risk %d\n%s", d.Maker, d.Model, d.Risk, d.Reason),
			Location: d.Place + ", " + d.Site,
		})
	}
	text, err := exchange.Calendar("North Needle: due", h.Clock(), entries)
	if err != nil {
		problem := &Problem{
			Status: http.StatusInternalServerError,
			Title:  "Not written",
			Detail: "The calendar could not be written.",
			Code:   "internal",
		}
		problem.write(w)
		return
	}
	w.Header().Set("Content-Type", "text/calendar; charset=utf-8")
	w.Write(text)
}
