package ledger

import (
	"fmt"
	"slices"
	"time"

	"northneedle/core/device"
	"northneedle/core/reference"
	"northneedle/core/run"
)

// askedAtOnce is how many devices are asked for in one query.
const askedAtOnce = 500

// DeviceFacts are what the record knows of devices, by their ids: how the register has them, their duties, and the newest
// run of each procedure with what puts it in doubt. Controls are not among it.
func (l *Ledger) DeviceFacts(ids ...string) (map[string]device.Facts, error) {
	all := make(map[string]device.Facts, len(ids))
	for some := range slices.Chunk(ids, askedAtOnce) {
		if err := l.factsOf(some, all); err != nil {
			return nil, err
		}
	}
	return all, nil
}

func (l *Ledger) factsOf(ids []string, all map[string]device.Facts) error {
	assets, err := many[Asset](l.read.Model(&Asset{}).Select("id, status, away_to, away_since, away_until, why, accept_from").Where("id IN ?", ids))
	if err != nil {
		return err
	}
	for _, a := range assets {
		f := device.Facts{Register: a.Status, Why: a.Why, Accept: a.AcceptFrom}
		if a.AwayTo != "" {
			f.Away = &device.Away{To: a.AwayTo, Since: *a.AwaySince, Until: a.AwayUntil}
		}
		all[a.ID] = f
	}
	faults, err := l.Faults(true, ids...)
	if err != nil {
		return err
	}
	for _, reported := range faults {
		f := all[reported.AssetID]
		f.Faults = append(f.Faults, device.Fault{What: reported.What, Reporter: reported.Reporter, At: reported.At})
		all[reported.AssetID] = f
	}
	activities, err := l.Activities(ids...)
	if err != nil {
		return err
	}
	for _, a := range activities {
		f := all[a.AssetID]
		f.Duties = append(f.Duties, a.Recurring())
		all[a.AssetID] = f
	}
	last, err := many[Run](l.read.Model(&Run{}).Select("*, max(ended_at) AS newest").
		Where("asset_id IN ? AND +status IN ? AND replaced_by = '' AND NOT paper", ids, []run.Status{run.InReview, run.Signed}).
		Group("asset_id, procedure").Order("asset_id, procedure"))
	if err != nil {
		return err
	}
	runs := make([]string, len(last))
	for i, r := range last {
		runs[i] = r.ID
	}
	doubts, err := l.doubts(runs)
	if err != nil {
		return err
	}
	for _, r := range last {
		f := all[r.AssetID]
		f.Last = append(f.Last, device.LastRun{ID: r.ID, Procedure: r.Procedure, Title: r.Title, Result: r.Result,
			At: *r.EndedAt, Waiting: r.Status == run.InReview, Doubts: doubts[r.ID]})
		all[r.AssetID] = f
	}
	return l.givenBack(ids, all)
}

// givenBack adds the runs that found their device unfit and were given back by their reviewer: that a run is open again, or
// was given up then, takes nothing back of what it found. One that was signed later stands for itself.
func (l *Ledger) givenBack(ids []string, all map[string]device.Facts) error {
	back, err := many[Run](l.read.Model(&Run{}).Select("*, max(given_back_at) AS newest").
		Where("asset_id IN ? AND given_back_at IS NOT NULL AND given_back_result NOT IN ? AND replaced_by = ''", ids,
			run.PassedResults).
		Group("asset_id, procedure").Order("asset_id, procedure"))
	for _, r := range back {
		f := all[r.AssetID]
		if slices.ContainsFunc(f.Last,
			func(l device.LastRun) bool { return l.Procedure == r.Procedure && l.At.After(*r.GivenBackAt) }) {
			continue
		}
		f.Last = append(f.Last, device.LastRun{ID: r.ID, Procedure: r.Procedure, Title: r.Title, Result: r.GivenBackResult,
			At: *r.GivenBackAt, GivenBack: true})
		all[r.AssetID] = f
	}
	return err
}

// DoubtsOf are why a run cannot be relied on any more, each in a sentence.
func (l *Ledger) DoubtsOf(run string) ([]string, error) {
	all, err := l.doubts([]string{run})
	return all[run], err
}

// doubts are why runs cannot be relied on any more, each in a sentence: a look-back on a reference changes what they say,
// or cannot tell; or a reference that they used is in quarantine and was not looked back on yet.
func (l *Ledger) doubts(runs []string) (map[string][]string, error) {
	type doubt struct {
		RunID string
		Title string // of the look-back, or the tag of the reference
		At    time.Time
		Note  string
	}
	found, err := many[doubt](l.read.Table("notices").Select("notices.run_id, look_backs.title, look_backs.opened_at AS at").
		Joins("JOIN look_backs ON look_backs.id = notices.look_back_id").
		Where("look_backs.kind = ? AND notices.run_id IN ?", OnReference, runs).Order("look_backs.id"))
	if err != nil {
		return nil, err
	}
	words := map[string][]string{}
	for _, d := range found {
		words[d.RunID] = append(words[d.RunID], fmt.Sprintf("%s on %s: what it says of this device changes, or cannot be told.",
			d.Title, d.At.Format(time.DateOnly)))
	}
	looked := l.read.Model(&LookBack{}).Select("standard_id").Where("kind = ?", OnReference)
	held, err := many[doubt](l.read.Table("uses").Distinct("uses.run_id, standards.tag AS title, standards.note").
		Joins("JOIN standards ON standards.id = uses.standard_id").
		Where("uses.run_id IN ? AND standards.status = ? AND standards.id NOT IN (?)", runs, reference.Quarantined, looked).
		Order("uses.run_id, standards.tag"))
	for _, d := range held {
		words[d.RunID] = append(words[d.RunID],
			fmt.Sprintf("%s is in quarantine (%s), and was not looked back on yet.", d.Title, d.Note))
	}
	return words, err
}

// AssetsOf are devices by their ids.
func (l *Ledger) AssetsOf(ids ...string) (map[string]Asset, error) {
	all := make(map[string]Asset, len(ids))
	for some := range slices.Chunk(ids, askedAtOnce) {
		found, err := many[Asset](l.read.Where("id IN ?", some))
		if err != nil {
			return nil, err
		}
		for _, a := range found {
			all[a.ID] = a
		}
	}
	return all, nil
}

// WithControls are those of some devices that have control lots.
func (l *Ledger) WithControls(ids ...string) (map[string]bool, error) {
	with := map[string]bool{}
	for some := range slices.Chunk(ids, askedAtOnce) {
		var found []string
		if err := l.read.Model(&ControlLot{}).Where("asset_id IN ?", some).Distinct().Pluck("asset_id",
			&found).Error; err != nil {
			return nil, err
		}
		for _, id := range found {
			with[id] = true
		}
	}
	return with, nil
}
