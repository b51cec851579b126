package workshop

import (
	"context"
	"slices"
	"strings"

	"northneedle/core/device"
	"northneedle/internal/exchange"
	"northneedle/internal/ledger"
)

// pageSize is how many devices a page of the register has.
const pageSize = 50

// AssetQuery says which devices of the register are meant, in which order. What is empty takes all but those that are
// retired: they are found by a search, or by being so.
type AssetQuery struct {
	Search string `query:"search" maxLength:"100" doc:"words that must all be found in tag, serial, maker, model, family, site, place, owner or keeper"`
	Family string `query:"family" maxLength:"60"`
	Model  string `query:"model" maxLength:"121" doc:"maker and model"`
	Site   string `query:"site" maxLength:"80"`
	Place  string `query:"place" maxLength:"80"`
	Owner  string `query:"owner" maxLength:"120"`
	Keeper string `query:"keeper" maxLength:"120"`
	Part   string `query:"part" maxLength:"80" doc:"order number, lot or serial number of a part that a run fitted"`
	Risk   int    `query:"risk" minimum:"0" maximum:"5" doc:"0: any"`
	Status string `query:"status" enum:",in use,out of use,retired" doc:"what was entered of it, whatever else is known"`
	State  string `query:"state" maxLength:"40" doc:"how it stands, by the one place that says so"`
	Due    string `query:"due" enum:",overdue,week,month,quarter,none" doc:"what is the next of it: overdue, due within a week, 30 or 91 days, or nothing with a day"`
	Tag    string `query:"tag" maxLength:"40" doc:"one device alone"`
	Sort   string `query:"sort" enum:",tag,device,family,place,serial,owner,keeper,risk,due"`
	Desc   bool   `query:"desc" doc:"the other way round"`
}

// AssetPageView is a page of the register.
type AssetPageView struct {
	Assets []AssetBrief `json:"assets"`
	Total  int          `json:"total" doc:"how many there are on all pages"`
	Next   int          `json:"next,omitempty" doc:"where the next page begins; none: this is the last"`
}

// dueWithin are the days within which something is due, by the words for them.
var dueWithin = map[string]int{"overdue": 0, "week": 7, "month": 30, "quarter": 91}

// page is what the ledger is asked for.
func (ws *Workshop) page(q AssetQuery) ledger.AssetPage {
	f := ledger.AssetFilter{Search: q.Search, Family: q.Family, Model: q.Model, Site: q.Site, Place: q.Place, Owner: q.Owner,
		Keeper: q.Keeper, Part: strings.TrimSpace(q.Part), Risk: q.Risk, Status: q.Status, NoDay: q.Due == "none"}
	switch state := device.State(q.State); state { // what needs no more than the register to tell
	case device.Retired, device.OutOfUse:
		f.Status = string(state)
	case device.AwayFrom, device.NotYetAccepted:
		f.Has = state
	}
	f.NoArchive = q.State == "" && q.Status == "" && q.Search == "" && q.Tag == ""
	if q.Tag != "" {
		f.Tags = []string{q.Tag}
	}
	if days, has := dueWithin[q.Due]; has {
		to := dayOf(ws.Clock()).AddDate(0, 0, days)
		f.DueTo = &to
	}
	return ledger.AssetPage{AssetFilter: f, Order: q.Sort, Desc: q.Desc}
}

// AssetPage is a page of the register that begins at a device.
func (ws *Workshop) AssetPage(ctx context.Context, q AssetQuery, from int) (AssetPageView, error) {
	return remembered(ctx, ws, func() (AssetPageView, error) { return ws.assets(ctx, q, from) }, "assets", q, from)
}

func (ws *Workshop) assets(ctx context.Context, q AssetQuery, from int) (view AssetPageView, err error) {
	var found []ledger.Asset
	if view.Total, found, err = ws.found(ctx, q, from, pageSize); err != nil {
		return view, err
	}
	if from+len(found) < view.Total {
		view.Next = from + len(found)
	}
	ids := idsOf(found)
	due, err := ws.Ledger.NextDue(ids...)
	if err != nil {
		return view, err
	}
	states, err := ws.states(ids...)
	view.Assets = make([]AssetBrief, len(found))
	for i, a := range found {
		view.Assets[i] = ws.assetBrief(a, due[a.ID], states[a.ID])
	}
	return view, err
}

