package ledger

import (
	"context"
	"errors"
	"iter"
	"regexp"
	"slices"
	"strings"
	"time"

	"northneedle/core/duty"
	"northneedle/core/procedure"
	"northneedle/core/reference"
	"northneedle/core/run"
)

// Person finds a person by id.
func (l *Ledger) Person(ctx context.Context, id string) (Person, error) {
	return RememberRecords(l, "person "+id,
		func() (Person, error) { return one[Person](l.read.WithContext(ctx).Where("id = ?", id)) })
}

// People are everyone who may sign in, by name.
func (l *Ledger) People() ([]Person, error) {
	return many[Person](l.read.Where("active = ?", true).Order("name"))
}

// Everyone is all people, also those who may not sign in any more, by name.
func (l *Ledger) Everyone() ([]Person, error) {
	return many[Person](l.read.Order("name"))
}

// Asset finds a device by its id or its tag.
func (l *Ledger) Asset(idOrTag string) (Asset, error) {
	return one[Asset](l.read.Where("id = ? OR tag = ?", idOrTag, strings.ToUpper(idOrTag)))
}

// AssetsOfFamily are all devices of a family.
func (l *Ledger) AssetsOfFamily(family string) ([]Asset, error) {
	return many[Asset](l.read.Where("family = ?", family).Order("tag"))
}

// listedColumns are those of a device that a list shows.
const listedColumns = "assets.id, assets.tag, assets.serial, assets.maker, assets.model, assets.family, assets.site, assets.place, assets.status, assets.risk, assets.owner, assets.keeper, assets.accept_from, assets.software, assets.set_up, assets.supplier, assets.bought, assets.price, assets.warranty"

// EveryAsset is the whole register in the order of the tags, each device as it is read
// and as far as a list shows it.
func (l *Ledger) EveryAsset() iter.Seq2[Asset, error] {
	return each[Asset](l.read.Model(&Asset{}).Select(listedColumns).Order("tag"))
}

// EveryDue is all that is due before a day, the riskiest first, then by day, as it is read.
func (l *Ledger) EveryDue(day time.Time) iter.Seq2[Due, error] {
	query := l.dueBefore(DueFilter{},
		day).Select("activities.id, activities.asset_id, assets.tag, activities.title, activities.due_on, activities.risk, assets.maker, assets.model, assets.family, assets.site, assets.place, assets.status, activities.reason")
	return each[Due](query)
}

// HistoryPoint is one point of a signed run on a device, or a run without points.
type HistoryPoint struct {
	RunID, Tag, Title, By string
	Outcome               run.Result
	EndedAt               time.Time

	// Without a point, all of these are empty.
	Measure, Point, Label, Unit    string
	Phase                          run.Phase
	Reference, Indicated, Error, U float64
	Low, High                      *float64
}

// EveryHistory is every signed run that stands, with its points, by device and time, as it is read.
func (l *Ledger) EveryHistory() iter.Seq2[HistoryPoint, error] {
	return each[HistoryPoint](l.read.Model(&Run{}).Select("runs.id AS run_id, runs.tag, runs.title, runs.by, runs.result AS outcome, runs.ended_at, "+
		"coalesce(measure, '') AS measure, coalesce(point, '') AS point, coalesce(label, '') AS label, coalesce(unit, '') AS unit, "+
		"coalesce(phase, '') AS phase, coalesce(reference, 0) AS reference, coalesce(indicated, 0) AS indicated, "+
		"coalesce(error, 0) AS error, low, high, coalesce(u, 0) AS u").
		Joins("JOIN assets ON assets.id = runs.asset_id LEFT JOIN results ON results.run_id = runs.id").
		Where("runs.status = ? AND runs.replaced_by = ''", run.Signed).Order("assets.tag, runs.ended_at, runs.id, results.id"))
}

// AssetsAt are the devices at a site that are not retired, by place, the gravest risk first.
func (l *Ledger) AssetsAt(site string) ([]Asset, error) {
	return many[Asset](l.read.Where("site = ? AND status <> ?", site, Gone).Order("place, risk DESC, tag"))
}

