package ledger

import (
	"fmt"
	"northneedle/core/run"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

// EnterStandard enters a new standard with its first certificate. A tag that exists is
// refused with gorm.ErrDuplicatedKey.
func (l *Ledger) EnterStandard(s *Standard, c *StandardCertificate) error {
	return l.write.Transaction(func(tx *gorm.DB) error {
		if err := tx.Create(s).Error; err != nil {
			return err
		}
		return tx.Create(c).Error
	})
}

// Certify gives a standard a new certificate, which becomes the current one; earlier
// ones are kept. A certificate with the same id is entered only once.
func (l *Ledger) Certify(c *StandardCertificate) error {
	return l.write.Transaction(func(tx *gorm.DB) error {
		entered := tx.Clauses(clause.OnConflict{DoNothing: true}).Create(c)
		if entered.Error != nil || entered.RowsAffected == 0 {
			return entered.Error
		}
		s, err := one[Standard](tx.Where("id = ?", c.StandardID))
		if err != nil {
			return err
		}
		if c.Certificate.On.Before(s.Certificate.On) {
			return nil // an older one, for the history
		}
		s.Certificate, s.Values, s.Parent = c.Certificate, c.Values, c.Parent
		return tx.Save(&s).Error
	})
}

// SetStandardStatus changes whether a standard may be used, with a note why.
func (l *Ledger) SetStandardStatus(id, status, note string) error {
	changed := l.write.Model(&Standard{}).Where("id = ?", id).Updates(map[string]any{"status": status, "note": note})
	if changed.Error == nil && changed.RowsAffected == 0 {
		return ErrNotFound
	}
	return changed.Error
}

// ReadGauge notes a reading of a cylinder's gauge. One with the same id is noted only once.
func (l *Ledger) ReadGauge(g *Gauge) error {
	return l.write.Transaction(func(tx *gorm.DB) error {
		noted := tx.Clauses(clause.OnConflict{DoNothing: true}).Create(g)
		if noted.Error != nil || noted.RowsAffected == 0 {
			return noted.Error
		}
		s, err := one[Standard](tx.Where("id = ?", g.StandardID))
		if err != nil {
			return err
		}
		if s.Cylinder == nil {
			return fmt.Errorf("%s is no cylinder", s.Tag)
		}
		s.Cylinder.GaugeBar = g.Bar
		return tx.Save(&s).Error
	})
}

// Certificates are a standard's, the oldest first.
func (l *Ledger) Certificates(standard string) ([]StandardCertificate, error) {
	return many[StandardCertificate](l.read.Where("standard_id = ?", standard).Order("\"on\""))
}

// Gauges are a cylinder's book, the oldest first.
func (l *Ledger) Gauges(standard string) ([]Gauge, error) {
	return many[Gauge](l.read.Where("standard_id = ?", standard).Order("at"))
}

// RunsWith are the runs a standard was used in since a time, the newest first.
func (l *Ledger) RunsWith(standard string, since time.Time, limit int) ([]Run, error) {
	used := l.read.Model(&Use{}).Select("run_id").Where("standard_id = ? AND at >= ?", standard, since)
	return many[Run](l.read.Where("id IN (?)", used).Order("opened_at DESC").Limit(limit))
}

// SignedRunsOn are the signed runs on what carries a tag, the newest first; a reference
// that is prepared by runs of its own carries one.
func (l *Ledger) SignedRunsOn(tag string, limit int) ([]Run, error) {
	asset := l.read.Model(&Asset{}).Select("id").Where("tag = ?", tag)
	return many[Run](l.read.Where("asset_id IN (?) AND status = ? AND NOT paper", asset, run.Signed).Order("ended_at DESC").Limit(limit))
}

// DevicesWith counts the devices that a standard was used on.
func (l *Ledger) DevicesWith(standard string) (n int64, err error) {
	used := l.read.Model(&Use{}).Select("run_id").Where("standard_id = ?", standard)
	err = l.read.Model(&Run{}).Where("id IN (?)", used).Distinct("asset_id").Count(&n).Error
	return n, err
}

// RolesSince are the roles a standard filled since a time, for what runs took from it.
func (l *Ledger) RolesSince(standard string, since time.Time) ([]Use, error) {
	return many[Use](l.read.Where("standard_id = ? AND at > ?", standard, since).Order("at"))
}
