package ledger

import (
	"errors"
	"time"

	"northneedle/core/control"
)

// ControlLot is a lot of control material at one level, as an analyser measures one
// analyte of it: what it should read, and how much that scatters.
type ControlLot struct {
	ID      string `gorm:"primaryKey"`
	AssetID string `gorm:"index:control_lot_of,priority:1"`
	Analyte string `gorm:"index:control_lot_of,priority:2"`
	Level   int
	Lot     string
	Unit    string // UCUM
	Mean    float64
	SD      float64
	Allowed float64   // total error allowed, percent
	From    time.Time // first day of use
	Expires time.Time
}

// Core is the lot as the core judges by it.
func (l ControlLot) Core() control.Lot {
	return control.Lot{
		ID:      l.ID,
		Number:  l.Lot,
		Level:   l.Level,
		Mean:    l.Mean,
		SD:      l.SD,
		Allowed: l.Allowed,
		From:    l.From,
		Expires: l.Expires,
	}
}

// ControlValue is one control measured. Values of one run carry the same run id, made by the client.
type ControlValue struct {
	ID      uint      `gorm:"primaryKey"`
	RunID   string    `gorm:"uniqueIndex:control_once,priority:1"`
	LotID   string    `gorm:"uniqueIndex:control_once,priority:2"`
	AssetID string    `gorm:"index:control_value_of,priority:1"`
	Analyte string    `gorm:"index:control_value_of,priority:2"`
	At      time.Time `gorm:"index:control_value_of,priority:3"`
	Value   float64
	By      string
	Note    string
	Action  string // corrective action before the run; the control rules count from this run on
}

// ControlLots are an analyser's lots, the oldest first; with an analyte, those of it.
func (l *Ledger) ControlLots(asset, analyte string) ([]ControlLot, error) {
	query := l.read.Order("analyte, level, \"from\"")
	if asset != "" {
		query = query.Where("asset_id = ?", asset)
	}
	if analyte != "" {
		query = query.Where("analyte = ?", analyte)
	}
	return many[ControlLot](query)
}

// ControlValues are an analyser's controls of one analyte since a time, the oldest first.
func (l *Ledger) ControlValues(asset, analyte string, since time.Time) ([]ControlValue, error) {
	return many[ControlValue](l.read.Where("asset_id = ? AND analyte = ? AND at >= ?", asset, analyte,
		since).Order("at, id"))
}

// RecordControls keeps the values of one control run. A run sent again changes nothing.
func (l *Ledger) RecordControls(act Act, values []ControlValue) error {
	return l.Do(act, func(w *writer) error {
		for i := range values {
			if err := w.create(&values[i]); errors.Is(err, ErrExists) {
				return nil
			} else if err != nil {
				return err
			}
		}
		return nil
	})
}
