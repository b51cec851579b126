package main

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/http/cookiejar"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"time"

	"northneedle/core/procedure"
	"northneedle/core/runview"
	"northneedle/internal/api"
	"northneedle/internal/capture"
	"northneedle/internal/definition"
	"northneedle/internal/demo"
	"northneedle/internal/ledger"
	"northneedle/internal/workshop"
)

// house is the whole server on a real port, with someone signed in.
type house struct {
	ledger *ledger.Ledger
	server *httptest.Server
	http   http.Client
	now    time.Time // the server's clock, so that a wait takes none
	n      int
}

// openHouse serves a ledger in a folder; a new one is filled with the demo's scenario.
func openHouse(folder string) (*house, error) {
	all, err := definition.Shipped()
	if err != nil {
		return nil, err
	}
	duties, err := definition.Duties("")
	if err != nil {
		return nil, err
	}
	l, err := ledger.Open(folder)
	if err != nil {
		return nil, err
	}
	h := &house{ledger: l, now: time.Now()}
	everyone, err := l.People()
	if err == nil && len(everyone) == 0 {
		err = demo.Fill(l, all, nil, workshop.DemoPassword, 1, h.now)
	}
	if err != nil {
		return nil, err
	}
	h.server = httptest.NewServer(api.New(&workshop.Workshop{
		Ledger:     l,
		Bench:      capture.NewDriver(capture.WallClock{Time: time.Now}),
		Procedures: all,
		Duties:     duties,
		Clock:      func() time.Time { return h.now },
		Demo:       true,
	}, api.Transport{}))
	return h, h.signIn()
}

// scales opens a house in a new folder, with the tags of the column scales in use.
func scales(name string) (*house, []string, error) {
	path, err := folder(name)
	if err != nil {
		return nil, nil, err
	}
	h, err := openHouse(path)
	if err != nil {
		return nil, nil, err
	}
	page, err := get[struct{ Assets []struct{ Tag string } }](h, "/api/assets?search=column+scale&status=in+use")
	var tags []string
	for _, a := range page.Assets {
		tags = append(tags, a.Tag)
	}
	return h, tags, err
}

func (h *house) signIn() error {
	jar, err := cookiejar.New(nil)
	if err != nil {
		return err
	}
	h.http = http.Client{Jar: jar}
	_, err = post[json.RawMessage](h, "/api/session",
		map[string]string{"name": "Idris Vail", "password": workshop.DemoPassword})
	return err
}

func (h *house) close() {
	h.server.Close()
	h.ledger.Close()
}

func answer[T any](response *http.Response, err error) (value T, _ error) {
	if err != nil {
		return value, err
	}
	defer response.Body.Close()
	text, err := io.ReadAll(response.Body)
	if err == nil && response.StatusCode >= 300 {
		err = fmt.Errorf("%s: %s", response.Status, text)
	}
	if err != nil || response.StatusCode == http.StatusNoContent {
		return value, err
	}
	return value, json.Unmarshal(text, &value)
}

func post[T any](h *house, path string, body any) (value T, err error) {
	text, err := json.Marshal(body)
	if err != nil {
		return value, err
	}
	return answer[T](h.http.Post(h.server.URL+path, "application/json", bytes.NewReader(text)))
}

func get[T any](h *house, path string) (T, error) { return answer[T](h.http.Get(h.server.URL + path)) }

// order gives a run a command.
func (h *house) order(v runview.View, fields map[string]any) (runview.View, error) {
	text, err := h.send(h.command(v, fields), v)
	if err != nil {
		return v, err
	}
	var next runview.View
	return next, json.Unmarshal(text, &next)
}

// command is an order as it travels.
func (h *house) command(v runview.View, fields map[string]any) []byte {
	h.n++
	fields["id"], fields["expect"] = fmt.Sprintf("%d-%d", h.now.UnixNano(), h.n), v.Seq
	text, _ := json.Marshal(fields) // plain words and numbers
	return text
}

// send sends a command and waits for the whole answer.
func (h *house) send(command []byte, v runview.View) ([]byte, error) {
	return answer[json.RawMessage](h.http.Post(h.server.URL+"/api/runs/"+v.ID+"/commands", "application/json",
		bytes.NewReader(command)))
}

// toMeasuring opens a run on a scale and carries it to its first reading.
func (h *house) toMeasuring(tag string) (runview.View, error) {
	h.n++
	v, err := post[runview.View](h, "/api/runs", map[string]string{"id": fmt.Sprintf("open-%d-%d", h.now.UnixNano(),
		h.n), "asset": tag})
	if err != nil {
		return v, err
	}
	for _, s := range v.Steps {
		order := map[string]any{"step": s.ID}
		switch s.Kind {
		case procedure.StepMeasure:
			return v, nil
		case procedure.StepBring:
			order = map[string]any{"kind": "bind", "role": "weights", "standard": "WK-1"}
		case procedure.StepCheck, procedure.StepCautions:
			order["kind"], order["answer"] = "answer", "fine"
		case procedure.StepAct:
			order["kind"] = "do"
		case procedure.StepAmbient:
			order["kind"], order["temperature"], order["pressure"], order["humidity"], order["source"] = "ambient", "21", "1009", "50", "RC-01"
			order["confirmed"] = true // whatever the height of the site
		case procedure.StepRecord:
			order["kind"], order["values"] = "plate", map[string]string{"capacity": "200", "division": "0.1"}
		case procedure.StepWait:
			order["kind"] = "start-wait"
		}
		if v, err = h.order(v, order); err != nil {
			return v, fmt.Errorf("%s: %w", s.Title, err)
		}
		h.now = h.now.Add(time.Duration(s.Minutes+1) * time.Minute)
	}
	return v, nil
}

// folder makes an empty folder under the data folder, on the same disk as everything measured.
func folder(name string) (string, error) {
	path := filepath.Join(options.Data, name)
	if strings.Contains(name, "..") {
		return "", fmt.Errorf("%q is no name for a folder", name)
	}
	if err := os.RemoveAll(path); err != nil {
		return "", err
	}
	return path, os.MkdirAll(path, 0o700)
}
