package lookback_test

import (
	"strings"
	"testing"
	"time"

	"northneedle/core/lookback"

	"github.com/stretchr/testify/assert"
)

var (
	found = time.Date(2026, 3, 2, 9, 0, 0, 0, time.UTC)
	good  = found.AddDate(0, 0, -370)
	ward  = lookback.Subject{
		Lab:    "Hallowmere",
		Tag:    "MB-0417",
		Device: "Ostrel C2 capnograph",
		Place:  "Theatre 2",
		Risk:   5,
	}
)

func TestAnOwnerIsToldHowMuchWhichWayAndSinceWhen(t *testing.T) {
	levels := []lookback.Level{{Label: "CO₂ room air", Reference: 0.04, Error: 0.03, Limit: 0.2, Unit: "%{vol}"},
		{Label: "CO₂ 5 %", Reference: 5.02, Error: -0.61, Limit: 0.4, Unit: "%{vol}"}}
	w := lookback.Window{From: good, Until: found}
	text := lookback.DeviceNotice(ward, w, levels, "adjusted, and conforming again")
	for _, words := range []string{"MB-0417", "showed 0.61 vol% too low (−12.2 %); allowed ±0.4", "370 days",
		"life support", "adjusted, and conforming again", "even if it was nothing", "Hallowmere"} {
		assert.Contains(t, text, words)
	}
	assert.Less(t, strings.Index(text, "5 %"), strings.Index(text, "room air"),
		"what is furthest beyond its limit comes first")
	assert.Contains(t, lookback.DeviceNotice(ward, lookback.Window{Until: found}, levels, ""), "not found good before")
	assert.NotContains(t, lookback.DeviceNotice(ward, w, levels, ""), "Since then")
	assert.Contains(t, lookback.Level{Label: "empty", Error: 0.3, Unit: "kg"}.Words(), "showed 0.3 kg too high",
		"nothing is a share of nothing")
	assert.NotContains(t, lookback.Level{Label: "empty", Error: 0.3, Unit: "kg"}.Words(), "%")
}

func TestOthersAreToldToo(t *testing.T) {
	text := lookback.ReferenceNotice(ward, "HG-19 5 % CO₂", "read 0.42 vol% low", good,
		[]string{"CO₂ 5 %: was accepted, is not accepted."})
	for _, words := range []string{"HG-19", "read 0.42 vol% low", "2025-02-25", "was accepted, is not accepted",
		"out of use until it has been verified again"} {
		assert.Contains(t, text, words)
	}
	text = lookback.ControlNotice(ward, lookback.Window{From: good, Until: found}, "glucose", "Rejected by 1-3s.",
		[]string{"level 1: +11 % off its mean"})
	for _, words := range []string{"control of glucose was rejected", "level 1: +11 %", "2025-02-25 09:00",
		"2026-03-02 09:00"} {
		assert.Contains(t, text, words)
	}
	assert.Contains(t, lookback.ControlNotice(ward, lookback.Window{Until: found}, "glucose", "", nil),
		"the first use here")
}

func TestWindowsAndUses(t *testing.T) {
	assert.Equal(t, 370, lookback.Window{From: good, Until: found}.Days())
	assert.Zero(t, lookback.Window{Until: found}.Days())
	assert.Zero(t, lookback.Window{From: found, Until: good}.Days())
	seen := map[string]bool{}
	for risk := 1; risk <= 5; risk++ {
		seen[lookback.UseOf(risk)] = true
	}
	assert.Len(t, seen, 5, "each risk is a use of its own")
}
