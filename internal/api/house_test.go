package api_test

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/http/cookiejar"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"northneedle/internal/api"
	"northneedle/internal/capture"
	"northneedle/internal/seal"
	"northneedle/internal/workshop"

	"northneedle/core/person"
	"northneedle/core/procedure"
	"northneedle/core/reference"
	"northneedle/core/run"
	"northneedle/core/runview"
	"northneedle/internal/definition"
	"northneedle/internal/demo"
	"northneedle/internal/ledger"
	"northneedle/internal/people"
	"northneedle/internal/sim"

	"github.com/stretchr/testify/require"
)

var day = time.Date(2026, 3, 2, 10, 0, 0, 0, time.UTC)

func TestMain(m *testing.M) {
	people.Cost.Memory = 64 // KiB: these tests sign in some hundred times
	os.Exit(m.Run())
}

// house is a whole server on a real ledger with the demo's data and stand-ins.
type house struct {
	served *api.Server
	shop   *workshop.Workshop
	t      *testing.T
	ledger *ledger.Ledger
	folder string
	server *httptest.Server
	now    time.Time
	n      int

	until   string              // "review": the next run is signed, and waits for that
	earlier []procedure.Earlier // what the device of the next run gave before
	end     func()              // stops the server; more than once is once
	base    int64               // the last event of the record that it began with
}

// scenario is a ledger with the demo's data, filled once for all tests here.
var scenario = sync.OnceValues(func() (file []byte, err error) {
	folder, err := os.MkdirTemp("", "scenario")
	if err != nil {
		return nil, err
	}
	defer os.RemoveAll(folder)
	all, err := definition.Shipped()
	if err != nil {
		return nil, err
	}
	l, err := ledger.Open(folder)
	if err != nil {
		return nil, err
	}
	if err = demo.Fill(l, all, nil, workshop.DemoPassword, 1, day); err != nil {
		return nil, err
	}
	if err = l.Close(); err != nil {
		return nil, err
	}
	return os.ReadFile(filepath.Join(folder, ledger.File))
})

// hallowmere is a ledger of the test's own with the demo's data.
func hallowmere(t *testing.T, folder string) *ledger.Ledger {
	t.Helper()
	file, err := scenario()
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(filepath.Join(folder, ledger.File), file, 0o600))
	l, err := ledger.Open(folder)
	require.NoError(t, err)
	return l
}

// work has a run of a procedure made on a device by the book, and signed.
func (h *house) work(t *testing.T, a ledger.Asset, id string) {
	t.Helper()
	h.workWith(t, a, id, exact{})
}

// workWith is the same on a device that shows what a truth says.
func (h *house) workWith(t *testing.T, a ledger.Asset, id string, truth sim.Truth) run.Run {
	t.Helper()
	all, err := definition.Shipped()
	require.NoError(t, err)
	for _, p := range all {
		if p.ID != id {
			continue
		}
		w := &sim.Technician{Person: person.Person{ID: "idris", Name: "Idris Vail", Role: person.Technician}, At: h.now,
			Reviewer: person.Person{ID: "tamsin", Name: "Tamsin Orrery", Role: person.Lead},
			Until:    h.until,
			Plate:    map[string]string{"capacity": "200", "division": "0.1", "regulated": "yes"},
			Truth:    truth, Room: [3]string{"21", "1008", "46"},
			Standard: func(_ run.Run, role reference.Role) reference.Standard { return demo.Fitting(role, h.now) }}
		lab := demo.Lab()
		if h.until == "review" {
			lab.Review = procedure.ReviewAlways
		}
		r, events, err := w.Work(p, run.RunOpened{
			Procedure: p.ID,
			Revision:  p.Revision,
			Hash:      p.Hash,
			Lab:       lab,
			Device:    a.Device(),
			Earlier:   h.earlier,
		})
		require.NoError(t, err)
		require.NoError(t, h.ledger.Take(p, events))
		h.now = w.At.Add(time.Minute)
		return r
	}
	require.FailNow(t, "no such procedure", id)
	return run.Run{}
}

// exact is a device that shows what is expected.
type exact struct{}

