package workshop

import (
	"slices"
	"strings"
	"time"

	"northneedle/core/conformity"
	"northneedle/core/device"
	"northneedle/core/duty"
	"northneedle/core/interval"
	"northneedle/core/person"
	"northneedle/core/procedure"
	"northneedle/core/quantity"
	"northneedle/core/run"
	"northneedle/internal/ledger"

	"github.com/oklog/ulid/v2"
)

// AssetBrief is a device in the register.
type AssetBrief struct {
	ID     string `json:"id"`
	Tag    string `json:"tag"`
	Device string `json:"device"`
	Serial string `json:"serial"`
	Family string `json:"family"`
	Site   string `json:"site"`
	Place  string `json:"place"`
	Owner  string `json:"owner,omitempty" doc:"the ward or department that it belongs to"`
	Keeper string `json:"keeper,omitempty" doc:"who looks after it"`
	device.Standing
	Risk  int        `json:"risk"`
	DueOn *time.Time `json:"due_on,omitempty"`
	Days  int        `json:"days"`
}

// NeedleView is one needle of a fingerprint.
type NeedleView struct {
	Label        string          `json:"label"`
	Reference    float64         `json:"reference"`
	Zone         conformity.Zone `json:"zone"`
	ErrorToLimit float64         `json:"error_to_limit"`
	UToLimit     float64         `json:"u_to_limit"`
	Phase        run.Phase       `json:"phase"`
	Error        float64         `json:"error"`
	Unit         string          `json:"unit"`
}

// HistoryView is a run on a device with its fingerprint.
type HistoryView struct {
	RunBrief
	Needles []NeedleView `json:"needles"`
}

// AssetView is one device whole.
type AssetView struct {
	AssetBrief
	Maker      string             `json:"maker"`
	Model      string             `json:"model"`
	About      About              `json:"about"`
	Own        []Particular       `json:"own" doc:"in what it differs from what its procedures say"`
	Activities []ActivityView     `json:"activities"`
	Notes      []ActivityNoteView `json:"notes" doc:"what became of them, the newest first"`
	History    []HistoryView      `json:"history"`
	Procedures []ProcedureOffer   `json:"procedures" doc:"by which a run can be opened"`
	Blocked    []BlockView        `json:"blocked" doc:"the controls that are rejected"`
	Kept       []KeptView         `json:"kept" doc:"what the last good runs came to, and is reckoned with until the next"`
	Tests      []TestView         `json:"tests" doc:"of an analyser: how each stands"`
	Faults     []FaultView        `json:"faults" doc:"reported of it, the latest first"`
	SameAs     string             `json:"same_as,omitempty" doc:"tag of the entry of the same device that stays: this one is a double"`
	Doubles    []string           `json:"doubles" doc:"tags under which the same device was entered too"`
	Away       *device.Away       `json:"away,omitempty" doc:"lent or sent out; none: it is at its place"`
	Fitted     []FittedView       `json:"fitted" doc:"the parts that were fitted in runs, the latest first"`
	Trends     []TrendView        `json:"trends" doc:"how its points move, where three runs or more show it"`
}

// FittedView is a part that was fitted in a run.
type FittedView struct {
	At     time.Time `json:"at"`
	Part   string    `json:"part"`
	Amount int       `json:"amount"`
	Number string    `json:"number" doc:"its maker's order number"`
	Lot    string    `json:"lot,omitempty" doc:"its lot or serial number"`
	Run    string    `json:"run"`
}

// TrendView is how one point of a device moves.
type TrendView struct {
	Measure string `json:"measure"`
	Point   string `json:"point"`
	Label   string `json:"label"`
	Unit    string `json:"unit"`
	interval.Trend
}

// ProcedureOffer is a procedure that fits a device.
type ProcedureOffer struct {
	ID        string `json:"id"`
	Title     string `json:"title"`
	Revision  int    `json:"revision"`
	Test      string `json:"test,omitempty" doc:"the one test of an analyser that it is about"`
	Shared    bool   `json:"shared,omitempty" doc:"it is for devices of every family"`
	Maintains bool   `json:"maintains,omitempty" doc:"it measures nothing"`
}

