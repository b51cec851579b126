package main

import (
	"database/sql"
	"encoding/json"
	"fmt"
	"path/filepath"
	"time"

	"northneedle/internal/demo"
	"northneedle/internal/ledger"
)

// statements are what Today asks of the engine, written out.
func statements(now time.Time) []struct {
	text string
	args []any
} {
	day := time.Date(now.Year(), now.Month(), now.Day(), 0, 0, 0, 0, now.Location())
	due := "SELECT activities.*, assets.tag, assets.maker, assets.model, assets.family, assets.site, assets.place, assets.status FROM activities JOIN assets ON assets.id = activities.asset_id WHERE activities.active = ? AND "
	return []struct {
		text string
		args []any
	}{
		{"SELECT * FROM sessions WHERE token = ? AND expiry > ? LIMIT 1", []any{"none", now}},
		{"SELECT * FROM people WHERE id = ? LIMIT 1", []any{"idris"}},
		{due + "+activities.due_on < ? AND assets.status <> ? ORDER BY activities.risk DESC, activities.due_on LIMIT 40", []any{true, day, ledger.Gone}},
		{"SELECT count(*) FROM activities WHERE active = ? AND due_on < ?", []any{true, day}},
		{due + "activities.due_on >= ? AND activities.due_on < ? AND assets.status <> ? ORDER BY activities.due_on LIMIT 40", []any{true, day, day.AddDate(0, 0, 14), ledger.Gone}},
		{"SELECT * FROM runs WHERE status = ? ORDER BY opened_at LIMIT 40", []any{"open"}},
		{"SELECT * FROM runs WHERE status = ? ORDER BY opened_at LIMIT 40", []any{"in review"}},
		{"SELECT * FROM standards ORDER BY tag", nil},
	}
}

// today measures the Today screen's answer beside the same statements in the plain engine.
func today() error {
	path := filepath.Join(options.Data, fmt.Sprintf("large-%d-%d", options.Assets, options.Readings))
	h, err := openHouse(path)
	if err != nil {
		return err
	}
	defer h.close()
	if _, err := h.ledger.Asset(fmt.Sprintf("gen-%06d", options.Assets-1)); err != nil {
		d, err := timed(func() error {
			return demo.Generate(h.ledger, options.Assets, options.Readings, 1, h.now, func(string) {})
		})
		if err != nil {
			return err
		}
		say("generated", "%d devices, %d readings in %.0f s", options.Assets, options.Readings, d.Seconds())
	}
	plain, err := sql.Open("sqlite", "file:"+filepath.Join(path, ledger.File)+"?mode=ro")
	if err != nil {
		return err
	}
	defer plain.Close()
	var ours, theirs []time.Duration
	for range 60 {
		d, err := timed(func() error { _, err := get[json.RawMessage](h, "/api/today"); return err })
		if err != nil {
			return err
		}
		ours = append(ours, d)
		if d, err = timed(func() error { return ask(plain, h.now) }); err != nil {
			return err
		}
		theirs = append(theirs, d)
	}
	median, p95 := spread(ours)
	plainMedian, plainP95 := spread(theirs)
	say("Today over HTTP, median and p95", "%.2f ms, %.2f ms", ms(median), ms(p95))
	say("the same SQL in the plain engine", "%.2f ms, %.2f ms", ms(plainMedian), ms(plainP95))
	say("ratio of the p95 (aim 2)", "%.2f", float64(p95)/float64(plainP95))
	return nil
}

// ask runs every statement and reads every column of every row.
func ask(db *sql.DB, now time.Time) error {
	for _, s := range statements(now) {
		rows, err := db.Query(s.text, s.args...)
		if err != nil {
			return fmt.Errorf("%s: %w", s.text, err)
		}
		columns, err := rows.Columns()
		if err != nil {
			return err
		}
		values := make([]any, len(columns))
		for i := range values {
			values[i] = new(any)
		}
		for rows.Next() {
			if err := rows.Scan(values...); err != nil {
				return err
			}
		}
		if err := rows.Close(); err != nil {
			return err
		}
	}
	return nil
}
