package api_test

import (
	"context"
	"encoding/json"
	"io"
	"net/http"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"northneedle/internal/workshop"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// endless is a body that says how much of it was taken.
type endless struct{ taken atomic.Int64 }

func (e *endless) Read(into []byte) (int, error) {
	if e.taken.Load() > 400<<20 {
		return 0, io.EOF
	}
	e.taken.Add(int64(len(into)))
	return len(into), nil
}

// Whoever may not send something is told so before it is read, and nobody opens or listens to more than they can work with.
func TestNobodyTakesMoreThanTheirPart(t *testing.T) {
	h := newHouse(t)
	trainee, technician := h.signedIn("Fenn Castellan"), h.signedIn("Idris Vail")
	for _, path := range []string{"/api/house/restore?go=true", "/api/imports?kind=assets"} {
		body := &endless{}
		answer, err := trainee.http.Post(h.server.URL+path, "application/octet-stream", body)
		if err == nil { // the server may close the line while the rest is still being sent
			assert.Equal(t, 403, answer.StatusCode)
			answer.Body.Close()
		}
		assert.Less(t, body.taken.Load(), int64(8<<20), path)
	}

	ctx, cancel := context.WithTimeout(t.Context(), time.Minute)
	defer cancel()
	listen := func(c *client) int {
		request, err := http.NewRequestWithContext(ctx, "GET", h.server.URL+"/api/changes", nil)
		require.NoError(t, err)
		answer, err := c.http.Do(request)
		require.NoError(t, err)
		return answer.StatusCode
	}
	for range 24 {
		require.Equal(t, 200, listen(trainee))
	}
	assert.Equal(t, 429, listen(trainee))
	assert.Equal(t, 200, listen(technician), "others are not in the way")

	tag := firstOf(t, technician, "capnograph", 2)
	opened := 0
	for ; opened <= 60; opened++ {
		status, body := technician.call("POST", "/api/runs", order{"id": technician.id(), "asset": tag})
		if status != 200 {
			assert.Equal(t, 409, status)
			assert.Contains(t, string(body), "60 runs open")
			break
		}
	}
	assert.LessOrEqual(t, opened, 60)
}

// A number that nothing can be reckoned with is refused by its name, and a text that would take the parser's whole
// memory before it.
func TestWhatIsTooLargeIsNamed(t *testing.T) {
	h := newHouse(t)
	lead := h.signedIn("Tamsin Orrery")
	prices, err := json.Marshal(get[workshop.ReportView](lead, "/api/report").Prices)
	require.NoError(t, err)
	var figures map[string]any
	require.NoError(t, json.Unmarshal(prices, &figures))
	for name := range figures {
		figures[name] = 1e308
		assert.Contains(t, lead.problem("/api/house/prices", figures, 422).Detail, "too large")
		break
	}
	status, _ := lead.call("GET", "/api/report", nil)
	assert.Equal(t, 200, status)
	v := lead.toMeasuring(lead.open(firstOf(t, lead, "capnograph", 2)))
	lead.refused(v, order{"kind": "capture", "measure": "co2", "point": v.Measures[0].Points[0].ID, "typed": "1e300"},
		422, "number", "too large")

	for name, text := range map[string]string{
		"brackets": "id: x\nsteps: " + strings.Repeat("[", 100_000),
		"dashes":   "id: x\nsteps:\n" + strings.Repeat("- ", 50_000) + "x",
		"indents": strings.Repeat(" ", 0) + func() (s string) {
			var b strings.Builder
			for i := range 400 {
				b.WriteString(strings.Repeat(" ", i) + "a:\n")
			}
			return b.String()
		}(),
	} {
		tried := posted[workshop.DryRun](lead, "/api/writing/try", order{"text": text})
		require.NotEmpty(t, tried.Mistakes, name)
		assert.Contains(t, tried.Mistakes[0].Message, "deep", name)
	}
}
