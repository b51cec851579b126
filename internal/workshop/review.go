package workshop

import (
	"time"

	"northneedle/core/run"
	"northneedle/core/signal"
	"northneedle/internal/ledger"
)

// RunBefore is the last signed run of a procedure on a device before another one.
type RunBefore struct {
	Run    string        `json:"run,omitempty" doc:"empty where there is none"`
	At     *time.Time    `json:"at,omitempty"`
	By     string        `json:"by,omitempty"`
	Result run.Result    `json:"result,omitempty"`
	Points []PointBefore `json:"points"`
}

// PointBefore is what a point showed then.
type PointBefore struct {
	Measure      string    `json:"measure"`
	Point        string    `json:"point"`
	Phase        run.Phase `json:"phase"`
	Error        float64   `json:"error"`
	ErrorToLimit float64   `json:"error_to_limit"`
	Unit         string    `json:"unit"`
}

// Before is what the device showed when it was verified last by the same procedure.
func (ws *Workshop) Before(id string) (b RunBefore, err error) {
	b.Points = []PointBefore{}
	row, err := ws.Ledger.RunRow(id)
	if err != nil {
		return b, err
	}
	before, found, err := ws.Ledger.RunBefore(row)
	if err != nil || !found {
		return b, err
	}
	b.Run, b.At, b.By, b.Result = before.ID, before.EndedAt, before.By, before.Result
	results, err := ws.Ledger.ResultsOf(before.ID)
	for _, r := range results {
		b.Points = append(b.Points, PointBefore{r.Measure, r.Point, r.Phase, r.Error, r.ErrorToLimit, r.Unit})
	}
	return b, err
}

// Trace is the stretch of trace that a reading was taken from; empty where it was typed.
func (ws *Workshop) Trace(id, reading string) ([]signal.Sample, error) {
	r, err := ws.Ledger.Run(id)
	if err != nil {
		return nil, err
	}
	for _, one := range r.Readings {
		if one.Reading == reading {
			return append([]signal.Sample{}, one.Trace...), nil
		}
	}
	return nil, ledger.ErrNotFound
}
