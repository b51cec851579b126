package main

import (
	"context"
	"fmt"
	"time"

	"northneedle/internal/capture"
	"northneedle/internal/definition"
	"northneedle/internal/instrument"
	"northneedle/internal/sim"
)

const (
	manyPolled    = 20
	polledSeconds = 30
)

// polled asks twenty balances on serial lines (pseudo-terminals) for their weight, as often as their profile says, for half
// a minute. Balances and links are in this process.
func polled() error {
	ctx, stop := context.WithCancel(context.Background())
	defer stop()
	profiles, err := definition.Profiles("")
	if err != nil {
		return err
	}
	profile := instrument.Find(profiles, "serial-balance")
	balance, _, err := sim.ServeDialect(ctx, "balance", sim.World{}, capture.WallClock{Time: time.Now})
	if err != nil {
		return err
	}
	var all []*instrument.Link
	for i := range manyPolled {
		port, err := balance.Terminal(ctx, sim.SerialBalance)
		if err != nil {
			return err
		}
		at := instrument.Address{Transport: instrument.SerialPort, Where: port}
		link := instrument.Dial(ctx, fmt.Sprintf("balance %d", i), at, profile, instrument.DefaultTiming, time.Now)
		defer link.Close()
		all = append(all, link)
	}
	for _, link := range all {
		for wait := time.Now().Add(10 * time.Second); link.Status().State != instrument.Alive; {
			if time.Now().After(wait) {
				return fmt.Errorf("a balance does not answer: %s", link.Status().Words)
			}
			time.Sleep(20 * time.Millisecond)
		}
	}
	answered := func() (n int) {
		for _, link := range all {
			_, total := link.Samples("MASS", 0)
			n += total
		}
		return n
	}
	var ages []time.Duration
	from, before, began := answered(), processorTime(), time.Now()
	for time.Since(began) < polledSeconds*time.Second {
		time.Sleep(50 * time.Millisecond)
		for _, link := range all {
			age, _, _ := link.Freshness("MASS")
			ages = append(ages, age)
		}
	}
	used, seconds := processorTime()-before, time.Since(began).Seconds()
	median, p95 := spread(ages)
	every := time.Duration(profile.Channel("MASS").Ask.Every)
	say("answers", "%d of %.0f (20 balances, every %s, %.0f s)", answered()-from, manyPolled*seconds/every.Seconds(), every,
		seconds)
	say("age of a weight when it is looked at", "median %.0f ms, p95 %.0f ms", median.Seconds()*1000, p95.Seconds()*1000)
	say("processor, links and balances together", "%.0f %% of one core", 100*used.Seconds()/seconds)
	return nil
}
