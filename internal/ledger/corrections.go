package ledger

import "time"

// TestCorrection is a correction of a test that was entered into an analyser, with the comparison against a reference method that
// it rests on: corrected = (found − Intercept) ÷ Slope.
type TestCorrection struct {
	ID            string `gorm:"primaryKey"` // made by the client
	AssetID       string `gorm:"index:correction_of_asset,priority:1"`
	Test          string
	Slope         float64
	Intercept     float64 // in Unit
	SlopeLow      float64 // of the 95 % intervals
	SlopeHigh     float64
	InterceptLow  float64
	InterceptHigh float64
	N             int
	Unit          string    // UCUM
	Pairs         string    // as they were pasted: reference method, method under test
	Against       string    // the reference method, and where it was measured
	Why           string    // and what was done
	At            time.Time `gorm:"index:correction_of_asset,priority:2"`
	By            string
}

// Corrections are those of an analyser's tests, the newest first.
func (l *Ledger) Corrections(asset string) ([]TestCorrection, error) {
	return many[TestCorrection](l.read.Where("asset_id = ?", asset).Order("at DESC, id"))
}