func (exact) Read(_, _ string, expected float64) float64 { return expected }
func (exact) Turn(string, string, float64)               {}

func newHouse(t *testing.T) *house {
	t.Helper()
	folder := t.TempDir()
	return houseOf(t, folder, hallowmere(t, folder))
}

// emptyHouse is a server with people, and nothing in its record yet.
func emptyHouse(t *testing.T) *house {
	t.Helper()
	folder := t.TempDir()
	l, err := ledger.Open(folder)
	require.NoError(t, err)
	hash, err := people.Hash(workshop.DemoPassword)
	require.NoError(t, err)
	for name, role := range map[string]person.Role{"Tamsin Orrery": person.Lead, "Idris Vail": person.Technician} {
		require.NoError(t, l.Save(&ledger.Person{ID: name, Name: name, Role: role, PasswordHash: hash, Active: true}))
	}
	return houseOf(t, folder, l)
}

func houseOf(t *testing.T, folder string, l *ledger.Ledger) *house {
	t.Helper()
	return houseBy(t, folder, l, api.Transport{})
}

// houseBy is a server that is reached by some transport.
func houseBy(t *testing.T, folder string, l *ledger.Ledger, by api.Transport) *house {
	t.Helper()
	ctx, cancel := context.WithCancel(context.Background())
	gas, err := sim.Serve(ctx, "127.0.0.1:0", sim.NewGasBench(map[string]float64{"HG-22": 5.02, "HG-23": 10.04,
		"HG-40": 5.1}))
	require.NoError(t, err)
	all, err := definition.Shipped()
	require.NoError(t, err)
	require.NoError(t, l.Record(ledger.Act{Kind: "instrument entered", By: ledger.Nobody, At: day},
		&ledger.Instrument{ID: "gas-bench", Name: "Gas bench", Kind: "gas-bench", Address: gas.Address()}))
	profiles, err := definition.Profiles("")
	require.NoError(t, err)
	h := &house{t: t, ledger: l, folder: folder, now: day}
	h.base, _, err = l.Tip()
	require.NoError(t, err)
	duties, err := definition.Duties("")
	require.NoError(t, err)
	signs, err := seal.New(filepath.Join(folder, "keys"), "")
	require.NoError(t, err)
	h.shop = &workshop.Workshop{
		Seal:       signs,
		Ledger:     l,
		Bench:      capture.NewDriver(capture.WallClock{Time: func() time.Time { return h.now }}),
		Profiles:   profiles,
		TryOut:     sim.TryOut,
		Procedures: all,
		Duties:     duties,
		Folder:     filepath.Join(folder, "procedures"),
		Clock:      func() time.Time { return h.now },
		Demo:       true,
		Version:    "test",
	}
	h.served = api.New(h.shop, by)
	require.NoError(t, h.shop.Connect(ctx))
	h.server = httptest.NewServer(h.served)
	h.end = sync.OnceFunc(func() {
		h.server.CloseClientConnections()
		h.server.Close()
		h.shop.End()
		cancel()
		gas.Wait()
		l.Close()
	})
	t.Cleanup(h.end)
	return h
}

// client is someone's browser.
type client struct {
	*house
	http *http.Client
}

func (h *house) client() *client {
	jar, err := cookiejar.New(nil)
	require.NoError(h.t, err)
	return &client{h, &http.Client{Jar: jar, Timeout: 20 * time.Second}}
}

func (h *house) signedIn(name string) *client {
	c := h.client()
	status, body := c.call("POST", "/api/session", map[string]string{"name": name, "password": workshop.DemoPassword})
	require.Equal(h.t, 200, status, string(body))
	return c
}

func (c *client) call(verb, path string, body any) (int, []byte) {
	c.t.Helper()
	var reader io.Reader
	if body != nil {
		text, err := json.Marshal(body)
		require.NoError(c.t, err)
		reader = bytes.NewReader(text)
	}
	request, err := http.NewRequest(verb, c.server.URL+path, reader)
	require.NoError(c.t, err)
	request.Header.Set("Content-Type", "application/json")
	response, err := c.http.Do(request)
	require.NoError(c.t, err)
	defer response.Body.Close()
	text, err := io.ReadAll(response.Body)
	require.NoError(c.t, err)
	if response.StatusCode >= 400 {
		require.Equal(c.t, "application/problem+json", response.Header.Get("Content-Type"), string(text))
	}
	return response.StatusCode, text
}

