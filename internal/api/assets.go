package api

import (
	"context"
	"net/http"
	"strings"
	"time"

	"northneedle/core/conformity"
	"northneedle/core/interval"
	"northneedle/core/procedure"
	"northneedle/internal/ledger"

	"github.com/danielgtaylor/huma/v2"
	"github.com/oklog/ulid/v2"
)

// pageSize is how many devices a page of the register has.
const pageSize = 25

// AssetBrief is a device in the register.
type AssetBrief struct {
	ID     string     `json:"id"`
	Tag    string     `json:"tag"`
	Device string     `json:"device"`
	Serial string     `json:"serial"`
	Family string     `json:"family"`
	Site   string     `json:"site"`
	Place  string     `json:"place"`
	Status string     `json:"status"`
	Risk   int        `json:"risk"`
	DueOn  *time.Time `json:"due_on,omitempty"`
	Days   int        `json:"days"`
}

// AssetPageView is a page of the register.
type AssetPageView struct {
	Assets []AssetBrief `json:"assets"`
	After  string       `json:"after,omitempty" doc:"ask with it for the next page; empty on the last"`
}

// NeedleView is one needle of a fingerprint.
type NeedleView struct {
	Label string          `json:"label"`
	Zone  conformity.Zone `json:"zone"`
	Lean  float64         `json:"lean"`
	Fan   float64         `json:"fan"`
	Phase procedure.Phase `json:"phase"`
	Error float64         `json:"error"`
	Unit  string          `json:"unit"`
}

// HistoryView is a run on a device with its fingerprint.
type HistoryView struct {
	RunBrief
	Needles []NeedleView `json:"needles"`
}

// ActivityView is what recurs on a device.
type ActivityView struct {
	Title     string     `json:"title"`
	Procedure string     `json:"procedure,omitempty"`
	Months    int        `json:"months"`
	LastOn    *time.Time `json:"last_on,omitempty"`
	DueOn     time.Time  `json:"due_on"`
	Days      int        `json:"days"`
	Reason    string     `json:"reason"`
}

// AssetView is one device whole.
type AssetView struct {
	AssetBrief
	Maker      string            `json:"maker"`
	Model      string            `json:"model"`
	Settings   map[string]string `json:"settings"`
	Limits     map[string]string `json:"limits"`
	Activities []ActivityView    `json:"activities"`
	History    []HistoryView     `json:"history"`
	Procedures []ProcedureOffer  `json:"procedures" doc:"by which a run can be opened"`
}

// ProcedureOffer is a procedure that fits a device.
type ProcedureOffer struct {
	ID       string `json:"id"`
	Title    string `json:"title"`
	Revision int    `json:"revision"`
}

type assetQuery struct {
	Search string `query:"search" maxLength:"100"`
	Family string `query:"family" maxLength:"60"`
	Status string `query:"status" maxLength:"20"`
	After  string `query:"after" maxLength:"60"`
}

func registerAssets(api huma.API, h *House) {
	huma.Register(api, huma.Operation{OperationID: "assets", Method: http.MethodGet, Path: "/api/assets", Summary: "The register of devices"},
		func(ctx context.Context, in *assetQuery) (*struct{ Body AssetPageView }, error) {
			view, err := h.assets(in)
			return &struct{ Body AssetPageView }{view}, fail(err)
		})
	huma.Register(api, huma.Operation{OperationID: "asset", Method: http.MethodGet, Path: "/api/assets/{id}", Summary: "One device, by its id or tag"},
		func(ctx context.Context, in *struct {
			ID string `path:"id" maxLength:"60"`
		}) (*struct{ Body AssetView }, error) {
			view, err := h.asset(in.ID, person(ctx))
			return &struct{ Body AssetView }{view}, fail(err)
		})
	huma.Register(api, huma.Operation{OperationID: "register-asset", Method: http.MethodPost, Path: "/api/assets", Summary: "Enter a device in the register"},
		func(ctx context.Context, in *struct{ Body NewAsset }) (*struct{ Body AssetView }, error) {
			id, err := h.register(in.Body, person(ctx))
			if err != nil {
				return nil, err
			}
			view, err := h.asset(id, person(ctx))
			return &struct{ Body AssetView }{view}, fail(err)
		})
}

func (h *House) assets(in *assetQuery) (AssetPageView, error) {
	view := AssetPageView{Assets: []AssetBrief{}}
	found, err := h.Ledger.Assets(ledger.AssetPage{Search: in.Search, Family: in.Family, Status: in.Status, After: in.After, Limit: pageSize + 1})
	if err != nil {
		return view, err
	}
	if len(found) > pageSize {
		found = found[:pageSize]
		view.After = found[pageSize-1].Tag
	}
	ids := make([]string, len(found))
	for i, a := range found {
		ids[i] = a.ID
	}
	activities, err := h.Ledger.Activities(ids...)
	first := map[string]ledger.Activity{}
	for _, a := range activities {
		if _, seen := first[a.AssetID]; !seen {
			first[a.AssetID] = a
		}
	}
	for _, a := range found {
		view.Assets = append(view.Assets, h.assetBrief(a, first[a.ID]))
	}
	return view, err
}

