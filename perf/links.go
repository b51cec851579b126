package main

import (
	"bufio"
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"net/http/httptest"
	"strings"
	"sync"
	"syscall"
	"time"

	"northneedle/core/person"
	"northneedle/core/procedure"
	"northneedle/core/runview"
	"northneedle/internal/api"
	"northneedle/internal/capture"
	"northneedle/internal/definition"
	"northneedle/internal/instrument"
	"northneedle/internal/ledger"
	"northneedle/internal/sim"
	"northneedle/internal/workshop"

	"github.com/alexedwards/argon2id"
)

const (
	manyLinks   = 8
	linkSeconds = 60
)

// clock is an instrument whose reading is the time it was taken at, so that whoever
// receives it knows how old it is.
type clock struct{ since time.Time }

func (c clock) IDN() string          { return "North Needle,Clock stand-in,CL-SIM,1" }
func (c clock) Step(float64)         {}
func (c clock) Channels() []string   { return []string{"TIME"} }
func (c clock) Value(string) float64 { return time.Since(c.since).Seconds() }
func (c clock) Rate() int            { return 100 }
func (c clock) Controls() instrument.Controls {
	return instrument.Controls{Faults: []instrument.Knob{}, Keys: []instrument.Knob{}}
}
func (c clock) Command(m sim.Command) (string, bool, error) {
	return "OK", m.Is("SIMulate:DEVice"), nil
}

// links streams eight instruments at 100 samples a second, each to a browser's stream of
// its own, for a minute.
func links() error {
	ctx, stop := context.WithCancel(context.Background())
	defer stop()
	path, err := folder("links")
	if err != nil {
		return err
	}
	l, err := ledger.Open(path)
	if err != nil {
		return err
	}
	defer l.Close()
	since := time.Now()
	var instruments []ledger.Instrument
	var all []*procedure.Procedure
	var profiles []*instrument.Profile
	for i := range manyLinks {
		kind := fmt.Sprintf("clock-%d", i)
		server, err := sim.Serve(ctx, "127.0.0.1:0", clock{since})
		if err != nil {
			return err
		}
		instruments = append(instruments, ledger.Instrument{
			ID:      kind,
			Name:    kind,
			Kind:    kind,
			Address: server.Address(),
		})
		profile, err := definition.ReadProfile(kind, fmt.Appendf(nil, clockProfile, kind))
		if err != nil {
			return err
		}
		profiles = append(profiles, profile)
		p, err := definition.Read(kind, fmt.Appendf(nil, clockProcedure, kind))
		if err != nil {
			return err
		}
		all = append(all, p)
	}
	hash, err := argon2id.CreateHash(workshop.DemoPassword, argon2id.DefaultParams)
	if err != nil {
		return err
	}
	records := []any{&ledger.Person{
		ID:           "idris",
		Name:         "Idris Vail",
		Role:         person.Technician,
		PasswordHash: hash,
		Active:       true,
	}}
	for i := range manyLinks {
		kind := instruments[i].Kind
		records = append(records, &ledger.Asset{
			ID:     kind,
			Tag:    strings.ToUpper(kind),
			Family: kind,
			Status: ledger.InUse,
		}, &instruments[i])
	}
	if err := l.Save(records...); err != nil {
		return err
	}
	h := &house{ledger: l, now: time.Now()}
	shop := &workshop.Workshop{
		Ledger:     l,
		Bench:      capture.NewDriver(capture.WallClock{Time: time.Now}),
		Procedures: all,
		Profiles:   profiles,
		Clock:      time.Now,
	}
	h.server = httptest.NewServer(api.New(shop, api.Transport{}))
	defer h.server.Close()
	if err := shop.Connect(ctx); err != nil {
		return err
	}
	defer shop.End()
	if err := h.signIn(); err != nil {
		return err
	}
	var group sync.WaitGroup
	var mutex sync.Mutex
	var late []time.Duration
	received, expected := 0, 0
	before := processorTime()
	deadline := time.Now().Add(linkSeconds * time.Second)
	for i := range manyLinks {
		kind := instruments[i].Kind
		v, err := post[runview.View](h, "/api/runs",
			map[string]string{"id": fmt.Sprintf("link-run-%d", i), "asset": kind})
		if err != nil {
			return err
		}
		if _, err := post[struct{}](h, "/api/runs/"+v.ID+"/hold", map[string]string{"measure": "time",
			"point": "now"}); err != nil {
			return err
		}
		group.Add(1)
		go func() {
			defer group.Done()
			n, span, ages := h.listen(v.ID, since, deadline)
			mutex.Lock()
			defer mutex.Unlock()
			received, expected, late = received+n, expected+span, append(late, ages...)
		}()
	}
	group.Wait()
	if len(late) == 0 {
		return fmt.Errorf("no sample came")
	}
	used := processorTime() - before
	median, p95 := spread(late)
	say("samples lost", "%d of %d (8 links at 100/s for %d s)", expected-received, expected, linkSeconds)
	say("sample to browser", "median %.0f ms, p95 %.0f ms", median.Seconds()*1000, p95.Seconds()*1000)
	say("processor, server and listeners together", "%.0f %% of one core", 100*used.Seconds()/linkSeconds)
	return nil
}

