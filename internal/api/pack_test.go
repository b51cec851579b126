package api_test

import (
	"archive/zip"
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"io"
	"net/url"
	"slices"
	"strings"
	"testing"
	"time"

	"northneedle/core/report"
	"northneedle/internal/paper"
	"northneedle/internal/workshop"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// pack puts a pack together, and gives what is in it by its names.
func (h *house) pack(t *testing.T, c *client, query url.Values) map[string][]byte {
	t.Helper()
	job := posted[workshop.JobView](c, "/api/packs?"+query.Encode(), nil)
	require.Eventually(t, func() bool {
		job = get[workshop.JobView](c,
			"/api/jobs/"+job.ID)
		return job.State != "running"
	}, time.Minute, 20*time.Millisecond)
	require.Equal(t, "done", job.State, job.Why)
	text := h.text(c, "/api/jobs/"+job.ID+"/file")
	again := h.text(c, "/api/jobs/"+job.ID+"/file")
	assert.Equal(t, len(text), len(again), "it can be fetched twice")
	archive, err := zip.NewReader(bytes.NewReader(text), int64(len(text)))
	require.NoError(t, err)
	files := map[string][]byte{}
	for _, f := range archive.File {
		in, err := f.Open()
		require.NoError(t, err)
		files[f.Name], err = io.ReadAll(in)
		require.NoError(t, err)
	}
	return files
}

// checked is what is found of a paper.
func (h *house) checked(t *testing.T, c *client, pdf []byte) workshop.PaperView {
	t.Helper()
	response, err := c.http.Post(c.server.URL+"/api/papers/check", "application/pdf", bytes.NewReader(pdf))
	require.NoError(t, err)
	defer response.Body.Close()
	text, err := io.ReadAll(response.Body)
	require.NoError(t, err)
	require.Equal(t, 200, response.StatusCode, string(text))
	return decoded[workshop.PaperView](t, string(text))
}

// An inspector gets all of a time and a site, and nothing else: each certificate as it is genuine, each file with its hash in
// the index; for a clause, what it asks for, and the index says what is not in it.
func TestAnInspectorGetsAllOfIt(t *testing.T) {
	h := newHouse(t)
	c := h.signedIn("Tamsin Orrery")
	site := "Merrowby General"
	from, until := h.now.AddDate(0, 0, -30), h.now
	at := map[string]string{}
	for _, row := range h.rows(c, "equipment") {
		at[row["tag"]] = row["site"]
	}
	signed := map[string]bool{}
	for _, row := range h.rows(c, "histories") {
		if on := row["on"]; at[row["tag"]] == site && on > from.Format(time.DateOnly) && on <= until.Format(time.DateOnly) && row["by"] != "" {
			signed[row["run"]] = true
		}
	}
	delete(signed, "") // from older paper
	require.Greater(t, len(signed), 3)
	files := h.pack(t, c, url.Values{"from": {from.AddDate(0, 0, 1).Format(time.DateOnly)},
		"until": {until.Format(time.DateOnly)}, "site": {site}})
	index := strings.Join(strings.Fields(words(t, files["index.pdf"])), " ")
	sums := string(files["sha256.txt"])
	got := map[string]bool{}
	for name, body := range files {
		if name == "index.pdf" || name == "sha256.txt" {
			continue
		}
		sum := sha256.Sum256(body)
		assert.Contains(t, sums, hex.EncodeToString(sum[:])+"  "+name)
		assert.Contains(t, strings.ReplaceAll(index, " ", ""), strings.ReplaceAll(name, " ", "")[:min(12, len(name))])
		if strings.HasPrefix(name, "certificates/") {
			checked := h.checked(t, c, body)
			assert.Equal(t, paper.Genuine, checked.Finding, name)
			got[checked.Run] = true
		}
	}
	for id := range signed {
		assert.True(t, got[id], "the certificate of %s", id)
	}
	for id := range got {
		v := get[struct{ Device struct{ Site string } }](c, "/api/runs/"+id)
		assert.Equal(t, site, v.Device.Site)
	}
	for _, name := range []string{"register.csv", "references.csv", "competence.csv", "look-backs.csv",
		"controls.csv", "log.csv", "record-check.txt"} {
		assert.NotEmpty(t, files[name], name)
	}
	assert.Contains(t, string(files["record-check.txt"]), "The record holds")
	assert.Contains(t, string(files["look-backs.csv"]), "HG-19")
	for line := range strings.Lines(string(files["register.csv"])) {
		assert.True(t, strings.HasPrefix(line, "tag,") || strings.Contains(line, site), line)
	}

	some := h.pack(t, c, url.Values{"from": {"2026-01-01"}, "clause": {"ISO/IEC 17025:2017, 7.10"}})
	names := []string{}
	for name := range some {
		names = append(names, name)
	}
	slices.Sort(names)
	assert.Equal(t, []string{"index.pdf", "look-backs.csv", "register.csv", "sha256.txt"}, names)
	assert.Contains(t, strings.Join(strings.Fields(words(t, some["index.pdf"])), " "),
		"Not asked for: Certificates of runs, References")

	clauses := get[[]report.Clause](c, "/api/clauses")
	for _, clause := range clauses {
		parts, known := report.PartsFor(clause.Named(), clauses)
		assert.True(t, known && len(parts) == len(clause.Parts), "%s asks for parts that there are", clause.Named())
	}
	c.problem("/api/packs?from=2026-01-01&clause=9.9", nil, 422)
	c.problem("/api/packs?from=2026-03-01&until=2026-02-01", nil, 422)
	status, _ := h.signedIn("Fenn Castellan").call("POST", "/api/packs?from=2026-01-01", nil)
	assert.Equal(t, 403, status)
	assert.Contains(t, string(h.text(c, "/api/history/house/all")), "an inspector's pack of")
}
