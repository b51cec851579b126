package ledger

import (
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"time"

	"gorm.io/gorm/clause"
)

// Attachment is a document or photograph of a device or a reference. Its content is kept apart, once by its hash.
type Attachment struct {
	ID      string `gorm:"primaryKey"`
	Hash    string `gorm:"index:attachment_by_hash"` // SHA-256 of the content
	Subject string `gorm:"index:attachment_of_subject"`
	Name    string
	Type    string // media type
	Size    int64  // bytes
	Note    string
	By      string
	At      time.Time
	Ended   *time.Time // when it was taken off the list; its content stays
	Why     string
}

// Content is what a file holds. It is no record of its own: the log has its hash.
type Content struct {
	Hash string `gorm:"primaryKey"`
	Body []byte
}

// Attachments are those of a device or reference that were not taken off, the latest first.
func (l *Ledger) Attachments(subject string) ([]Attachment, error) {
	return many[Attachment](l.read.Where("subject = ? AND ended IS NULL", subject).Order("at DESC, id"))
}

// AllAttachments are all that there are or were, the oldest first.
func (l *Ledger) AllAttachments() ([]Attachment, error) {
	return many[Attachment](l.read.Order("at, id"))
}

// Attachment is one file.
func (l *Ledger) Attachment(id string) (Attachment, error) {
	return one[Attachment](l.read.Where("id = ?", id))
}

// Content is what a file of that hash holds. The error says so where it is not what the hash says.
func (l *Ledger) Content(hash string) ([]byte, error) {
	c, err := one[Content](l.read.Where("hash = ?", hash))
	if err != nil {
		return nil, err
	}
	return c.Body, c.check()
}

func (c Content) check() error {
	if sum := sha256.Sum256(c.Body); hex.EncodeToString(sum[:]) != c.Hash {
		return fmt.Errorf("the content of the file %s was changed", c.Hash)
	}
	return nil
}

// Attach keeps a file with its content, in one step.
func (l *Ledger) Attach(act Act, f Attachment, content []byte) error {
	return l.Do(act, func(w *writer) error {
		kept := Content{f.Hash, content}
		if err := kept.check(); err != nil {
			return err
		}
		if err := w.tx.Clauses(clause.OnConflict{DoNothing: true}).Create(&kept).Error; err != nil {
			return err
		}
		return w.create(&f)
	})
}

// Kept is how many bytes of files are kept of a subject, and of all together, each content once.
func (l *Ledger) Kept(subject string) (of, all int64, err error) {
	if err = l.read.Raw("SELECT COALESCE(SUM(size), 0) FROM attachments WHERE subject = ? AND ended IS NULL",
		subject).Scan(&of).Error; err != nil {
		return 0, 0, err
	}
	err = l.read.Raw("SELECT COALESCE(SUM(size), 0) FROM (SELECT DISTINCT hash, size FROM attachments)").Scan(&all).Error
	return of, all, err
}

// verifyContents checks that every file has its content, and that each is what its hash says.
func (l *Ledger) verifyContents() error {
	var hashes []string
	if err := l.read.Raw("SELECT DISTINCT hash FROM attachments ORDER BY hash").Scan(&hashes).Error; err != nil {
		return err
	}
	for _, hash := range hashes {
		if _, err := l.Content(hash); err != nil {
			return fmt.Errorf("a file does not hold: %s: %w", hash, err)
		}
	}
	return nil
}
