package ledger

import "time"

// The kinds of token.
const (
	OfProgram  = "program"
	OfCalendar = "calendar"
)

// Token reads without a person signing in. Its secret was shown once, and is kept as a hash; it ends with its owner's account.
type Token struct {
	ID       string `gorm:"primaryKey"`
	Kind     string
	Purpose  string
	PersonID string   // its owner
	Only     []string `gorm:"serializer:json"` // ids of the operations that it reads; empty: all
	Hash     string   `gorm:"uniqueIndex:token_by_hash"`
	At       time.Time
	Ended    *time.Time
}

// Tokens are all that there are or were, the latest first. They are only read.
func (l *Ledger) Tokens() ([]Token, error) {
	return RememberRecords(l, "tokens", func() ([]Token, error) { return many[Token](l.read.Order("at DESC, id")) })
}
