// Package exchange writes and reads open formats.
package exchange

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"strconv"
	"time"

	"northneedle/core/run"
	"northneedle/core/runview"
	"northneedle/internal/ledger"
)

// Format names the layout of a whole run as JSON.
const Format = "northneedle-run/2"

// Record is a whole run: its definition, its events with their chain, and the view computed from them.
type Record struct {
	Format    string       `json:"format"`
	View      runview.View `json:"view"`
	Procedure string       `json:"procedure"` // its text as it was kept
	Events    []Entry      `json:"events"`
	Seal      string       `json:"seal,omitempty"` // JWS of the workshop's key over a [Sealed]
}

// Sealed is what a workshop's key says of a run that it hands out.
type Sealed struct {
	Run  string `json:"run"`
	Head string `json:"head"` // hash of its last event
}

// Entry is an event of the log. Hash covers the hash before it and every other field, as the log holds them.
type Entry struct {
	Seq  int             `json:"seq"`
	ID   string          `json:"id"`
	Kind string          `json:"kind"`
	At   string          `json:"at"`
	By   json.RawMessage `json:"by"`
	Data json.RawMessage `json:"data"`
	Log  string          `json:"log"` // hash of the event before it in the whole log
	Prev string          `json:"prev"`
	Hash string          `json:"hash"`
}

// RunJSON writes a whole run.
// sign is by the workshop's key; nil: nothing is signed.
func RunJSON(run run.Run, rows []ledger.Event, now time.Time, sign func(any) (string, error)) ([]byte, error) {
	record := Record{Format: Format, View: runview.Of(run, now), Procedure: run.Procedure.Text}
	for _, e := range rows {
		record.Events = append(record.Events, Entry{e.Seq, e.EventID, e.Kind, e.At, json.RawMessage(e.By),
			json.RawMessage(e.Data), e.Log, e.Prev, e.Hash})
	}
	if sign != nil && len(rows) > 0 {
		var err error
		if record.Seal, err = sign(Sealed{run.ID, rows[len(rows)-1].Hash}); err != nil {
			return nil, err
		}
	}
	return json.MarshalIndent(record, "", " ")
}

// PointsCSV writes one row for every judged point and phase, with ISO dates and UCUM units.
func PointsCSV(v runview.View) ([]byte, error) {
	var out bytes.Buffer
	w := csv.NewWriter(&out)
	w.Write([]string{"run", "tag", "measure", "point", "phase", "round", "unit", "reference", "indicated", "error",
		"limit_low", "limit_high", "expanded_uncertainty", "k", "tur", "zone", "conforms"})
	number := func(x float64) string { return strconv.FormatFloat(x, 'g', 10, 64) }
	limit := func(x *float64) string {
		if x == nil {
			return ""
		}
		return number(*x)
	}
	for _, m := range v.Measures {
		for _, p := range m.Points {
			for _, d := range []*runview.VerdictView{p.Found, p.Left} {
				if d == nil {
					continue
				}
				w.Write([]string{v.ID, v.Device.Tag, m.ID, p.ID, string(d.Phase), strconv.Itoa(d.Round), m.Unit,
					number(d.Reference), number(d.Indicated), number(d.Error),
					limit(d.Low), limit(d.High), number(d.U), number(d.K), number(d.TUR), string(d.Zone),
					strconv.FormatBool(d.Pass)})
			}
		}
	}
	w.Flush()
	return out.Bytes(), w.Error()
}