func (h *House) assetBrief(a ledger.Asset, next ledger.Activity) AssetBrief {
	b := AssetBrief{ID: a.ID, Tag: a.Tag, Device: a.Maker + " " + a.Model, Serial: a.Serial, Family: a.Family, Site: a.Site, Place: a.Place, Status: a.Status, Risk: a.Risk}
	if next.ID != "" {
		b.DueOn, b.Days = &next.DueOn, h.days(next.DueOn)
	}
	return b
}

// days until a day; negative is in the past.
func (h *House) days(on time.Time) int {
	now := h.Clock()
	today := time.Date(now.Year(), now.Month(), now.Day(), 0, 0, 0, 0, now.Location())
	n := on.Sub(today).Hours() / 24
	if n < 0 {
		return int(n - 0.5)
	}
	return int(n + 0.5)
}

func (h *House) asset(id string, who procedure.Person) (AssetView, error) {
	a, err := h.Ledger.Asset(id)
	if err != nil {
		return AssetView{}, err
	}
	activities, err := h.Ledger.Activities(a.ID)
	if err != nil {
		return AssetView{}, err
	}
	var next ledger.Activity
	view := AssetView{Maker: a.Maker, Model: a.Model, Settings: a.Settings, Limits: a.Limits, Activities: []ActivityView{}, History: []HistoryView{}, Procedures: []ProcedureOffer{}}
	for i, act := range activities {
		if i == 0 {
			next = act
		}
		view.Activities = append(view.Activities, ActivityView{act.Title, act.Procedure, act.Months, act.LastOn, act.DueOn, h.days(act.DueOn), act.Reason})
	}
	view.AssetBrief = h.assetBrief(a, next)
	for _, p := range h.Procedures {
		if p.Family == a.Family {
			view.Procedures = append(view.Procedures, ProcedureOffer{p.ID, p.Title, p.Revision})
		}
	}
	view.History, err = h.history(a.ID, who)
	return view, err
}

func (h *House) history(asset string, who procedure.Person) ([]HistoryView, error) {
	runs, err := h.Ledger.RunsOf(asset, 12)
	if err != nil {
		return nil, err
	}
	ids, history := make([]string, len(runs)), make([]HistoryView, len(runs))
	at := map[string]int{}
	for i, r := range runs {
		ids[i], at[r.ID] = r.ID, i
		history[i] = HistoryView{RunBrief: h.brief(r, who), Needles: []NeedleView{}}
	}
	results, err := h.Ledger.ResultsOf(ids...)
	for _, r := range results {
		i := at[r.RunID]
		history[i].Needles = append(history[i].Needles, NeedleView{r.Label, r.Zone, r.Lean, r.Fan, r.Phase, r.Error, r.Unit})
	}
	return history, err
}

// NewAsset is a device to enter in the register.
type NewAsset struct {
	Tag    string            `json:"tag" minLength:"1" maxLength:"40"`
	Serial string            `json:"serial" maxLength:"60"`
	Maker  string            `json:"maker" minLength:"1" maxLength:"60"`
	Model  string            `json:"model" minLength:"1" maxLength:"60"`
	Family string            `json:"family" minLength:"1" maxLength:"60"`
	Site   string            `json:"site" minLength:"1" maxLength:"80"`
	Place  string            `json:"place" maxLength:"80"`
	Risk   int               `json:"risk" minimum:"1" maximum:"5"`
	Limits map[string]string `json:"limits,omitempty" doc:"the maker's tolerances by measure, in place of the procedure's"`
}

// register enters a device with what recurs on it; trainees and managers may not.
func (h *House) register(n NewAsset, who procedure.Person) (string, error) {
	if who.Role != procedure.Lead && who.Role != procedure.Technician {
		return "", &Problem{Status: http.StatusForbidden, Title: "Not yours to do", Detail: "Devices are entered by a technician or a lead.", Code: "technician-only"}
	}
	tag := strings.ToUpper(strings.TrimSpace(n.Tag))
	if strings.ContainsAny(tag, " /?#") || tag == "" {
		return "", invalid("tag", "The tag is one word of letters, digits and hyphens, such as MB-0417.")
	}
	for measure, text := range n.Limits {
		if _, err := conformity.ParseTolerance(text); err != nil {
			return "", invalid("limits."+measure, err.Error())
		}
	}
	if _, err := h.Ledger.Asset(tag); err == nil {
		return "", invalid("tag", tag+" is in the register already. Choose another tag, or open that device.")
	}
	a := &ledger.Asset{ID: ulid.Make().String(), Tag: tag, Serial: n.Serial, Maker: n.Maker, Model: n.Model, Family: n.Family, Site: n.Site, Place: n.Place, Status: ledger.InUse, Risk: n.Risk, Limits: n.Limits}
	a.Search = ledger.Searchable(*a)
	records := []any{a}
	for _, p := range h.Procedures {
		if p.Family != n.Family {
			continue
		}
		due, err := interval.Fixed(h.Clock().AddDate(0, -p.Next.Months, 0), p.Next.Months, "")
		if err != nil {
			return "", fail(err)
		}
		records = append(records, &ledger.Activity{ID: ulid.Make().String(), AssetID: a.ID, Procedure: p.ID, Title: p.Title, Months: p.Next.Months, DueOn: due.On, Risk: n.Risk, Active: true, Reason: "first verification after it was entered"})
	}
	return a.ID, fail(h.Ledger.Save(records...))
}