func (ws *Workshop) assetBrief(a ledger.Asset, next time.Time, state device.Standing) AssetBrief {
	b := AssetBrief{
		ID:     a.ID,
		Tag:    a.Tag,
		Device: a.Maker + " " + a.Model,
		Serial: a.Serial,
		Family: a.Family,
		Site:   a.Site,
		Place:  a.Place,
		Owner:  a.Owner,
		Keeper: a.Keeper,
		Risk:   a.Risk,

		Standing: state,
	}
	if !next.IsZero() && duty.HasDay(next) {
		b.DueOn, b.Days = &next, ws.days(next)
	}
	return b
}

// Asset is one device by its id or tag, with its runs, what recurs and how its points move.
func (ws *Workshop) Asset(id string, who person.Person) (AssetView, error) {
	a, err := ws.Ledger.Asset(id)
	if err != nil {
		return AssetView{}, err
	}
	activities, next, err := ws.activities(a.ID)
	if err != nil {
		return AssetView{}, err
	}
	view := AssetView{
		Maker:      a.Maker,
		Model:      a.Model,
		About:      about(a),
		Own:        ws.particulars(&a),
		Activities: activities,
		History:    []HistoryView{},
		Procedures: []ProcedureOffer{},
		Trends:     []TrendView{},
	}
	state, err := ws.state(a.ID)
	if err != nil {
		return view, err
	}
	view.AssetBrief = ws.assetBrief(a, next.DueOn, state)
	for _, p := range ws.procedures() {
		if p.Fits(a.Family) {
			view.Procedures = append(view.Procedures, ProcedureOffer{p.ID, p.Title, p.Revision, p.Test, p.Shared, p.Maintains})
		}
	}
	var results []ledger.Result
	var entries []string
	if view.Doubles, entries, err = ws.doublesOf(a.ID); err != nil {
		return view, err
	}
	if a.SameAs != "" {
		stays, err := ws.Ledger.Asset(a.SameAs)
		if err != nil {
			return view, err
		}
		view.SameAs = stays.Tag
	}
	view.History, results, err = ws.history(append(entries, a.ID), who)
	if err != nil {
		return view, err
	}
	view.Trends = trends(results)
	if view.Faults, err = ws.faults(a.ID); err != nil {
		return view, err
	}
	if a.AwayTo != "" {
		view.Away = &device.Away{To: a.AwayTo, Since: *a.AwaySince, Until: a.AwayUntil}
	}
	if view.Kept, err = ws.kept(a); err != nil {
		return view, err
	}
	if view.Tests, err = ws.tests(a); err != nil {
		return view, err
	}
	if view.Blocked, err = ws.blocked(a.ID); err != nil {
		return view, err
	}
	if view.Fitted, err = ws.fitted(a.ID); err != nil {
		return view, err
	}
	view.Notes, err = ws.activityNotes(a.ID)
	return view, err
}

// fitted are the parts that were fitted in a device, the latest first.
func (ws *Workshop) fitted(asset string) ([]FittedView, error) {
	parts, err := ws.Ledger.Fitted(asset)
	views := make([]FittedView, len(parts))
	for i, p := range parts {
		views[i] = FittedView{p.At, p.Part, p.Amount, p.Number, p.Lot, p.RunID}
	}
	return views, err
}

// trends are the points that moved over a device's runs, since each was last adjusted.
func trends(results []ledger.Result) []TrendView {
	views := []TrendView{}
	for _, p := range interval.HistoriesOf(readings(results)) {
		if trend, err := p.Trend(); err == nil && trend.Significant {
			views = append(views, TrendView{p.Measure, p.Point, p.Label, p.Unit, trend})
		}
	}
	return views
}

