package workshop

import (
	"cmp"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"time"

	"northneedle/core/duty"
	"northneedle/core/person"
	"northneedle/core/run"
	"northneedle/internal/exchange"
	"northneedle/internal/ledger"

	"github.com/oklog/ulid/v2"
)

// ImportChange is one thing that a list changes of a known device.
type ImportChange struct {
	Line  int    `json:"line"`
	Tag   string `json:"tag"`
	Field string `json:"field"`
	From  string `json:"from"`
	To    string `json:"to"`
	Note  string `json:"note,omitempty" doc:"what follows from it"`
}

// update is what a row of a list makes of a known device.
type update struct {
	ws     *Workshop
	row    exchange.Row
	reason string
	who    person.Person
	now    time.Time

	asset      ledger.Asset
	activities []ledger.Activity
	touched    map[int]bool // places of activities that it changes
	notes      []any
	changes    []ImportChange
}

// updates are what a list makes of the devices that are in the register already, by its rows. What it cannot make of one is an
// error of that row, which refused is told.
func (ws *Workshop) updates(file *exchange.Import, reason string, who person.Person,
	refused func(exchange.Row, *run.Refusal)) (all []update, err error) {
	known := slices.DeleteFunc(slices.Clone(file.Rows), func(r exchange.Row) bool { return r.Known == "" })
	for rows := range slices.Chunk(known, statesAtOnce) {
		ids := make([]string, len(rows))
		for i, r := range rows {
			ids[i] = r.Known
		}
		devices, err := ws.Ledger.AssetsOf(ids...)
		if err != nil {
			return nil, err
		}
		of, err := ws.activitiesOf(ids...)
		if err != nil {
			return nil, err
		}
		for _, row := range rows {
			u := update{ws: ws, row: row, reason: reason, who: who, now: ws.Clock(), asset: devices[row.Known],
				activities: of[row.Known], touched: map[int]bool{}}
			var why *run.Refusal
			switch err := u.compare(); {
			case errors.As(err, &why):
				refused(row, why)
			case err != nil:
				return nil, err
			default:
				all = append(all, u)
			}
		}
	}
	return all, nil
}

// activitiesOf are the activities of devices, by their ids.
func (ws *Workshop) activitiesOf(ids ...string) (map[string][]ledger.Activity, error) {
	all, err := ws.Ledger.Activities(ids...)
	of := make(map[string][]ledger.Activity, len(ids))
	for _, a := range all {
		of[a.AssetID] = append(of[a.AssetID], a)
	}
	return of, err
}

// records are what is to be saved.
func (u *update) records() []any {
	u.asset.Search = ledger.Searchable(u.asset)
	records := append([]any{&u.asset}, u.notes...)
	for i := range u.activities {
		if u.touched[i] {
			records = append(records, &u.activities[i])
		}
	}
	return records
}

// compare finds what differs, and makes it so in the update's own copy. A column that is empty changes nothing.
func (u *update) compare() error {
	to := u.row.Asset
	if u.given("family") && to.Family != u.asset.Family {
		return invalid("family",
			u.asset.Tag+" is a "+u.asset.Family+": what recurs on it hangs on that. Retire it, and enter it anew.")
	}
	u.text("serial", &u.asset.Serial, to.Serial)
	u.text("maker", &u.asset.Maker, to.Maker)
	u.text("model", &u.asset.Model, to.Model)
	if u.given("risk") && to.Risk != u.asset.Risk {
		u.say("risk", strconv.Itoa(u.asset.Risk), strconv.Itoa(to.Risk), "")
		u.asset.Risk = to.Risk
		for i := range u.activities {
			u.activities[i].Risk, u.touched[i] = to.Risk, true
		}
	}
	u.text("owner", &u.asset.Owner, to.Owner)
	u.text("keeper", &u.asset.Keeper, to.Keeper)
	u.text("supplier", &u.asset.Supplier, to.Supplier)
	u.text("set_up", &u.asset.SetUp, to.SetUp)
	u.software()
	for field, day := range map[string]struct{ at, to **time.Time }{"bought": {&u.asset.Bought, &to.Bought},
		"warranty": {&u.asset.Warranty, &to.Warranty}} {
		if u.given(field) && dayText(*day.at) != dayText(*day.to) {
			u.say(field, dayText(*day.at), dayText(*day.to), "")
			*day.at = *day.to
		}
	}
	if u.given("price") && u.asset.Price != to.Price {
		u.say("price", fmt.Sprint(exchange.Filled(u.asset.Price)), fmt.Sprint(to.Price), "")
		u.asset.Price = to.Price
	}
	return errors.Join(u.moved(), u.status(), u.upkeep())
}

func (u *update) given(field string) bool { return slices.Contains(u.row.Given, field) }

func (u *update) say(field, from, to, note string) {
	u.changes = append(u.changes, ImportChange{u.row.Line, u.asset.Tag, field, from, to, note})
}

func (u *update) text(field string, at *string, to string) {
	if u.given(field) && *at != to {
		u.say(field, *at, to, "")
		*at = to
	}
}

// moved takes a new place over. Where the height changes, what depends on it is undone.
func (u *update) moved() error {
	site := cmp.Or(u.row.Asset.Site, u.asset.Site)
	rises, words, err := u.ws.rises(u.asset.Site, site)
	if err != nil {
		return err
	}
	note := ""
	if rises && u.happened(duty.Moved, words) {
		note = "What depends on the height is due: " + words + "."
	}
	if site != u.asset.Site {
		u.say("site", u.asset.Site, site, note)
		u.asset.Site = site
		if u.asset.Place != "" && !u.given("place") {
			u.say("place", u.asset.Place, "", "The list says no place at the other site.")
			u.asset.Place = ""
		}
	}
	u.text("place", &u.asset.Place, u.row.Asset.Place)
	return nil
}

