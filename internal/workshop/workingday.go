package workshop

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"northneedle/core/dayplan"
	"northneedle/core/person"
	"northneedle/core/procedure"
)

// Site is where devices stand: how far it is, and when it can be reached.
type Site struct {
	Name     string `json:"name"`
	Travel   int    `json:"travel" doc:"minutes from the workshop"`
	Height   *int   `json:"height,omitempty" minimum:"-400" maximum:"6000" doc:"above the sea, in m; none: not known"`
	Weekdays []int  `json:"weekdays,omitempty" doc:"1 Monday to 7 Sunday; none: every day"`
	From     string `json:"from,omitempty" doc:"first minute there, as 09:40"`
	Until    string `json:"until,omitempty"`
	Why      string `json:"why,omitempty" doc:"ferry days"`
}

// WorkingDay is when people work, and what the lab's own ways take.
type WorkingDay struct {
	From     string                  `json:"from"`
	Until    string                  `json:"until"`
	Home     string                  `json:"home" doc:"site of the workshop"`
	Within   int                     `json:"within" doc:"minutes between two places of one site"`
	Sites    []Site                  `json:"sites"`
	Hands    procedure.HandlingTimes `json:"hands"`
	Capacity float64                 `json:"capacity" doc:"hours of verification in a month"`
	Grace    int                     `json:"grace" minimum:"0" maximum:"365" default:"30" doc:"days that a duty which blocks nothing may be late before its device is not to be used"`
	Idle     int                     `json:"idle" minimum:"1" maximum:"480" default:"15" doc:"minutes without a hand on a page after which it is locked"`
	Rise     int                     `json:"rise" minimum:"1" maximum:"6000" default:"100" doc:"m of height between two sites from which on a move undoes what depends on it"`
	Rounds   dayplan.RoundRules      `json:"rounds" doc:"how days are filled"`
}

// DefaultDay is where a lab begins.
func DefaultDay() WorkingDay {
	return WorkingDay{
		From:     "08:00",
		Until:    "16:30",
		Within:   5,
		Hands:    procedure.DefaultHandlingTimes,
		Capacity: 60,
		Grace:    30,
		Idle:     15,
		Rise:     100,
		Rounds:   dayplan.DefaultRoundRules,
	}
}

// SetDay sets when people work, and where.
func (ws *Workshop) SetDay(day WorkingDay, who person.Person) error {
	if err := day.check(); err != nil {
		return err
	}
	return ws.Ledger.SetSetting(ws.act("", "working day set", who, ""), "day", day)
}

// check reports the first field that cannot be worked by, as a problem.
func (d WorkingDay) check() error {
	clock := func(field, text string) error {
		if _, err := time.Parse("15:04", text); err != nil {
			return invalid(field, "The time is written as 08:00.")
		}
		return nil
	}
	if err := clock("from", d.From); err != nil {
		return err
	}
	if err := clock("until", d.Until); err != nil {
		return err
	}
	switch {
	case d.From >= d.Until:
		return invalid("until", "The day ends after it begins.")
	case d.Within < 0 || d.Within > 240:
		return invalid("within", "The way between two places of a site takes 0 to 240 minutes.")
	case d.Grace < 0 || d.Grace > 365:
		return invalid("grace", "A duty may be late by 0 to 365 days before its device is not to be used.")
	case d.Idle < 1 || d.Idle > 480:
		return invalid("idle", "A page is locked after 1 to 480 minutes without a hand on it.")
	case d.Rise < 1 || d.Rise > 6000:
		return invalid("rise", "A move counts from 1 to 6000 m of height on.")
	case !(d.Capacity > 0 && d.Capacity <= 10000):
		return invalid("capacity", "Give the hours of verification in a month: more than 0.")
	}
	for name, minutes := range map[string]float64{
		"bring":   d.Hands.Bring,
		"step":    d.Hands.Step,
		"record":  d.Hands.Record,
		"typed":   d.Hands.Typed,
		"linked":  d.Hands.Linked,
		"finding": d.Hands.Finding,
		"sign":    d.Hands.Sign,
		"unknown": d.Hands.Unknown,
	} {
		if !(minutes >= 0 && minutes <= 60) {
			return invalid("hands."+name, "Each takes 0 to 60 minutes of hands.")
		}
	}
	seen := map[string]bool{}
	for i, s := range d.Sites {
		field := fmt.Sprintf("sites[%d].", i)
		name := strings.TrimSpace(s.Name)
		switch {
		case name == "" || seen[name]:
			return invalid(field+"name", "Each site has a name of its own.")
		case s.Travel < 0 || s.Travel > 1440:
			return invalid(field+"travel", name+": the way takes 0 to 1440 minutes.")
		case s.Height != nil && (*s.Height < -400 || *s.Height > 6000):
			return invalid(field+"height", name+": the height is −400 to 6000 m above the sea.")
		case slices.ContainsFunc(s.Weekdays, func(n int) bool { return n < 1 || n > 7 }):
			return invalid(field+"weekdays", name+": weekdays go from 1, Monday, to 7, Sunday.")
		case (s.From == "") != (s.Until == ""):
			return invalid(field+"from", name+": give the first and the last minute there, or neither.")
		case s.From != "" && (clock(field+"from", s.From) != nil || clock(field+"until", s.Until) != nil ||
			s.From >= s.Until):
			return invalid(field+"from", name+": times are written as 09:40, the first before the last.")
		}
		seen[name] = true
	}
	if d.Home != "" && len(d.Sites) > 0 && !seen[d.Home] {
		return invalid("home", "The workshop is at one of the sites: "+d.Home+" is not among them.")
	}
	return nil
}

// workingDay is the lab's own.
func (ws *Workshop) workingDay() (WorkingDay, error) {
	day := DefaultDay()
	err := ws.Ledger.Setting("day", &day)
	return day, err
}

// estimate is how a run of a procedure divides, by the lab's handling times; an unknown procedure is
// a job that goes by none.
func (ws *Workshop) estimate(id string, day WorkingDay) procedure.Estimate {
	p, _ := ws.procedure(id)
	return day.Hands.Estimate(p)
}

// minute reads "09:40".
func minute(text string, otherwise int) int {
	t, err := time.Parse("15:04", text)
	if err != nil {
		return otherwise
	}
	return t.Hour()*60 + t.Minute()
}
