package ledger

import (
	"northneedle/core/run"
	"time"
)

// Verified is one verification of a device: when, and whether it was found in tolerance.
type Verified struct {
	AssetID string
	RunID   string
	At      time.Time
	FoundIn bool
}

// VerifiedOf are the signed runs of a procedure on devices of a model, by device and then
// by time: each with whether every point was inside its limits as found.
func (l *Ledger) VerifiedOf(maker, model, procedureID string) ([]Verified, error) {
	rows, err := many[Run](l.read.Select("runs.id, runs.asset_id, runs.ended_at, runs.found_out").Joins("JOIN assets ON assets.id = runs.asset_id").
		Where("assets.maker = ? AND assets.model = ? AND runs.procedure = ? AND +runs.status = ? AND runs.replaced_by = ''", maker, model, procedureID, run.Signed).
		Order("runs.asset_id, runs.ended_at"))
	all := make([]Verified, len(rows))
	for i, r := range rows {
		all[i] = Verified{r.AssetID, r.ID, *r.EndedAt, r.FoundOut == 0}
	}
	return all, err
}

// ModelDuty is a duty by the calendar on all devices of a model.
type ModelDuty struct {
	Maker, Model, Family string
	Procedure, Title     string
	Devices              int
	Risk                 int // the highest among them
}

// ModelDuties are the duties with a procedure that measures, by model.
func (l *Ledger) ModelDuties() ([]ModelDuty, error) {
	return many[ModelDuty](l.read.Table("activities").Select("assets.maker, assets.model, assets.family, activities.procedure, activities.title, count(*) AS devices, max(activities.risk) AS risk").
		Joins("JOIN assets ON assets.id = activities.asset_id").
		Where("activities.active = ? AND activities.procedure <> ? AND activities.duty->>'maintains' IS NULL", true, "").
		Where("assets.status <> ?", Gone).
		Group("assets.maker, assets.model, assets.family, activities.procedure, activities.title").Order("assets.family, assets.maker, assets.model, activities.title"))
}

// ActivitiesOfModel are the activities of one procedure on devices of a model.
func (l *Ledger) ActivitiesOfModel(maker, model, procedureID string) ([]Activity, error) {
	return many[Activity](l.read.Joins("JOIN assets ON assets.id = activities.asset_id").
		Where("assets.maker = ? AND assets.model = ? AND assets.status <> ? AND activities.procedure = ? AND +activities.active = ?", maker, model, Gone, procedureID, true).Order("activities.id"))
}
