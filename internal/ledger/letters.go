package ledger

import "time"

// Contact is somebody outside the workshop who is told of some devices: a ward, an owner, whoever answers for a site.
type Contact struct {
	ID       string `gorm:"primaryKey"`
	Name     string
	Mail     string // address; empty: none is sent
	Site     string // of the devices; empty: any, as with the next two
	Place    string
	Owner    string
	Digest   bool       // gets what is due, once a week
	Digested *time.Time // for which week last
	Link     int        // number of the link to their page, which its secret is made from; 0: they have no link
	At       time.Time
	Ended    *time.Time
}

// Letter is a mail in the outbox, and what became of it.
type Letter struct {
	ID        string `gorm:"primaryKey"`
	Kind      LetterKind
	ContactID string // whose page its link opens; empty: it goes to one of the workshop's people
	Name      string // of whom it goes to
	Mail      string
	Subject   string
	Text      string // [PageMark] stands where the link to their page does
	About     string `gorm:"index:letter_about"` // "notice/…", "run/…", "contact/…"
	At        time.Time
	By        string // who had it sent
	Tries     int
	Next      *time.Time `gorm:"index:letter_to_send"` // when it is tried next; nil: it was sent, or is given up
	Sent      *time.Time
	Ended     *time.Time // given up
	Trouble   string     // why it was not sent when it was tried last
}

// PageMark stands in a letter for the link to somebody's page, which is put in when it is sent: a secret is kept in no record.
const PageMark = "[the link to your page]"

// LetterKind is what a letter is for.
type LetterKind string

// The kinds.
const (
	NoticeLetter LetterKind = "notice"
	DigestLetter LetterKind = "digest"
	ReviewLetter LetterKind = "review"
	LinkLetter   LetterKind = "link"
)

// Contacts are those that are told, by name. They are only read.
func (l *Ledger) Contacts() ([]Contact, error) {
	return RememberRecords(l, "contacts", func() ([]Contact, error) {
		return many[Contact](l.read.Where("ended IS NULL").Order("site, place, name, id"))
	})
}

// Contact is one; ErrNotFound also where it is not told any more.
func (l *Ledger) Contact(id string) (Contact, error) {
	return one[Contact](l.read.Where("id = ? AND ended IS NULL", id))
}

// LettersToSend are those that are to be tried by a moment, the earliest first.
func (l *Ledger) LettersToSend(by time.Time) ([]Letter, error) {
	return many[Letter](l.read.Where("next <= ?", by).Order("next, id"))
}

// Letters are the latest, the newest first.
func (l *Ledger) Letters(limit int) ([]Letter, error) {
	return many[Letter](l.read.Order("at DESC, id DESC").Limit(limit))
}

// Letter is one of them.
func (l *Ledger) Letter(id string) (Letter, error) { return one[Letter](l.read.Where("id = ?", id)) }

// LettersAbout are those about some things, the newest first.
func (l *Ledger) LettersAbout(things ...string) ([]Letter, error) {
	return many[Letter](l.read.Where("about IN ?", things).Order("at DESC, id DESC"))
}

// NoticesOf are the notices of look-backs that are open, about devices of a register's part, the newest look-back first.
func (l *Ledger) NoticesOf(f AssetFilter) ([]Notice, error) {
	return many[Notice](l.read.Where("asset_id IN (?)", l.matching(f, false).Select("assets.id")).
		Where("look_back_id IN (SELECT id FROM look_backs WHERE closed_at IS NULL)").
		Where("sent_at IS NOT NULL").Order("sent_at DESC, id"))
}