// software takes another version over: what it undoes is due.
func (u *update) software() {
	was, is := u.asset.Software, u.row.Asset.Software
	if !u.given("software") || was == is {
		return
	}
	note := ""
	if was != "" && u.happened(duty.NewSoftware, "from "+was+" to "+is) {
		note = "What depends on the software is due."
	}
	u.say("software", was, is, note)
	u.asset.Software = is
}

// happened undoes what an event undoes, and notes it; false where it undoes nothing.
func (u *update) happened(event duty.Event, words string) bool {
	changed := duty.Happened(ledger.Recurrings(u.activities), event, words, u.now)
	for _, r := range changed {
		i := slices.IndexFunc(u.activities, func(a ledger.Activity) bool { return a.ID == r.ID })
		u.activities[i].Adopt(r)
		u.touched[i] = true
	}
	if len(changed) > 0 {
		u.notes = append(u.notes, &ledger.ActivityNote{ID: ulid.Make().String(), ActivityID: changed[0].ID, AssetID: u.asset.ID,
			At: u.now, By: u.who.Name, Kind: ledger.NoteEvent, Event: string(event), Text: words})
	}
	return len(changed) > 0
}

// status takes a device out of use, or off the register. A list brings none back.
func (u *update) status() error {
	from, to := u.asset.Status, u.row.Asset.Status
	waits := u.row.Asset.AcceptFrom != nil
	if !u.given("status") || from == to && !waits {
		return nil
	}
	switch {
	case waits && u.asset.AcceptFrom == nil:
		return invalid("status",
			u.asset.Tag+" is in the register already: it waits for its acceptance again when it is back from a repair.")
	case waits:
		return nil
	case from == ledger.Gone:
		return invalid("status", u.asset.Tag+" is off the register: take it in again on its page.")
	case to == ledger.InUse:
		return invalid("status", u.asset.Tag+" is out of use: a signed run brings it back, no list does.")
	case to == ledger.Gone:
		if open, err := u.ws.openOn(u.asset.ID); err != nil {
			return err
		} else if open {
			return invalid("status", "A run is open on "+u.asset.Tag+", or waits for its review: end it first.")
		}
	}
	u.say("status", from, to, "")
	u.asset.Status, u.asset.Why = to, fmt.Sprintf("%s (%s, %s)", cmp.Or(u.reason, "As a list says"), u.who.Name,
		u.now.Format(time.DateOnly))
	return nil
}

// upkeep brings the main duty to where the list says it stands: done later than is known, by another interval, due on
// another day. It lifts nothing that was undone.
func (u *update) upkeep() error {
	main, to := u.ws.mainDuty(u.asset), u.row.Upkeep
	i := slices.IndexFunc(u.activities, func(a ledger.Activity) bool { return a.Duty.ID == main && main != "" })
	if i < 0 {
		return nil
	}
	a := &u.activities[i]
	was := *a
	r := a.Recurring()
	if u.given("months") && to.Months != r.Duty.Months {
		if r.Duty.Fixed && to.Months*30 > r.Duty.Calendar() {
			return invalid("months", fmt.Sprintf("A rule binds %s of %s: %d days are its ceiling.", a.Title,
				u.asset.Tag, r.Duty.Calendar()))
		}
		u.say("months", fmt.Sprint(exchange.Filled(r.Duty.Months)), strconv.Itoa(to.Months), "")
		r.Duty.Months, r.Duty.Days = to.Months, 0
		if r.LastOn != nil && r.Undone.At == nil {
			next, err := r.Duty.Next(*r.LastOn)
			if err != nil {
				return err
			}
			r.DueOn, r.Reason, r.Deferred = next.On, next.Reason, duty.Deferral{}
		}
		a.Duty, a.Accepted = r.Duty, ledger.AcceptedInterval{Because: cmp.Or(u.reason, "As a list says."),
			By: u.who.Name, On: &u.now}
	}
	if to.Last != nil && r.Undone.At == nil && (r.LastOn == nil || to.Last.After(*r.LastOn)) {
		if err := r.Done(*to.Last); err != nil {
			return err
		}
		u.say("last_done", dayText(was.LastOn), dayText(to.Last), "")
	}
	a.Adopt(r)
	if to.Due != nil && !sameDay(*to.Due, a.DueOn) {
		if err := u.due(a, *to.Due); err != nil {
			return err
		}
	}
	if now := dayText(&a.DueOn); duty.HasDay(a.DueOn) && now != dayText(&was.DueOn) {
		u.say("next_due", dayText(&was.DueOn), now, "")
	}
	u.touched[i] = u.touched[i] || a.DueOn != was.DueOn || a.LastOn != was.LastOn || a.Duty.Months != was.Duty.Months
	return nil
}

// due brings a duty forward, or puts it off with the reason.
func (u *update) due(a *ledger.Activity, on time.Time) error {
	if on.Before(a.DueOn) {
		a.DueOn, a.Reason = on, "the day that the imported list says"
		return nil
	}
	err := u.ws.putOff(a, ActivityOrder{On: Day(on.Format(time.DateOnly)), Reason: cmp.Or(u.reason, "as a list says")}, u.who)
	var why *run.Refusal
	if errors.As(err, &why) {
		return invalid("next_due", why.Message)
	}
	return err
}

func dayText(day *time.Time) string {
	if day == nil {
		return ""
	}
	return day.Format(time.DateOnly)
}

func sameDay(a, b time.Time) bool { return dayText(&a) == dayText(&b) }