// Sites are where devices are, by name.
func (l *Ledger) Sites() (names []string, err error) {
	err = l.read.Model(&Asset{}).Where("status <> ? AND site <> ''", Gone).Distinct().Order("site").Pluck("site",
		&names).Error
	return names, err
}

var escape = strings.NewReplacer(`\`, `\\`, "%", `\%`, "_", `\_`)

var tagged = regexp.MustCompile(`^[\p{L}\p{N}][\p{L}\p{N}._-]{0,39}$`)

// ErrTag says how a tag is written.
var ErrTag = errors.New("the tag is one word of at most 40 letters, digits, hyphens, dots and underscores, such as MB-0417")

// Tag is a tag as it is kept, in capitals; ErrTag where the text is none.
func Tag(text string) (string, error) {
	tag := strings.ToUpper(strings.TrimSpace(text))
	if !tagged.MatchString(tag) {
		return "", ErrTag
	}
	return tag, nil
}

// Searchable is what a device is found by.
func Searchable(a Asset) string {
	return strings.ToLower(strings.Join([]string{a.Tag, a.Serial, a.Maker, a.Model, a.Family, a.Site, a.Place,
		a.Owner, a.Keeper}, " "))
}

// Activities are what recurs on devices, the next due first. The plus keeps the engine
// on the index of the devices.
func (l *Ledger) Activities(assets ...string) ([]Activity, error) {
	return many[Activity](l.read.Where("asset_id IN ? AND +active = ?", assets, true).Order("due_on"))
}

// ByHand is an activity without a procedure, with what its device is.
type ByHand struct {
	Activity             `gorm:"embedded"`
	Family, Maker, Model string
}

// ByHand are the activities without a procedure.
func (l *Ledger) ByHand() ([]ByHand, error) {
	return many[ByHand](l.read.Table("activities").Select("activities.*, assets.family, assets.maker, assets.model").
		Joins("JOIN assets ON assets.id = activities.asset_id").Where("activities.procedure = '' AND activities.active = ?", true).
		Order("activities.id"))
}

// NextDue is the first day that something is due on each of some devices.
func (l *Ledger) NextDue(assets ...string) (map[string]time.Time, error) {
	type row struct {
		AssetID string
		DueOn   time.Time
	}
	rows, err := many[row](l.read.Model(&Activity{}).Select("asset_id, due_on").Where("asset_id IN ? AND +active = ?",
		assets, true).Order("due_on"))
	first := make(map[string]time.Time, len(assets))
	for _, r := range rows {
		if _, seen := first[r.AssetID]; !seen {
			first[r.AssetID] = r.DueOn
		}
	}
	return first, err
}

// RunsOf are the runs on a device, the newest first.
func (l *Ledger) RunsOf(asset string, limit int) ([]Run, error) {
	return many[Run](l.read.Where("asset_id = ?", asset).Order("opened_at DESC").Limit(limit))
}

// RunsOfAll are the runs on a device that was entered several times, the newest first.
func (l *Ledger) RunsOfAll(entries []string, limit int) ([]Run, error) {
	return many[Run](l.read.Where("asset_id IN ?", entries).Order("opened_at DESC").Limit(limit))
}

// DoublesOf are the entries that were found to be the same device as one, by tag.
func (l *Ledger) DoublesOf(asset string) ([]Asset, error) {
	return many[Asset](l.read.Where("same_as = ? AND same_as <> ''", asset).Order("tag"))
}

// RunBefore is the last signed run of the same procedure on the same device before another.
func (l *Ledger) RunBefore(r Run) (before Run, found bool, err error) {
	before, err = one[Run](l.read.Where("asset_id = ? AND procedure = ? AND status = ? AND replaced_by = '' AND ended_at < ? AND id <> ?",
		r.AssetID, r.Procedure, run.Signed, r.OpenedAt, r.ID).Order("ended_at DESC"))
	if errors.Is(err, ErrNotFound) {
		return before, false, nil
	}
	return before, err == nil, err
}

// RunsNear are the runs in a place of a site that were opened since a time, the newest first.
func (l *Ledger) RunsNear(site, place string, since time.Time, limit int) ([]Run, error) {
	return many[Run](l.read.Where("site = ? AND place = ? AND opened_at >= ? AND NOT paper", site, place,
		since).Order("opened_at DESC").Limit(limit))
}

// SignedHere reports whether any run was signed here: runs taken from paper do not count.
func (l *Ledger) SignedHere() (bool, error) {
	some, err := many[Run](l.read.Select("id").Where("status = ? AND NOT paper", run.Signed).Limit(1))
	return len(some) > 0, err
}

// HasHistories reports whether anything was taken over of what was done before.
func (l *Ledger) HasHistories() (bool, error) {
	some, err := many[Run](l.read.Select("id").Where("paper").Limit(1))
	return len(some) > 0, err
}

// Families are those of the devices that are on the register.
func (l *Ledger) Families() (families []string, err error) {
	err = l.read.Model(&Asset{}).Where("status <> ?", Gone).Distinct().Order("family").Pluck("family", &families).Error
	return families, err
}

// RunsIn are the runs in a state, the oldest first.
func (l *Ledger) RunsIn(status run.Status, limit int) ([]Run, error) {
	return many[Run](l.read.Where("status = ?", status).Order("opened_at").Limit(limit))
}

// OpenOn is the run that is open on the device with a tag; nil where there is none.
func (l *Ledger) OpenOn(tag string) (*Run, error) {
	r, err := one[Run](l.read.Where("status = ? AND tag = ?", run.Open, tag).Order("opened_at DESC"))
	if errors.Is(err, ErrNotFound) {
		return nil, nil
	}
	return &r, err
}

// RunRow is a run as the lists show it.
func (l *Ledger) RunRow(id string) (Run, error) {
	return one[Run](l.read.Where("id = ?", id))
}

// ResultsOf are the results of runs.
func (l *Ledger) ResultsOf(runs ...string) ([]Result, error) {
	return many[Result](l.read.Where("run_id IN ?", runs).Order("id"))
}

// EarlierOf is what a device gave at each point of a procedure before, by the runs that it passed: the last of all, and the
// first since its newest repair.
func (l *Ledger) EarlierOf(asset, procedureID string) ([]procedure.Earlier, error) {
	var repaired []time.Time
	if err := l.read.Model(&ActivityNote{}).Where("asset_id = ? AND kind = ? AND event = ?", asset, NoteEvent, duty.Repair).
		Order("at DESC").Limit(1).Pluck("at", &repaired).Error; err != nil {
		return nil, err
	}
	results, err := many[Result](l.read.Joins("JOIN runs ON runs.id = results.run_id").
		Where("results.asset_id = ? AND runs.procedure = ? AND runs.status = ? AND runs.result IN ? AND runs.replaced_by = ''",
			asset, procedureID, run.Signed, run.PassedResults).Order("results.at, results.id"))
	if err != nil {
		return nil, err
	}
	var all []procedure.Earlier
	for _, r := range results {
		if len(repaired) > 0 && r.At.Before(repaired[0]) {
			continue
		}
		past := procedure.PastValue{Value: r.Indicated, At: r.At, Run: r.RunID}
		at := slices.IndexFunc(all, func(e procedure.Earlier) bool { return e.Measure == r.Measure && e.Point == r.Point })
		if at < 0 {
			all = append(all, procedure.Earlier{Measure: r.Measure, Point: r.Point, Unit: r.Unit, First: past})
			at = len(all) - 1
		}
		if e := &all[at]; e.First.Run == r.RunID { // as left counts before as found
			e.First, e.Unit = past, r.Unit
		}
		all[at].Last = past
	}
	return all, nil
}

// Fitted are the parts that were fitted in a device, the latest first: 50 at most. What a replaced run fitted counts no more.
func (l *Ledger) Fitted(asset string) ([]Fitting, error) {
	return many[Fitting](l.read.Where("asset_id = ? AND run_id IN (SELECT id FROM runs WHERE replaced_by = '')", asset).
		Order("at DESC, id").Limit(50))
}

// OpenItems are all open ones, the longest open first.
func (l *Ledger) OpenItems() ([]OpenItem, error) {
	return many[OpenItem](l.read.Order("opened_at"))
}

// Standards are the reference standards by tag; of one kind, where a kind is given.
func (l *Ledger) Standards(kind string) ([]Standard, error) {
	query := l.read.Order("tag")
	if kind != "" {
		query = query.Where("kind = ?", kind)
	}
	return many[Standard](query)
}

// Standard finds one by its id or tag.
func (l *Ledger) Standard(idOrTag string) (Standard, error) {
	return one[Standard](l.read.Where("id = ? OR tag = ?", idOrTag, strings.ToUpper(idOrTag)))
}

// UseCount is how often a standard was used, and when last.
type UseCount struct {
	StandardID string
	Runs       int
	Last       string
}

// UseCounts says how often each standard was used.
func (l *Ledger) UseCounts() ([]UseCount, error) {
	return many[UseCount](l.read.Model(&Use{}).Select("standard_id, count(DISTINCT run_id) AS runs, max(at) AS last").Group("standard_id"))
}

// Instrument is the one with an id.
func (l *Ledger) Instrument(id string) (Instrument, error) {
	return one[Instrument](l.read.Where("id = ?", id))
}

// ProfileText is the text of a profile with a hash.
func (l *Ledger) ProfileText(hash string) (ProfileText, error) {
	return one[ProfileText](l.read.Where("hash = ?", hash))
}

// Instruments are the references and devices with a link, those that are retired among them.
func (l *Ledger) Instruments() ([]Instrument, error) {
	return many[Instrument](l.read.Order("id"))
}

// Core is the standard as a run binds it.
func (s Standard) Core() reference.Standard {
	var away *reference.Absence
	if s.AwayTo != "" {
		away = &reference.Absence{To: s.AwayTo, Since: *s.AwaySince, Until: s.AwayUntil, Price: s.AwayPrice}
	}
	return reference.Standard{
		CheckDue:    s.CheckDue(),
		Away:        away,
		ID:          s.ID,
		Tag:         s.Tag,
		Name:        s.Name,
		Kind:        s.Kind,
		Serial:      s.Serial,
		Status:      s.Status,
		Certificate: s.Certificate,
		Values:      s.Values,
		Cylinder:    s.Cylinder,
		Lot:         s.Lot,
	}
}

// CheckDue is the day of a standard's next check between certificates: so many days after the last, or after its certificate
// where that is newer. Nil where none is made.
func (s Standard) CheckDue() *time.Time {
	if s.CheckDays <= 0 {
		return nil
	}
	last := s.Certificate.On
	if s.CheckedAt != nil && s.CheckedAt.After(last) {
		last = *s.CheckedAt
	}
	due := last.AddDate(0, 0, s.CheckDays)
	return &due
}

// ChecksOf are the checks of a standard between its certificates, the oldest first.
func (l *Ledger) ChecksOf(standard string) ([]ReferenceCheck, error) {
	return many[ReferenceCheck](l.read.Where("standard_id = ?", standard).Order("at, id"))
}

// Device is the asset as a run opens on it.
func (a Asset) Device() run.Device {
	return run.Device{
		ID:         a.ID,
		Tag:        a.Tag,
		Serial:     a.Serial,
		Maker:      a.Maker,
		Model:      a.Model,
		Family:     a.Family,
		Site:       a.Site,
		Place:      a.Place,
		Settings:   a.Settings,
		Limits:     a.Limits,
		Resolution: a.Resolution,
		Risk:       a.Risk,
	}
}