// found are so many of the devices that are meant, from one on, and how many there are of them; all, where limit is 0.
func (ws *Workshop) found(ctx context.Context, q AssetQuery, from, limit int) (total int, found []ledger.Asset, err error) {
	page := ws.page(q)
	if q.State != "" {
		ids, err := ws.standing(ctx, q)
		if err != nil {
			return 0, nil, err
		}
		some := ids[min(from, len(ids)):]
		if limit > 0 {
			some = some[:min(limit, len(some))]
		}
		of, err := ws.Ledger.AssetsOf(some...)
		for _, id := range some {
			found = append(found, of[id])
		}
		return len(ids), found, err
	}
	page.Limit, page.Offset = limit, from
	if found, err = ws.Ledger.Assets(page); err != nil {
		return 0, nil, err
	}
	if total = from + len(found); limit > 0 && (len(found) == limit || len(found) == 0 && from > 0) {
		n, err := ws.Ledger.CountAssets(page.AssetFilter)
		return int(n), found, err
	}
	return total, found, nil
}

// standing are the ids of the devices that are meant and stand in a state, in their order. It is remembered: every page of
// the list, and what is done to all of it, asks for the same.
func (ws *Workshop) standing(ctx context.Context, q AssetQuery) ([]string, error) {
	return remembered(ctx, ws, func() ([]string, error) {
		ids, err := ws.Ledger.AssetIDs(ws.page(q))
		if err != nil {
			return nil, err
		}
		states, err := ws.states(ids...)
		return slices.DeleteFunc(ids, func(id string) bool { return states[id].State != device.State(q.State) }), err
	}, "standing", q)
}

func idsOf(assets []ledger.Asset) []string {
	ids := make([]string, len(assets))
	for i, a := range assets {
		ids[i] = a.ID
	}
	return ids
}

// AssetChoices are what the register can be filtered by: sites, models, owners, keepers, and the places of a site.
func (ws *Workshop) AssetChoices(ctx context.Context, site string) (ledger.Choices, error) {
	return remembered(ctx, ws, func() (ledger.Choices, error) { return ws.Ledger.AssetChoices(site) }, "choices", site)
}

// TogetherOrder is what is to become of all the devices that are meant: what is empty stays.
type TogetherOrder struct {
	Count  int    `json:"count" minimum:"1" maximum:"200000" doc:"how many were shown: where it is another number now, nothing is changed"`
	Owner  string `json:"owner,omitempty" maxLength:"120"`
	Keeper string `json:"keeper,omitempty" maxLength:"120"`
	Site   string `json:"site,omitempty" maxLength:"80"`
	Place  string `json:"place,omitempty" maxLength:"80"`
	Months int    `json:"months,omitempty" minimum:"0" maximum:"120" doc:"how often the main verification is done"`
	Due    Day    `json:"due,omitempty" format:"date" doc:"when the main verification is due"`
}

// ReadTogether looks what an order makes of the devices that are meant, as [Workshop.ReadImport] looks what a list makes of
// those that stand in it: the order is such a list.
func (ws *Workshop) ReadTogether(ctx context.Context, q AssetQuery, o TogetherOrder) (ImportFile, error) {
	total, found, err := ws.found(ctx, q, 0, 0)
	switch {
	case err != nil:
		return ImportFile{}, err
	case total != o.Count:
		return ImportFile{}, invalid("count",
			"The register changed meanwhile: look again which devices are meant. Nothing was changed.")
	}
	columns := []string{"tag", "maker", "model", "family", "site"}
	values := []any{}
	for _, field := range []struct {
		column string
		value  any
		given  bool
	}{{"place", o.Place, o.Place != ""}, {"owner", o.Owner, o.Owner != ""}, {"keeper", o.Keeper, o.Keeper != ""},
		{"months", o.Months, o.Months > 0}, {"next_due", ws.begin(o.Due), o.Due != ""}} {
		if field.given {
			columns, values = append(columns, field.column), append(values, field.value)
		}
	}
	if len(values) == 0 && o.Site == "" {
		return ImportFile{}, invalid("owner", "Say what is to be changed of them.")
	}
	list, err := exchange.Table{Columns: columns, Rows: func(yield func([]any, error) bool) {
		for _, a := range found {
			site := a.Site
			if o.Site != "" {
				site = o.Site
			}
			if !yield(append([]any{a.Tag, a.Maker, a.Model, a.Family, site}, values...), nil) {
				return
			}
		}
	}}.CSV()
	return ImportFile{Kind: exchange.Assets, As: "devices changed together", Update: true, Body: list}, err
}