func get[T any](c *client, path string) (value T) {
	c.t.Helper()
	status, body := c.call("GET", path, nil)
	require.Equal(c.t, 200, status, string(body))
	require.NoError(c.t, json.Unmarshal(body, &value))
	return value
}

func (c *client) id() string { c.n++; return fmt.Sprintf("command-%04d", c.n) }

// open opens a run on a device.
func (c *client) open(tag string) runview.View {
	c.t.Helper()
	status, body := c.call("POST", "/api/runs", map[string]string{"id": c.id(), "asset": tag})
	require.Equal(c.t, 200, status, string(body))
	return view(c.t, body)
}

// openBy opens a run of a procedure on a device.
func (c *client) openBy(tag, by string) runview.View {
	c.t.Helper()
	status, body := c.call("POST", "/api/runs", map[string]string{"id": c.id(), "asset": tag, "procedure": by})
	require.Equal(c.t, 200, status, string(body))
	return view(c.t, body)
}

func view(t *testing.T, body []byte) (v runview.View) {
	t.Helper()
	require.NoError(t, json.Unmarshal(body, &v), string(body))
	return v
}

// order is a command as it travels.
type order map[string]any

// send gives a command, and wants it done.
func (c *client) send(v runview.View, o order) runview.View {
	c.t.Helper()
	status, body := c.try(v, o)
	require.Equal(c.t, 200, status, string(body))
	return view(c.t, body)
}

func (c *client) try(v runview.View, o order) (int, []byte) {
	c.t.Helper()
	if o["id"] == nil {
		o["id"] = c.id()
	}
	if o["expect"] == nil {
		o["expect"] = v.Seq
	}
	if kind, _ := o["kind"].(string); o["secret"] == nil && (workshop.CommandBody{Kind: kind}).Signs() {
		o["secret"] = workshop.DemoPassword
	}
	return c.call("POST", "/api/runs/"+v.ID+"/commands", o)
}

// refused gives a command, and wants a problem with a status, a code and some words.
func (c *client) refused(v runview.View, o order, status int, code, words string) api.Problem {
	c.t.Helper()
	got, body := c.try(v, o)
	var p api.Problem
	require.NoError(c.t, json.Unmarshal(body, &p))
	require.Equal(c.t, status, got, string(body))
	require.Equal(c.t, code, p.Code, p.Detail)
	require.Contains(c.t, p.Detail, words)
	return p
}

// toMeasuring carries a capnograph's run to its first reading.
func (c *client) toMeasuring(v runview.View) runview.View {
	c.t.Helper()
	for role, tag := range map[string]string{"gas5": "HG-22", "gas10": "HG-23", "breaths": "GB-1", "finger": "FS-1"} {
		v = c.send(v, order{"kind": "bind", "role": role, "standard": tag})
	}
	for _, s := range v.Steps {
		switch s.Kind {
		case procedure.StepMeasure:
			return v
		case procedure.StepCheck, procedure.StepCautions:
			v = c.send(v, order{"kind": "answer", "step": s.ID, "answer": "fine"})
		case procedure.StepAct:
			v = c.send(v, order{"kind": "do", "step": s.ID})
		case procedure.StepAmbient:
			v = c.send(v, order{
				"kind":        "ambient",
				"step":        s.ID,
				"temperature": "21,4",
				"pressure":    "1008",
				"humidity":    "46",
				"source":      "RC-01",
			})
		case procedure.StepWait:
			v = c.send(v, order{"kind": "start-wait", "step": s.ID})
			c.now = c.now.Add(time.Duration(s.Minutes+0.1) * time.Minute)
		}
	}
	return v
}

// lines splits a CSV.
func lines(text []byte) []string { return strings.Split(strings.TrimSpace(string(text)), "\n") }

func decoded[T any](t *testing.T, body string) (value T) {
	t.Helper()
	require.NoError(t, json.Unmarshal([]byte(body), &value), body)
	return value
}