func (ws *Workshop) history(entries []string, who person.Person) ([]HistoryView, []ledger.Result, error) {
	runs, err := ws.Ledger.RunsOfAll(entries, 12)
	if err != nil {
		return nil, nil, err
	}
	ids, history := make([]string, len(runs)), make([]HistoryView, len(runs))
	at := map[string]int{}
	for i, r := range runs {
		ids[i], at[r.ID] = r.ID, i
		history[i] = HistoryView{RunBrief: ws.brief(r, who), Needles: []NeedleView{}}
	}
	results, err := ws.Ledger.ResultsOf(ids...)
	for _, r := range results {
		i := at[r.RunID]
		history[i].Needles = append(history[i].Needles,
			NeedleView{r.Label, r.Reference, r.Zone, r.ErrorToLimit, r.UToLimit, r.Phase, r.Error, r.Unit})
	}
	return history, results, err
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
	Owner  string            `json:"owner,omitempty" maxLength:"120" doc:"the ward or department that it belongs to"`
	Keeper string            `json:"keeper,omitempty" maxLength:"120" doc:"who looks after it"`
	Risk   int               `json:"risk" minimum:"1" maximum:"5"`
	InUse  bool              `json:"in_use,omitempty" doc:"it was accepted before it is entered here; else it is not to be used until what it is accepted by is signed"`
	Limits map[string]string `json:"limits,omitempty" doc:"the maker's tolerances by measure, in place of the procedure's"`

	Units map[string]string `json:"units,omitempty" doc:"what it shows a quantity in (UCUM), where not as the procedure says: mass in [lb_av]"`

	Adjustment string `json:"adjustment,omitempty" enum:"threshold,nominal,measure-only,calendar" doc:"the school it is adjusted by, in place of the lab's"`
}

// RegisterAsset enters a device with what recurs on it; trainees and managers may not.
func (ws *Workshop) RegisterAsset(n NewAsset, who person.Person) (string, error) {
	tag, err := ledger.Tag(n.Tag)
	if err != nil {
		return "", invalid("tag", Sentence(err))
	}
	n.Family = procedure.Slug(n.Family)
	for field, text := range map[string]*string{
		"serial": &n.Serial,
		"maker":  &n.Maker,
		"model":  &n.Model,
		"family": &n.Family,
		"site":   &n.Site,
		"place":  &n.Place,
		"owner":  &n.Owner,
		"keeper": &n.Keeper,
	} {
		if *text = strings.TrimSpace(*text); *text == "" && !slices.Contains([]string{"serial", "place", "owner",
			"keeper"}, field) {
			return "", invalid(field, "The "+field+" is missing.")
		}
	}
	for measure, text := range n.Limits {
		if _, err := conformity.ParseTolerance(text); err != nil {
			return "", invalid("limits."+measure, err.Error())
		}
	}
	if _, err := ws.Ledger.Asset(tag); err == nil {
		return "", invalid("tag", tag+" is in the register already. Choose another tag, or open that device.")
	}
	a := &ledger.Asset{
		ID:     ulid.Make().String(),
		Tag:    tag,
		Serial: n.Serial,
		Maker:  n.Maker,
		Model:  n.Model,
		Family: n.Family,
		Site:   n.Site,
		Place:  n.Place,
		Status: ledger.InUse,
		Owner:  n.Owner,
		Keeper: n.Keeper,
		Risk:   n.Risk,
		Limits: n.Limits,
	}
	if now := ws.Clock(); !n.InUse {
		a.AcceptFrom = &now
	}
	a.Settings = map[string]string{}
	if n.Adjustment != "" {
		a.Settings["adjustment"] = n.Adjustment
	}
	for of, unit := range n.Units {
		if _, err := quantity.ParseUnit(unit); err != nil {
			return "", invalid("units."+of, Sentence(err))
		}
		a.Settings["unit."+of] = unit
	}
	a.Search = ledger.Searchable(*a)
	return a.ID, ws.Ledger.Record(ws.act("", "device entered", who, ""), ws.withDuties(a)...)
}

// withDuties is a device that is entered, with what recurs on it, due from today.
func (ws *Workshop) withDuties(a *ledger.Asset) []any {
	records := []any{a}
	today := dayOf(ws.Clock())
	for _, d := range duty.DutiesOf(ws.templates(), a.Family, a.Maker+" "+a.Model) {
		records = append(records, ledger.NewActivity(ulid.Make().String(), *a, d, today,
			"first time after it was entered"))
	}
	return records
}
