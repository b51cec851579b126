package ledger

import (
	"time"

	"northneedle/core/report"
	"northneedle/core/run"
)

// DoneBetween are the activities done from one time up to before another, with the day
// each was due. The first time on a device, which had no day yet, is not among them.
func (l *Ledger) DoneBetween(from, until time.Time) ([]report.Done, error) {
	rows, err := many[ActivityNote](l.read.Select("at, due_on").
		Where("kind IN ? AND at >= ? AND at < ? AND due_on IS NOT NULL", []string{NoteDone, NoteFailed}, from,
			until).Order("at"))
	done := make([]report.Done, len(rows))
	for i, r := range rows {
		done[i] = report.Done{Due: *r.DueOn, On: r.At}
	}
	return done, err
}

// ModelFound is how the devices of a model were found.
type ModelFound struct {
	Device  string // maker and model
	Family  string
	Runs    int
	Inside  int // runs with every point inside its limits as found
	Devices int
}

// FoundByModel says, for the runs signed from one time up to before another, how many
// were found with every point inside its limits; the most runs first. A device that was entered twice counts once.
func (l *Ledger) FoundByModel(from, until time.Time) ([]ModelFound, error) {
	return many[ModelFound](l.read.Model(&Run{}).Select("runs.maker || ' ' || runs.model AS device, runs.family, count(*) AS runs, "+
		"sum(found_out = 0) AS inside, count(DISTINCT ifnull(nullif(assets.same_as, ''), runs.asset_id)) AS devices").
		Joins("LEFT JOIN assets ON assets.id = runs.asset_id").
		Where("runs.status = ? AND replaced_by = '' AND found > 0 AND ended_at >= ? AND ended_at < ?", run.Signed, from,
			until).Group("runs.maker, runs.model, runs.family").Order("runs DESC, device"))
}

// OverdueRisks are the risk and the day of everything that was due before a day, on
// devices that are not retired.
func (l *Ledger) OverdueRisks(day time.Time) ([]Activity, error) {
	return many[Activity](l.read.Select("activities.risk, activities.due_on").Joins("JOIN assets ON assets.id = activities.asset_id").
		Where("activities.active = ? AND activities.due_on < ? AND assets.status <> ?", true, day, Gone))
}

// WorkDone is how many runs of a procedure were signed.
type WorkDone struct {
	Family    string
	Procedure string // empty: taken over from paper
	Title     string
	Runs      int
}

// WorkBetween are the runs signed from one time up to before another, by procedure.
func (l *Ledger) WorkBetween(from, until time.Time) ([]WorkDone, error) {
	return many[WorkDone](l.read.Model(&Run{}).Select("family, procedure, max(title) AS title, count(*) AS runs").
		Where("status = ? AND ended_at >= ? AND ended_at < ?", run.Signed, from,
			until).Group("family, procedure").Order("family, procedure"))
}

// CertifiedBetween counts the certificates of references made from one day up to before another.
func (l *Ledger) CertifiedBetween(from, until time.Time) (n int64, err error) {
	err = l.read.Model(&StandardCertificate{}).Where("accredited = ? AND \"on\" >= ? AND \"on\" < ?", true, from,
		until).Count(&n).Error
	return n, err
}
