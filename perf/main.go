// Command bench prints figures and ratios of the product's speed on this machine.
// It asserts nothing: what is slow is for a person to judge.
package main

import (
	"fmt"
	"log/slog"
	"os"
	"runtime/pprof"
	"slices"
	"strings"
	"time"

	"github.com/alecthomas/kong"
)

var options struct {
	Binary   string `default:"./northneedle" help:"The built product, for its start." type:"path"`
	Data     string `default:".cache/bench" help:"Where the measured ledgers are made; kept for the next time." type:"path"`
	Assets   int    `default:"50000" help:"Devices in the large ledger."`
	Address  string `help:"Of the lists, measure only those whose address begins so."`
	Only     string `help:"Measure only the part whose title begins so."`
	Profile  string `help:"Write a processor profile of twenty at work to this file." type:"path"`
	Readings int    `default:"1000000" help:"Results in the large ledger."`
}

func main() {
	kong.Parse(&options, kong.Description("Measure the product's speed. Nothing is asserted."))
	slog.SetLogLoggerLevel(slog.LevelError) // a line a request would be most of the output
	for _, part := range []struct {
		title   string
		measure func() error
	}{
		{"Capture to durable verdict, over HTTP", captures},
		{"Twenty at work at once, over HTTP", crowd},
		{"Lists, with a large register", lists},
		{"A list of 50 000 devices comes in", bringIn},
		{"Eight links at 100 samples a second", links},
		{"Twenty balances on serial lines, polled", polled},
		{"First load of the page", firstLoad},
		{"Start on the demo's data", start},
	} {
		if !strings.HasPrefix(part.title, options.Only) {
			continue
		}
		fmt.Println("\n" + part.title)
		if err := part.measure(); err != nil {
			fmt.Fprintf(os.Stderr, "  could not be measured: %v\n", err)
			os.Exit(1)
		}
	}
}

// say prints one figure.
func say(what, format string, args ...any) {
	fmt.Printf("  %-46s %s\n", what, fmt.Sprintf(format, args...))
}

// spread is the median and the 95th percentile of some durations.
func spread(all []time.Duration) (median, p95 time.Duration) {
	slices.Sort(all)
	return all[len(all)/2], all[min(len(all)-1, len(all)*95/100)]
}

func timed(f func() error) (time.Duration, error) {
	from := time.Now()
	err := f()
	return time.Since(from), err
}

// profiled does something under the processor profile, where one is wanted.
func profiled(do func() error) error {
	if options.Profile == "" {
		return do()
	}
	file, err := os.Create(options.Profile)
	if err != nil {
		return err
	}
	defer file.Close()
	if err := pprof.StartCPUProfile(file); err != nil {
		return err
	}
	defer pprof.StopCPUProfile()
	return do()
}
