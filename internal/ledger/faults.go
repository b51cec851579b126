package ledger

import "time"

// Fault is something wrong with a device, as it was reported, and what it was found to be.
type Fault struct {
	ID       string `gorm:"primaryKey"`
	AssetID  string `gorm:"index:fault_of_asset"`
	What     string
	Reporter string // whoever noticed it: often none of the workshop's people
	Since    *time.Time
	At       time.Time
	By       string // who wrote it down

	Judged   *time.Time // nil: not yet
	JudgedBy string
	Outcome  FaultOutcome
	Found    string
	Parts    string
	Minutes  int // of work
}

// FaultOutcome is what became of a fault.
type FaultOutcome string

// The outcomes.
const (
	NothingFound FaultOutcome = "nothing found"
	Mended       FaultOutcome = "mended"    // what a repair undoes is due
	Withdrawn    FaultOutcome = "withdrawn" // the device is out of use until a signed run finds it good
)

// Faults are those of some devices, the latest first; with open only those that were not judged yet.
func (l *Ledger) Faults(open bool, assets ...string) ([]Fault, error) {
	of := l.read.Where("asset_id IN ?", assets).Order("at DESC, id")
	if open {
		of = of.Where("judged IS NULL")
	}
	return many[Fault](of)
}

// Fault is one fault.
func (l *Ledger) Fault(id string) (Fault, error) { return one[Fault](l.read.Where("id = ?", id)) }
