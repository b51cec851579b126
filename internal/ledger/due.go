package ledger

import (
	"time"

	"gorm.io/gorm"
)

// Due is an activity with its device.
type Due struct {
	Activity
	Tag    string
	Maker  string
	Model  string
	Family string
	Site   string
	Place  string
	Status string
}

const dueColumns = "activities.*, assets.tag, assets.maker, assets.model, assets.family, assets.site, assets.place, assets.status"

// DueFilter says of which devices what is due is meant. What is empty takes all.
type DueFilter struct{ Site, Place, Owner, Keeper string }

// of narrows a query of activities with their devices.
func (f DueFilter) of(query *gorm.DB) *gorm.DB {
	for column, value := range map[string]string{"site": f.Site, "place": f.Place, "owner": f.Owner, "keeper": f.Keeper} {
		if value != "" {
			query = query.Where("assets."+column+" = ?", value)
		}
	}
	return query
}

// DueBetween are the activities due from one day up to before another, the earliest first.
func (l *Ledger) DueBetween(f DueFilter, from, until time.Time, limit int) ([]Due, error) {
	return many[Due](f.of(l.read.Table("activities").Select(dueColumns).Joins("JOIN assets ON assets.id = activities.asset_id").
		Where("activities.active = ? AND activities.due_on >= ? AND activities.due_on < ? AND assets.status <> ?", true,
			from, until, Gone)).Order("activities.due_on").Limit(limit))
}

// DueUntil are the activities due before a day, the riskiest first, then by day.
func (l *Ledger) DueUntil(f DueFilter, day time.Time, limit int) ([]Due, error) {
	return many[Due](l.dueBefore(f, day).Select(dueColumns).Limit(limit))
}

// dueBefore asks for what is due before a day, the riskiest first, then by day. The plus
// keeps the engine on the index that has them in this order, so that it stops at a limit
// and sorts nothing.
func (l *Ledger) dueBefore(f DueFilter, day time.Time) *gorm.DB {
	return f.of(l.read.Table("activities").Joins("JOIN assets ON assets.id = activities.asset_id").
		Where("activities.active = ? AND +activities.due_on < ? AND assets.status <> ?", true, day,
			Gone)).Order("activities.risk DESC, activities.due_on")
}

// DueCount is how many activities of devices at a site that somebody looks after are due on a day.
type DueCount struct {
	Site, Keeper string
	Day          string // 2026-11-28, where the workshop is
	Activities   int
}

// DueCounts count what is due before a day, of devices that are not retired.
func (l *Ledger) DueCounts(until time.Time) ([]DueCount, error) {
	return many[DueCount](l.read.Table("activities").
		Select("assets.site, assets.keeper, substr(activities.due_on, 1, 10) AS day, count(*) AS activities").
		Joins("JOIN assets ON assets.id = activities.asset_id").
		Where("activities.active = ? AND activities.due_on < ? AND assets.status <> ?", true, until, Gone).
		Group("assets.site, assets.keeper, substr(activities.due_on, 1, 10)"))
}
