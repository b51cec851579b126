package api_test

import (
	"bufio"
	"bytes"
	"encoding/json"
	"io"
	"net/http"
	"testing"

	"northneedle/core/runview"
	"northneedle/internal/workshop"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// What a page listens to ends when the program does, and refused sign-ins that were only counted until then
// are recorded.
func TestStreamsEndWithTheProgram(t *testing.T) {
	h := emptyHouse(t)
	c := h.signedIn("Idris Vail")
	status, _ := h.client().call("POST", "/api/session",
		map[string]string{"name": "Idris Vail", "password": "a wrong one"})
	require.Equal(t, http.StatusUnauthorized, status)
	response, err := c.http.Get(h.server.URL + "/api/changes")
	require.NoError(t, err)
	defer response.Body.Close()
	reader := bufio.NewReader(response.Body)
	_, err = reader.ReadString('\n')
	require.NoError(t, err, "it is under way")
	h.served.EndStreams()
	_, err = io.ReadAll(reader)
	assert.NoError(t, err, "it ends as a whole answer does")
	require.NoError(t, h.served.Close())
	told, err := h.ledger.History(5, "record/sign-ins")
	require.NoError(t, err)
	require.Len(t, told, 1)
	assert.Contains(t, told[0].Why, "Idris Vail: 1")
}

func TestWhetherItServes(t *testing.T) {
	h := emptyHouse(t)
	response, err := http.Get(h.server.URL + "/healthz")
	require.NoError(t, err)
	defer response.Body.Close()
	text, err := io.ReadAll(response.Body)
	require.NoError(t, err)
	assert.Equal(t, "ok\n", string(text), "without signing in")
	assert.NotEmpty(t, response.Header.Get("X-Request-Id"), "the line in the log can be found by it")
	require.NoError(t, h.ledger.Close())
	again, err := http.Get(h.server.URL + "/healthz")
	require.NoError(t, err)
	defer again.Body.Close()
	assert.Equal(t, http.StatusServiceUnavailable, again.StatusCode)
}

// A history is read by whoever may see the record; of people, by whoever keeps them.
func TestHistoriesOverHTTP(t *testing.T) {
	h := newHouse(t)
	lead, technician := h.signedIn("Tamsin Orrery"), h.signedIn("Idris Vail")
	posted[workshop.HouseView](lead, "/api/house/prices", map[string]any{
		"currency":    "cr",
		"hour":        70,
		"litre":       0.4,
		"certificate": 300,
	})
	all := get[[]workshop.HappenedView](lead, "/api/history/house/all")
	require.NotEmpty(t, all)
	assert.Equal(t, "prices set", all[0].What)
	assert.Equal(t, "Tamsin Orrery", all[0].By)
	assert.Contains(t, all[0].Changes[len(all[0].Changes)-1].After, `"hour":70`)
	status, text := lead.call("POST", "/api/standards/HG-23/status",
		map[string]string{"status": "quarantined", "note": "it was dropped"})
	require.Equal(t, http.StatusOK, status, string(text))
	cylinder := get[[]workshop.HappenedView](technician, "/api/history/reference/HG-23")
	assert.Equal(t, "it was dropped", cylinder[0].Why)
	everyone := get[workshop.HouseView](lead, "/api/house").People
	bram := h.signedIn("Bram Ostley")
	status, text = bram.call("POST", "/api/house/people/"+everyone[1].ID, map[string]any{
		"role":     "technician",
		"active":   false,
		"password": "a fresh password",
		"reason":   "works elsewhere",
	})
	require.Equal(t, http.StatusOK, status, string(text))
	someone := get[[]workshop.HappenedView](bram, "/api/history/person/"+everyone[1].ID)
	require.Equal(t, "person changed", someone[0].What)
	for _, change := range someone[0].Changes {
		assert.NotContains(t, change.Before+change.After, "argon2", "a password's hash is nobody's to read")
	}
	status, _ = technician.call("GET", "/api/history/person/"+everyone[1].ID, nil)
	assert.Equal(t, http.StatusForbidden, status)
	status, _ = lead.call("GET", "/api/history/device/nowhere", nil)
	assert.Equal(t, http.StatusNotFound, status)
}

// written asks for something, and holds its text to what encoding/json makes of it.
func written[T any](c *client, path string) T {
	c.t.Helper()
	status, body := c.call("GET", path, nil)
	require.Equal(c.t, 200, status, path)
	var value T
	decoder := json.NewDecoder(bytes.NewReader(body))
	decoder.DisallowUnknownFields()
	require.NoError(c.t, decoder.Decode(&value), path)
	var again bytes.Buffer
	encoder := json.NewEncoder(&again)
	encoder.SetEscapeHTML(false)
	require.NoError(c.t, encoder.Encode(value))
	require.True(c.t, again.String() == string(body), "%s is not written as encoding/json writes it", path)
	return value
}

func TestAnswersAreWrittenAsTheStandardLibraryWouldWriteThem(t *testing.T) {
	c := newHouse(t).signedIn("Tamsin Orrery")
	written[workshop.HouseView](c, "/api/house")
	written[workshop.TodayView](c, "/api/today")
	written[[]workshop.StandardView](c, "/api/standards")
	written[[]workshop.ControlState](c, "/api/controls")
	written[[]workshop.IntervalBrief](c, "/api/intervals")
	written[workshop.RoundView](c, "/api/rounds/2026-03-02")
	written[workshop.ReportView](c, "/api/report")
	for _, a := range written[workshop.AssetPageView](c, "/api/assets").Assets {
		for _, r := range written[workshop.AssetView](c, "/api/assets/"+a.ID).History {
			if !r.Paper {
				written[runview.View](c, "/api/runs/"+r.ID)
			}
		}
	}
}
