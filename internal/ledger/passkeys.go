package ledger

import "time"

// Passkey is a key on a device of somebody's, by which they sign in and sign. Its private half never leaves that device.
type Passkey struct {
	ID         string `gorm:"primaryKey"`
	PersonID   string `gorm:"index:passkey_by_person"`
	Name       string // as its owner calls the device
	Credential string // the public half, as JSON (Web Authentication, credential record)
	At         time.Time
	Ended      *time.Time
}

// Passkeys are all that there are or were, the latest first. They are only read.
func (l *Ledger) Passkeys() ([]Passkey, error) {
	return RememberRecords(l, "passkeys", func() ([]Passkey, error) { return many[Passkey](l.read.Order("at DESC, id")) })
}