// listen reads a point's stream until a deadline: how many samples came, how many the
// instrument made between the first and the last, and how old each was.
func (h *house) listen(run string, since, deadline time.Time) (n, made int, ages []time.Duration) {
	ctx, cancel := context.WithDeadline(context.Background(), deadline)
	defer cancel()
	request, err := http.NewRequestWithContext(ctx, "GET", h.server.URL+"/api/runs/"+run+"/live?measure=time&point=now",
		nil)
	if err != nil {
		return
	}
	response, err := h.http.Do(request)
	if err != nil {
		return
	}
	defer response.Body.Close()
	scanner := bufio.NewScanner(response.Body)
	scanner.Buffer(nil, 4<<20)
	begun := time.Since(since).Seconds()
	first, last := 0.0, 0.0
	for scanner.Scan() {
		data, ok := strings.CutPrefix(scanner.Text(), "data: ")
		if !ok {
			continue
		}
		var f capture.Frame
		if json.Unmarshal([]byte(data), &f) != nil {
			continue
		}
		now := time.Since(since).Seconds()
		for _, trace := range f.Traces {
			for _, s := range trace.Samples {
				if n == 0 {
					first = s.T
				}
				last = s.T
				n++
				if s.V < begun { // made before anybody listened
					continue
				}
				ages = append(ages, time.Duration((now-s.V)*float64(time.Second)))
			}
		}
	}
	return n, int((last-first)*100+0.5) + 1, ages
}

// processorTime is what this process has used.
func processorTime() time.Duration {
	var use syscall.Rusage
	if syscall.Getrusage(syscall.RUSAGE_SELF, &use) != nil {
		return 0
	}
	return time.Duration(use.Utime.Nano() + use.Stime.Nano())
}

// clockProfile is how a clock is spoken to.
const clockProfile = `
id: %[1]s
title: %[1]s
kind: %[1]s
link: { tcp: true }
line: { ends: LF }
identify: { send: "*IDN?", match: "Clock" }
errors: { send: "SYSTem:ERRor?", match: "^0," }
channels:
  - { id: TIME, quantity: time, unit: s, start: { send: "SUBScribe TIME" }, match: '^#S (?P<t>\S+) TIME (?P<value>\S+)$' }
`

// clockProcedure reads the time from an instrument of its own kind.
const clockProcedure = `
id: %[1]s
revision: 1
title: %[1]s
family: %[1]s
cautions: [None.]
steps:
  - measure: time
    title: Time
    method: compare
    unit: s
    resolution: 0.1
    tolerance: "±1"
    capture: { kind: steady, instrument: %[1]s, channel: TIME, limit: 1 }
    points: [{ label: now, at: "0", u: 1 }]
  - finding: found
    judges: [time]
next: { months: 1 }
`
