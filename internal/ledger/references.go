package ledger

import (
	"errors"
	"fmt"
	"northneedle/core/run"
	"time"
)

// EnterStandard enters a new standard with its first certificate. A tag that exists is
// refused with ErrExists.
func (l *Ledger) EnterStandard(act Act, s *Standard, c *StandardCertificate) error {
	return l.Do(act, func(w *writer) error { return errors.Join(w.create(s), w.create(c)) })
}

// Certify gives a standard a new certificate, which becomes the current one; earlier
// ones are kept. A certificate with the same id is entered only once.
func (l *Ledger) Certify(act Act, c *StandardCertificate) error {
	return l.Do(act, func(w *writer) error {
		if err := w.create(c); errors.Is(err, ErrExists) {
			return nil
		} else if err != nil {
			return err
		}
		s, err := one[Standard](w.tx.Where("id = ?", c.StandardID))
		if err != nil {
			return err
		}
		if c.Certificate.On.Before(s.Certificate.On) {
			return nil // an older one, for the history
		}
		s.Certificate, s.Values, s.Parent = c.Certificate, c.Values, c.Parent
		return w.save(&s)
	})
}

// SetStandardStatus changes whether a standard may be used, with a note why.
func (l *Ledger) SetStandardStatus(act Act, id, status, note string) error {
	return l.Do(act, func(w *writer) error {
		s, err := one[Standard](w.tx.Where("id = ?", id))
		if err != nil {
			return err
		}
		s.Status, s.Note = status, note
		return w.save(&s)
	})
}

// ReadGauge notes a reading of a cylinder's gauge. One with the same id is noted only once.
func (l *Ledger) ReadGauge(act Act, g *Gauge) error {
	return l.Do(act, func(w *writer) error {
		s, err := one[Standard](w.tx.Where("id = ?", g.StandardID))
		if err != nil {
			return err
		}
		if s.Cylinder == nil {
			return fmt.Errorf("%s is no cylinder", s.Tag)
		}
		if err := w.create(g); errors.Is(err, ErrExists) {
			return nil
		} else if err != nil {
			return err
		}
		s.Cylinder.GaugeBar = g.Bar
		return w.save(&s)
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

// SignedRunsOn are the signed runs on the device with a tag, the newest first. A reference that is
// prepared by its own runs has a tag, too.
func (l *Ledger) SignedRunsOn(tag string, limit int) ([]Run, error) {
	asset := l.read.Model(&Asset{}).Select("id").Where("tag = ?", tag)
	return many[Run](l.read.Where("asset_id IN (?) AND status = ? AND NOT paper", asset,
		run.Signed).Order("ended_at DESC").Limit(limit))
}

// SignedRunsWith are the signed runs by some procedures that used a standard, the newest first.
func (l *Ledger) SignedRunsWith(standard string, procedures []string, limit int) ([]Run, error) {
	used := l.read.Model(&Use{}).Select("run_id").Where("standard_id = ?", standard)
	return many[Run](l.read.Where("procedure IN ? AND status = ? AND NOT paper AND id IN (?)", procedures, run.Signed, used).
		Order("ended_at DESC").Limit(limit))
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
