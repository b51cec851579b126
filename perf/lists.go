package main

import (
	"bytes"
	"database/sql"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"northneedle/internal/demo"
	"northneedle/internal/ledger"
	"northneedle/internal/workshop"
)

// asked is a statement that the server ran, with its values.
type asked struct {
	text   string
	values []any
}

// large opens the large ledger, and makes it where it does not stand yet.
func large() (*house, string, error) {
	path := filepath.Join(options.Data, fmt.Sprintf("large-%d-%d", options.Assets, options.Readings))
	h, err := openHouse(path)
	if err != nil {
		return nil, "", err
	}
	if _, err := h.ledger.Asset(fmt.Sprintf("gen-%06d", options.Assets-1)); err != nil {
		d, err := timed(func() error {
			return demo.Generate(h.ledger, options.Assets, options.Readings, 1, h.now, func(string) {})
		})
		if err != nil {
			h.close()
			return nil, "", err
		}
		say("generated", "%d devices, %d readings in %.0f s", options.Assets, options.Readings, d.Seconds())
	}
	return h, filepath.Join(path, ledger.File), nil
}

// lists times every list over HTTP, and the statements that the server ran for it in the
// plain engine; then what memory a thousand of them take.
func lists() error {
	h, file, err := large()
	if err != nil {
		return err
	}
	defer h.close()
	plain, err := sql.Open("sqlite", "file:"+file+"?mode=ro&_pragma=cache_size(-20000)")
	if err != nil {
		return err
	}
	defer plain.Close()
	caller, err := h.call()
	if err != nil {
		return err
	}
	defer caller.conn.Close()
	var recorded []asked
	var mutex sync.Mutex // statements of one answer can run beside each other
	h.ledger.OnQuery(func(text string, values []any) {
		mutex.Lock()
		defer mutex.Unlock()
		recorded = append(recorded, asked{text, append([]any{}, values...)})
	})
	tag := fmt.Sprintf("GX-%06d", options.Assets/2)
	tomorrow := h.now.AddDate(0, 0, 1).Format(time.DateOnly)
	addresses := []string{"/api/today", "/api/assets", "/api/assets?search=merrowby%20ward",
		"/api/assets?family=ventilator&status=in%20use", "/api/assets?from=25000", "/api/assets?sort=due", "/api/assets?state=overdue", "/api/asset-choices",
		"/api/assets/" + tag, "/api/standards", "/api/look-backs", "/api/intervals", "/api/rounds/" + tomorrow,
		"/api/workload", "/api/report", "/api/lists/due?format=csv", "/api/lists/equipment?format=csv"}
	fmt.Printf("  %-46s %4s %10s %10s %5s %10s %5s\n", "medians; the ratio's aim is 2", "SQL", "in SQL", "changed",
		"ratio", "again", "ratio")
	for _, address := range addresses {
		if !strings.HasPrefix(address, options.Address) {
			continue
		}
		m, err := h.compare(address, caller, plain, &recorded)
		if err != nil {
			return fmt.Errorf("%s: %w", address, err)
		}
		fmt.Printf("  %-46s %4d %7.2f ms %7.2f ms %5.2f %7.2f ms %5.2f\n", address, m.statements, ms(m.inSQL),
			ms(m.changed), m.changedRatio, ms(m.again), m.againRatio)
	}
	h.ledger.OnQuery(nil)
	return caller.memory(addresses[:8])
}

type compared struct {
	changed, again, inSQL    time.Duration
	changedRatio, againRatio float64 // of what was measured one right after the other: a machine's speed comes and goes
	statements               int
}

