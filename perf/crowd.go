package main

import (
	"encoding/json"
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"sync"
	"time"

	"northneedle/core/runview"
)

// How many are at work at once, and how many runs each of them reads whole.
const (
	crowdOf  = 20
	runsEach = 15
)

// crowd measures how many commands a second are acknowledged when many capture at once, each in runs
// of their own that were brought to their first reading before.
func crowd() error {
	h, tags, err := scales("crowd")
	if err != nil {
		return err
	}
	defer h.close()
	work, lines := make([][]runview.View, crowdOf), make([]*caller, crowdOf)
	for i := range work {
		for n := range runsEach {
			v, err := h.toMeasuring(tags[(i*runsEach+n)%len(tags)])
			if err != nil {
				return err
			}
			work[i] = append(work[i], v)
		}
		if lines[i], err = h.call(); err != nil {
			return err
		}
	}
	var all sync.WaitGroup
	took, failed := make([][]time.Duration, crowdOf), make([]error, crowdOf)
	began := time.Now()
	err = profiled(func() error {
		for i := range work {
			all.Go(func() { took[i], failed[i] = capturing(lines[i], work[i]) })
		}
		all.Wait()
		return errors.Join(failed...)
	})
	if err != nil {
		return err
	}
	passed := time.Since(began)
	times := slices.Concat(took...)
	median, p95 := spread(times)
	say(fmt.Sprintf("%d clients: acknowledged commands a second (aim 1500)", crowdOf), "%.0f, of %d",
		float64(len(times))/passed.Seconds(), len(times))
	say("an answer, median and p95", "%.1f ms, %.1f ms", ms(median), ms(p95))
	return nil
}

// sequence finds where a run is in what was answered: a whole answer is not taken apart, so that what
// is measured is the server.
var sequence = regexp.MustCompile(`"seq":(\d+)`)

// capturing reads every point of some runs, one after another.
func capturing(line *caller, runs []runview.View) (took []time.Duration, err error) {
	for _, v := range runs {
		seq := v.Seq
		for _, m := range v.Measures {
			for _, p := range m.Points {
				for n := range m.Repeats {
					text, err := json.Marshal(map[string]any{
						"id":      fmt.Sprintf("%s-%s-%s-%d", v.ID, m.ID, p.ID, n),
						"expect":  seq,
						"kind":    "capture",
						"measure": m.ID,
						"point":   p.ID,
						"typed":   fmt.Sprintf("%.1f", p.Expected.Reference),
					})
					if err != nil {
						return took, err
					}
					began := time.Now()
					answer, err := line.post("/api/runs/"+v.ID+"/commands", text)
					if err != nil {
						return took, err
					}
					took = append(took, time.Since(began))
					found := sequence.FindSubmatch(answer)
					if found == nil {
						return took, fmt.Errorf("no sequence in %s", answer)
					}
					if seq, err = strconv.Atoi(string(found[1])); err != nil {
						return took, err
					}
				}
			}
		}
	}
	return took, nil
}
