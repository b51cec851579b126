package main

import (
	"database/sql"
	"encoding/json"
	"fmt"
	"path/filepath"
	"time"

	_ "github.com/glebarez/go-sqlite" // the engine the ledger uses, bare
)

// captures measures a reading from the request to its verdict, on disk, beside a
// bare commit of one row on the same disk: one of each in turn.
func captures() error {
	h, tags, err := scales("capture")
	if err != nil {
		return err
	}
	defer h.close()
	bare, err := sql.Open("sqlite", "file:"+filepath.Join(options.Data, "capture", "bare.db")+
		"?_pragma=journal_mode(WAL)&_pragma=synchronous(FULL)")
	if err != nil {
		return err
	}
	defer bare.Close()
	bare.SetMaxOpenConns(1)
	if _, err := bare.Exec("CREATE TABLE readings (id INTEGER PRIMARY KEY, text TEXT)"); err != nil {
		return err
	}
	line, err := h.call()
	if err != nil {
		return err
	}
	var ours, theirs []time.Duration
	for _, tag := range tags {
		v, err := h.toMeasuring(tag)
		if err != nil {
			return err
		}
		for _, m := range v.Measures {
			for _, p := range m.Points {
				for range m.Repeats {
					command := h.command(v, map[string]any{
						"kind":    "capture",
						"measure": m.ID,
						"point":   p.ID,
						"typed":   fmt.Sprintf("%.1f", p.Expected.Reference),
					})
					var text []byte
					d, err := timed(func() error {
						text, err = line.post("/api/runs/"+v.ID+"/commands", command)
						return err
					})
					if err != nil {
						return fmt.Errorf("%s %s: %w", m.Title, p.Label, err)
					}
					if err := json.Unmarshal(text, &v); err != nil {
						return err
					}
					ours = append(ours, d)
					d, err = timed(func() error {
						_, err := bare.Exec("INSERT INTO readings (text) VALUES (?)",
							"one reading with its envelope, as many bytes as an event has")
						return err
					})
					if err != nil {
						return err
					}
					theirs = append(theirs, d)
				}
			}
		}
	}
	median, p95 := spread(ours)
	bareMedian, bareP95 := spread(theirs)
	say(fmt.Sprintf("%d readings, median and p95", len(ours)), "%.2f ms, %.2f ms", ms(median), ms(p95))
	say("a bare commit of one row, median and p95", "%.2f ms, %.2f ms", ms(bareMedian), ms(bareP95))
	say("ratio of the medians (aim 3)", "%.2f", float64(median)/float64(bareMedian))
	return nil
}

func ms(d time.Duration) float64 { return float64(d.Microseconds()) / 1000 }
