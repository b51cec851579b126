package ledger

import (
	"errors"
	"fmt"
	"time"

	"northneedle/core/control"
	"northneedle/core/quantity"
	"northneedle/core/run"
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

// chartControls puts the controls that were measured in a signed run onto their charts, at the time of its signature. A lot
// that has no chart yet begins one, by its certified value and the scatter that the procedure gives it.
func chartControls(w *writer, r run.Run) error {
	at := r.Signature.At
	for _, c := range r.ControlReadings() {
		lots, err := many[ControlLot](w.tx.Where("asset_id = ? AND analyte = ? AND level = ? AND lot = ?", r.Device.ID, c.Analyte,
			c.Level, c.Standard.Lot))
		if err != nil {
			return err
		}
		lot := ControlLot{
			ID:      fmt.Sprintf("lot-%s-%s-%d", r.ID, c.Analyte, c.Level),
			AssetID: r.Device.ID,
			Analyte: c.Analyte,
			Level:   c.Level,
			Lot:     c.Standard.Lot,
			Unit:    c.Unit,
			Mean:    c.Mean,
			SD:      c.Mean * c.CV / 100,
			Allowed: c.Allowed,
			From:    at,
			Expires: c.Standard.Certificate.DueOn,
		}
		if len(lots) > 0 {
			lot = lots[0]
		} else if err := w.save(&lot); err != nil {
			return err
		}
		scale, err := quantity.ScaleOf(c.Analyte, c.Unit, lot.Unit)
		if err != nil {
			return err
		}
		if err := w.save(&ControlValue{RunID: r.ID, LotID: lot.ID, AssetID: r.Device.ID, Analyte: c.Analyte, At: at,
			Value: c.Value * scale, By: r.Signature.By.Name, Note: "measured in the run " + r.Procedure.Title}); err != nil {
			return err
		}
	}
	return nil
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