// compare is how long an answer takes when the ledger has changed since it was last asked
// for, how long when it has not, and how long the statements of the first take in the
// plain engine, after a change too: each the median.
func (h *house) compare(address string, caller *caller, plain *sql.DB, recorded *[]asked) (m compared, err error) {
	var first []asked
	var all [3][]time.Duration
	fetch := func() error {
		*recorded = nil
		err := caller.fetch(address)
		first = *recorded
		return err
	}
	again := func() error { return caller.fetch(address) }
	inSQL := func() error { return ask(plain, first) }
	for begin := time.Now(); len(all[0]) < 5 || len(all[0]) < 500 && time.Since(begin) < 8*time.Second; {
		if err = h.ledger.SetSetting(ledger.Act{Kind: "measured", By: ledger.Nobody, At: time.Now()}, "bench",
			len(all[0])); err != nil {
			return
		}
		order := []int{0, 1, 2}
		if len(all[0])%2 == 1 { // what comes first after a write finds a machine that slept: each in turn
			order = []int{2, 0, 1}
		}
		for _, i := range order {
			d, err := timed([]func() error{fetch, again, inSQL}[i])
			if err != nil {
				return m, err
			}
			all[i] = append(all[i], d)
		}
	}
	m.statements = len(first)
	m.changedRatio, m.againRatio = ratio(all[0], all[2]), ratio(all[1], all[2])
	m.changed, _ = spread(all[0])
	m.again, _ = spread(all[1])
	m.inSQL, _ = spread(all[2])
	return m, nil
}

// ratio is the median ratio of durations that belong together.
func ratio(of, to []time.Duration) float64 {
	ratios := make([]float64, len(of))
	for i := range of {
		ratios[i] = float64(of[i]) / float64(to[i])
	}
	slices.Sort(ratios)
	return ratios[len(ratios)/2]
}

// memory prints what this process holds after each of four times 250 requests.
func (c *caller) memory(addresses []string) error {
	var held []string
	for range 4 {
		for i := range 250 {
			if err := c.fetch(addresses[i%len(addresses)]); err != nil {
				return err
			}
		}
		held = append(held, fmt.Sprintf("%d", resident()))
	}
	say("MB held after 250, 500, 750, 1000 requests", "%s", strings.Join(held, ", "))
	return nil
}

// resident is the memory of this process in MB, as Linux tells; 0 elsewhere.
func resident() int {
	text, err := os.ReadFile("/proc/self/status")
	if err != nil {
		return 0
	}
	_, rest, _ := strings.Cut(string(text), "VmRSS:")
	kb, _ := strconv.Atoi(strings.Fields(rest + " 0")[0])
	return kb / 1024
}

// ask runs every statement and reads every column of every row.
func ask(db *sql.DB, statements []asked) error {
	for _, s := range statements {
		rows, err := db.Query(s.text, s.values...)
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

// bringIn times a list of 50 000 devices: read with its dry run, and taken in.
func bringIn() error {
	folder, err := os.MkdirTemp("", "bench-import")
	if err != nil {
		return err
	}
	defer os.RemoveAll(folder)
	h, err := openHouse(folder)
	if err != nil {
		return err
	}
	defer h.close()
	if _, err := post[json.RawMessage](h, "/api/session",
		map[string]string{"name": "Tamsin Orrery", "password": workshop.DemoPassword}); err != nil {
		return err
	}
	var text bytes.Buffer
	text.WriteString("tag,serial,maker,model,family,site,place,risk\n")
	for i := range 50_000 {
		fmt.Fprintf(&text, "IM-%05d,S%07d,Ostrel,C2 capnograph,capnograph,Merrowby General,Ward %d,%d\n", i, i, i%40,
			1+i%5)
	}
	var view workshop.ImportView
	read, err := timed(func() error {
		var err error
		view, err = answer[workshop.ImportView](h.http.Post(h.server.URL+"/api/imports?kind=assets",
			"application/octet-stream", &text))
		return err
	})
	if err != nil {
		return err
	}
	taken, err := timed(func() error {
		_, err := post[json.RawMessage](h, "/api/imports/"+view.ID, map[string]bool{"go": true})
		for err == nil && view.State != "done" {
			time.Sleep(20 * time.Millisecond)
			if view, err = get[workshop.ImportView](h, "/api/imports/"+view.ID); err == nil && view.Why != "" {
				err = fmt.Errorf("%s", view.Why)
			}
		}
		return err
	})
	if err != nil {
		return err
	}
	say("50 000 rows read and checked", "%.2f s, %d refused", read.Seconds(), view.Count)
	say("and taken in, all or nothing", "%.2f s", taken.Seconds())
	return nil
}
