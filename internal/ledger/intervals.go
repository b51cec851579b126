package ledger

import (
	"time"

	"northneedle/core/conformity"
	"northneedle/core/procedure"
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
	assets := l.read.Model(&Asset{}).Select("id").Where("maker = ? AND model = ?", maker, model)
	var rows []struct {
		ID, AssetID string
		EndedAt     time.Time
		Out         int
	}
	out := l.read.Model(&Result{}).Select("run_id, count(*) AS n").Where("asset_id IN (?) AND phase = ? AND zone IN ?", assets, procedure.AsFound, []conformity.Zone{conformity.Outside, conformity.OutsideDoubtful}).Group("run_id")
	err := l.read.Table("runs").Select("runs.id, runs.asset_id, runs.ended_at, COALESCE(o.n, 0) AS out").Joins("LEFT JOIN (?) AS o ON o.run_id = runs.id", out).
		Where("runs.asset_id IN (?) AND runs.procedure = ? AND runs.status = ? AND runs.replaced_by = ''", assets, procedureID, procedure.Signed).Order("runs.asset_id, runs.ended_at").Find(&rows).Error
	all := make([]Verified, len(rows))
	for i, r := range rows {
		all[i] = Verified{r.AssetID, r.ID, r.EndedAt, r.Out == 0}
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

// ModelDuties are the duties with a procedure, by model.
func (l *Ledger) ModelDuties() ([]ModelDuty, error) {
	var rows []ModelDuty
	err := l.read.Table("activities").Select("assets.maker, assets.model, assets.family, activities.procedure, activities.title, count(*) AS devices, max(activities.risk) AS risk").
		Joins("JOIN assets ON assets.id = activities.asset_id").Where("activities.active = ? AND activities.procedure <> ? AND assets.status <> ?", true, "", Gone).
		Group("assets.maker, assets.model, assets.family, activities.procedure, activities.title").Order("assets.family, assets.maker, assets.model, activities.title").Find(&rows).Error
	return rows, err
}

// ActivitiesOfModel are the activities of one procedure on devices of a model.
func (l *Ledger) ActivitiesOfModel(maker, model, procedureID string) ([]Activity, error) {
	assets := l.read.Model(&Asset{}).Select("id").Where("maker = ? AND model = ? AND status <> ?", maker, model, Gone)
	return many[Activity](l.read.Where("asset_id IN (?) AND procedure = ? AND active = ?", assets, procedureID, true).Order("id"))
}
