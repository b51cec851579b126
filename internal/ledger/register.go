package ledger

import (
	"database/sql"
	"slices"
	"strings"
	"time"

	"northneedle/core/device"

	"gorm.io/gorm"
)

// AssetFilter says which devices of the register are meant. What is empty takes all.
type AssetFilter struct {
	Search string // words that must all be found in what a device is found by
	Family string
	Model  string // maker and model
	Site   string
	Place  string
	Owner  string
	Keeper string
	Risk   int
	Status string     // as the register has it: [InUse], [OutOfUse] or [Gone]
	DueTo  *time.Time // something of it is due before that day
	NoDay  bool       // nothing of it is due on any day
	Tags   []string
	Part   string // order number, lot or serial number of a part that a run fitted, however it is spaced

	Has       device.State // [device.AwayFrom] or [device.NotYetAccepted]: those that can be so
	NoArchive bool         // true: retired devices are left out
}

// The orders of the register.
var assetOrders = map[string][]string{
	"tag":    {"assets.tag"},
	"device": {"assets.maker", "assets.model", "assets.tag"},
	"family": {"assets.family", "assets.tag"},
	"place":  {"assets.site", "assets.place", "assets.tag"},
	"serial": {"assets.serial", "assets.tag"},
	"owner":  {"assets.owner", "assets.tag"},
	"keeper": {"assets.keeper", "assets.tag"},
	"risk":   {"assets.risk", "assets.tag"},
	"due":    {"due.next IS NULL", "due.next", "assets.tag"},
}

// AssetOrders are the names of the orders, the usual one first.
var AssetOrders = []string{"tag", "device", "family", "place", "serial", "owner", "keeper", "risk", "due"}

// AssetPage is a piece of the register.
type AssetPage struct {
	AssetFilter
	Order  string // one of [AssetOrders]; empty: the usual one
	Desc   bool
	Offset int
	Limit  int
}

// farDay begins the days of what no calendar makes due.
var farDay = time.Date(9000, 1, 1, 0, 0, 0, 0, time.UTC)

// nextDue joins the day that the next thing of a device is due; none where nothing has a day.
const nextDue = "LEFT JOIN (SELECT asset_id, min(due_on) AS next FROM activities " +
	"WHERE active = true AND due_on < ? GROUP BY asset_id) AS due ON due.asset_id = assets.id"

// matching are the devices that a filter takes.
func (l *Ledger) matching(f AssetFilter, withDue bool) *gorm.DB {
	query := l.read.Model(&Asset{})
	if withDue || f.DueTo != nil || f.NoDay {
		query = query.Joins(nextDue, farDay)
	}
	for word := range strings.FieldsSeq(strings.ToLower(f.Search)) {
		query = query.Where("assets.search LIKE ? ESCAPE '\\'", "%"+escape.Replace(word)+"%")
	}
	for column, value := range map[string]string{"family": f.Family, "site": f.Site, "place": f.Place, "owner": f.Owner,
		"keeper": f.Keeper, "status": f.Status} {
		if value != "" {
			query = query.Where("assets."+column+" = ?", value)
		}
	}
	if f.Model != "" {
		query = query.Where("assets.maker || ' ' || assets.model = ?", f.Model)
	}
	if f.Risk > 0 {
		query = query.Where("assets.risk = ?", f.Risk)
	}
	if f.DueTo != nil {
		query = query.Where("due.next < ? AND assets.status = ?", *f.DueTo, InUse)
	}
	if f.NoDay {
		query = query.Where("due.next IS NULL")
	}
	if column := map[device.State]string{device.AwayFrom: "away_since",
		device.NotYetAccepted: "accept_from"}[f.Has]; column != "" {
		query = query.Where("assets." + column + " IS NOT NULL")
	}
	if f.NoArchive {
		query = query.Where("assets.status <> ?", Gone)
	}
	if f.Part != "" {
		query = query.Where(`assets.id IN (SELECT asset_id FROM fittings WHERE @part IN (upper(replace(number, ' ', '')),
			upper(replace(lot, ' ', ''))) AND run_id IN (SELECT id FROM runs WHERE replaced_by = ''))`,
			sql.Named("part", strings.ToUpper(strings.ReplaceAll(f.Part, " ", ""))))
	}
	if len(f.Tags) > 0 {
		query = query.Where("assets.tag IN ?", f.Tags)
	}
	return query
}

// ordered puts devices in an order of the register.
func ordered(query *gorm.DB, order string, desc bool) *gorm.DB {
	columns := assetOrders[order]
	if columns == nil {
		columns = assetOrders["tag"]
	}
	for _, c := range columns {
		if desc && c != "due.next IS NULL" {
			c += " DESC"
		}
		query = query.Order(c)
	}
	return query
}

// Assets is a piece of the register, each device as far as a list shows it.
func (l *Ledger) Assets(p AssetPage) ([]Asset, error) {
	query := ordered(l.matching(p.AssetFilter, p.Order == "due"), p.Order, p.Desc).Select(listedColumns)
	if p.Limit > 0 {
		query = query.Limit(p.Limit).Offset(p.Offset)
	}
	return many[Asset](query)
}

// CountAssets is how many devices a filter takes.
func (l *Ledger) CountAssets(f AssetFilter) (n int64, err error) {
	err = l.matching(f, false).Count(&n).Error
	return n, err
}

// AssetIDs are the ids of the devices that a filter takes, in an order.
func (l *Ledger) AssetIDs(p AssetPage) (ids []string, err error) {
	err = ordered(l.matching(p.AssetFilter, p.Order == "due"), p.Order, p.Desc).Pluck("assets.id", &ids).Error
	return ids, err
}

// Choices are the values that devices of the register have in a column, by name: what it can be filtered by.
type Choices struct {
	Sites   []string `json:"sites"`
	Places  []string `json:"places"`
	Models  []string `json:"models"`
	Owners  []string `json:"owners"`
	Keepers []string `json:"keepers"`
}

// AssetChoices are the choices for the devices of the register; places are those of a site.
func (l *Ledger) AssetChoices(site string) (c Choices, err error) {
	for column, into := range map[string]*[]string{"site": &c.Sites, "maker || ' ' || model": &c.Models,
		"owner": &c.Owners, "keeper": &c.Keepers} {
		*into = []string{}
		if err = l.read.Model(&Asset{}).Distinct().Where(column+" <> ''").Pluck(column, into).Error; err != nil {
			return c, err
		}
		slices.Sort(*into)
	}
	c.Places = []string{}
	if site != "" {
		err = l.read.Model(&Asset{}).Distinct().Where("site = ? AND place <> ''", site).Order("place").Pluck("place",
			&c.Places).Error
	}
	return c, err
}
