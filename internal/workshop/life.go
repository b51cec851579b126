package workshop

import (
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"northneedle/core/conformity"
	"northneedle/core/duty"
	"northneedle/core/person"
	"northneedle/core/run"
	"northneedle/internal/ledger"
)

// FaultView is something that was reported wrong with a device.
type FaultView struct {
	ID       string              `json:"id"`
	What     string              `json:"what"`
	Reporter string              `json:"reporter" doc:"whoever noticed it"`
	Since    *time.Time          `json:"since,omitempty"`
	At       time.Time           `json:"at"`
	By       string              `json:"by" doc:"whoever wrote it down"`
	Judged   *time.Time          `json:"judged,omitempty" doc:"none: not yet; the device is not to be used"`
	JudgedBy string              `json:"judged_by,omitempty"`
	Outcome  ledger.FaultOutcome `json:"outcome,omitempty"`
	Found    string              `json:"found,omitempty"`
	Parts    string              `json:"parts,omitempty"`
	Minutes  int                 `json:"minutes,omitempty" doc:"of work"`
}

// faults are those of a device, the latest first.
func (ws *Workshop) faults(asset string) ([]FaultView, error) {
	all, err := ws.Ledger.Faults(false, asset)
	views := make([]FaultView, len(all))
	for i, f := range all {
		views[i] = FaultView{f.ID, f.What, f.Reporter, f.Since, f.At, f.By, f.Judged, f.JudgedBy, f.Outcome, f.Found,
			f.Parts, f.Minutes}
	}
	return views, err
}

// Correction is what was entered wrong of a device: what is left out stays.
type Correction struct {
	Tag    *string `json:"tag,omitempty" minLength:"1" maxLength:"40"`
	Serial *string `json:"serial,omitempty" maxLength:"60"`
	Maker  *string `json:"maker,omitempty" minLength:"1" maxLength:"60"`
	Model  *string `json:"model,omitempty" minLength:"1" maxLength:"60"`
	Owner  *string `json:"owner,omitempty" maxLength:"120"`
	Keeper *string `json:"keeper,omitempty" maxLength:"120"`
	Risk   *int    `json:"risk,omitempty" minimum:"1" maximum:"5"`

	Limits map[string]string `json:"limits,omitempty" doc:"the maker's tolerances by measure; an empty one is taken away"`
	Reason string            `json:"reason" maxLength:"400"`
}

// reasoned is a reason, which must not be empty.
func reasoned(text string) (string, error) {
	if text = strings.TrimSpace(text); text == "" {
		return "", invalid("reason", "Say why: it stands in the device's history.")
	}
	return text, nil
}

// CorrectAsset corrects what was entered wrong. Runs that were made keep what they said.
func (ws *Workshop) CorrectAsset(id string, c Correction, who person.Person) (string, error) {
	why, err := reasoned(c.Reason)
	if err != nil {
		return "", err
	}
	a, err := ws.Ledger.Asset(id)
	if err != nil {
		return "", err
	}
	if c.Tag != nil {
		tag, err := ledger.Tag(*c.Tag)
		if err != nil {
			return "", invalid("tag", Sentence(err))
		}
		if other, err := ws.Ledger.Asset(tag); err == nil && other.ID != a.ID {
			return "", invalid("tag", tag+" is another device of the register: "+other.Maker+" "+other.Model+".")
		}
		a.Tag = tag
	}
	for field, text := range map[string]struct{ from, to *string }{"serial": {c.Serial, &a.Serial}, "maker": {c.Maker,
		&a.Maker},
		"model": {c.Model, &a.Model}, "owner": {c.Owner, &a.Owner}, "keeper": {c.Keeper, &a.Keeper}} {
		if text.from == nil {
			continue
		}
		if *text.to = strings.TrimSpace(*text.from); *text.to == "" && (field == "maker" || field == "model") {
			return "", invalid(field, "The "+field+" is missing.")
		}
	}
	if c.Risk != nil {
		a.Risk = *c.Risk
	}
	for measure, text := range c.Limits {
		if text == "" {
			delete(a.Limits, measure)
			continue
		}
		if _, err := conformity.ParseTolerance(text); err != nil {
			return "", invalid("limits."+measure, err.Error())
		}
		if a.Limits == nil {
			a.Limits = map[string]string{}
		}
		a.Limits[measure] = text
	}
	records, err := ws.atRisk(&a)
	if err != nil {
		return "", err
	}
	a.Search = ledger.Searchable(a)
	return a.ID, ws.Ledger.Record(ws.act("", "device corrected", who, why), records...)
}

// atRisk is a device with its activities, which are ordered by its risk.
func (ws *Workshop) atRisk(a *ledger.Asset) ([]any, error) {
	activities, err := ws.Ledger.Activities(a.ID)
	records := []any{a}
	for i := range activities {
		if activities[i].Risk != a.Risk {
			activities[i].Risk = a.Risk
			records = append(records, &activities[i])
		}
	}
	return records, err
}

// Relocation is where a device stands from now on.
type Relocation struct {
	ID     string `json:"id" minLength:"8" maxLength:"50" doc:"made by the client; sent again it changes nothing"`
	Site   string `json:"site" minLength:"1" maxLength:"80"`
	Place  string `json:"place" maxLength:"80"`
	Reason string `json:"reason" maxLength:"400"`
}

// MoveAsset moves a device. Where the height changes by as much as the workshop says, or is not known of both sites,
// what depends on it is due.
func (ws *Workshop) MoveAsset(id string, m Relocation, who person.Person) error {
	why, err := reasoned(m.Reason)
	if err != nil {
		return err
	}
	a, err := ws.Ledger.Asset(id)
	if err != nil {
		return err
	}
	m.Site, m.Place = strings.TrimSpace(m.Site), strings.TrimSpace(m.Place)
	if m.Site == "" {
		return invalid("site", "The site is missing.")
	}
	if m.Site == a.Site && m.Place == a.Place {
		return nil // also where it is sent again
	}
	rises, words, err := ws.rises(a.Site, m.Site)
	if err != nil {
		return err
	}
	if rises { // first: a device that is moved and whose duties still stood would be taken for good
		if err := ws.undone(a.ID, m.ID+"-height", duty.Moved, words, who,
			func(ledger.Activity) bool { return true }); err != nil {
			return err
		}
	}
	a.Site, a.Place = m.Site, m.Place
	a.Search = ledger.Searchable(a)
	return ws.Ledger.Record(ws.act(m.ID, "device moved", who, why), &a)
}

// rises reports whether a move between two sites counts as one to another height, and why.
func (ws *Workshop) rises(from, to string) (rises bool, words string, err error) {
	if from == to {
		return false, "", nil
	}
	day, err := ws.workingDay()
	if err != nil {
		return false, "", err
	}
	there, err := ws.height(to)
	if err != nil {
		return false, "", err
	}
	here, err := ws.height(from)
	switch {
	case err != nil:
		return false, "", err
	case here == nil || there == nil:
		return true, fmt.Sprintf("from %s to %s, whose heights are not both known", from, to), nil
	case math.Abs(*there-*here) < float64(day.Rise):
		return false, "", nil
	}
	return true, fmt.Sprintf("from %s (%.0f m) to %s (%.0f m)", from, *here, to, *there), nil
}

// Whereabouts say that a device is lent or sent out, is back, is taken out of use, or is gone.
type Whereabouts struct {
	To     string `json:"to" enum:"lent,back,out of use,retired,in the register again"`
	Whom   string `json:"whom,omitempty" maxLength:"120" doc:"to whom it is lent or sent"`
	Until  Day    `json:"until,omitempty" format:"date" doc:"when it is due back"`
	Opened bool   `json:"opened,omitempty" doc:"somebody repaired, opened or adjusted it there: it waits for its acceptance before it is used again"`
	Reason string `json:"reason" maxLength:"400"`
}

// SetWhereabouts changes where a device is, or whether it is used. What a person took out of use comes back by a signed run.
func (ws *Workshop) SetWhereabouts(id string, o Whereabouts, who person.Person) error {
	if o.To == "retired" || o.To == "in the register again" {
		if err := mayDo(who, person.RetireDevices); err != nil {
			return err
		}
	}
	why, err := reasoned(o.Reason)
	if err != nil {
		return err
	}
	a, err := ws.Ledger.Asset(id)
	if err != nil {
		return err
	}
	if a.Status == ledger.Gone && o.To != "in the register again" {
		return invalid("to", a.Tag+" is off the register: take it in again first.")
	}
	now := ws.Clock()
	kind := "device " + o.To
	switch o.To {
	case "lent":
		o.Whom = strings.TrimSpace(o.Whom)
		until := ws.begin(o.Until)
		switch {
		case o.Whom == "":
			return invalid("whom", "Say who has it.")
		case o.Until != "" && until.Before(dayOf(now)):
			return invalid("until", "The day on which it is due back is today or later, as 2026-03-02.")
		}
		a.AwayTo, a.AwaySince, a.AwayUntil = o.Whom, &now, nil
		if o.Until != "" {
			a.AwayUntil = &until
		}
		why = o.Whom + ": " + why
	case "back":
		if a.AwayTo == "" {
			return nil
		}
		a.AwayTo, a.AwaySince, a.AwayUntil = "", nil, nil
		if o.Opened {
			a.AcceptFrom, kind = &now, "device back from a repair"
		}
	case "out of use":
		a.Status, a.Why = ledger.OutOfUse, fmt.Sprintf("%s (%s, %s)", strings.TrimRight(why, "."), who.Name,
			now.Format(time.DateOnly))
		kind = "device taken out of use"
	case "retired":
		open, err := ws.openOn(a.ID)
		if err != nil {
			return err
		}
		if open {
			return invalid("to", "A run is open on it, or waits for its review: end it first.")
		}
		a.Status, a.Why = ledger.Gone, fmt.Sprintf("%s (%s, %s)", strings.TrimRight(why, "."), who.Name,
			now.Format(time.DateOnly))
	case "in the register again":
		if a.Status != ledger.Gone {
			return nil
		}
		a.SameAs = ""
		a.Status, a.Why = ledger.OutOfUse, fmt.Sprintf("in the register again: %s; a signed run brings it back into use", strings.TrimRight(why, "."))
	}
	if err := ws.Ledger.Record(ws.act("", kind, who, why), &a); err != nil {
		return err
	}
	ws.changes.tell("", 0)
	return nil
}

// openOn reports whether a run of a device is open, or waits for its review.
func (ws *Workshop) openOn(asset string) (bool, error) {
	runs, err := ws.Ledger.RunsOf(asset, mostRuns)
	return slices.ContainsFunc(runs, func(r ledger.Run) bool { return r.Status == run.Open || r.Status == run.InReview }), err
}

// FaultReport is something wrong with a device, as it was noticed.
type FaultReport struct {
	ID       string `json:"id" minLength:"8" maxLength:"50" doc:"made by the client; sent again it changes nothing"`
	What     string `json:"what" minLength:"1" maxLength:"1000"`
	Reporter string `json:"reporter,omitempty" maxLength:"120" doc:"whoever noticed it; empty: whoever writes it down"`
	Since    Day    `json:"since,omitempty" format:"date"`
}

// ReportFault writes down that something is wrong with a device: it is not to be used until that is judged.
func (ws *Workshop) ReportFault(id string, r FaultReport, who person.Person) error {
	a, err := ws.Ledger.Asset(id)
	if err != nil {
		return err
	}
	if r.What = strings.TrimSpace(r.What); r.What == "" {
		return invalid("what", "Say what is wrong.")
	}
	if r.Reporter = strings.TrimSpace(r.Reporter); r.Reporter == "" {
		r.Reporter = who.Name
	}
	f := ledger.Fault{ID: r.ID, AssetID: a.ID, What: r.What, Reporter: r.Reporter, At: ws.Clock(), By: who.Name}
	if r.Since != "" {
		since := ws.begin(r.Since)
		if since.IsZero() || since.After(f.At) {
			return invalid("since", "The day is today or before, as 2026-03-02.")
		}
		f.Since = &since
	}
	if err := ws.Ledger.Record(ws.act(r.ID, "fault reported", who, r.What), &f); err != nil {
		return err
	}
	ws.changes.tell("", 0)
	return nil
}

// FaultJudgement is what a fault was found to be.
type FaultJudgement struct {
	Outcome ledger.FaultOutcome `json:"outcome" enum:"nothing found,mended,withdrawn"`
	Found   string              `json:"found" maxLength:"1000" doc:"what was looked at, and what was found"`
	Parts   string              `json:"parts,omitempty" maxLength:"400" doc:"with their numbers or lots"`
	Minutes int                 `json:"minutes,omitempty" minimum:"0" maximum:"100000" doc:"of work"`
}

// JudgeFault says what a fault was found to be, and draws what follows: after a repair, what it undoes is due; a
// withdrawn device is out of use until a signed run finds it good.
func (ws *Workshop) JudgeFault(id string, j FaultJudgement, who person.Person) error {
	f, err := ws.Ledger.Fault(id)
	if err != nil {
		return err
	}
	if f.Judged != nil {
		return invalid("outcome", fmt.Sprintf("%s judged it already: %s.", f.JudgedBy, f.Outcome))
	}
	if j.Found = strings.TrimSpace(j.Found); j.Found == "" {
		return invalid("found", "Say what was looked at, and what was found.")
	}
	now := ws.Clock()
	f.Judged, f.JudgedBy, f.Outcome, f.Found = &now, who.Name, j.Outcome, j.Found
	f.Parts, f.Minutes = strings.TrimSpace(j.Parts), j.Minutes
	records := []any{&f}
	if j.Outcome == ledger.Withdrawn {
		a, err := ws.Ledger.Asset(f.AssetID)
		if err != nil {
			return err
		}
		a.Status, a.Why = ledger.OutOfUse, fmt.Sprintf("%s (%s, %s)", strings.TrimRight(j.Found, "."), who.Name,
			now.Format(time.DateOnly))
		records = append(records, &a)
	}
	if j.Outcome == ledger.Mended { // first: a mended device whose duties still stood would be taken for good
		if err := ws.undone(f.AssetID, f.ID+"-mended", duty.Repair, j.Found, who,
			func(ledger.Activity) bool { return true }); err != nil {
			return err
		}
	}
	if err := ws.Ledger.Record(ws.act(f.ID+"-judged", "fault judged: "+string(j.Outcome), who, j.Found),
		records...); err != nil {
		return err
	}
	ws.changes.tell("", 0)
	return nil
}

// lifeSubjects are the faults of a device, as the log calls them.
func (ws *Workshop) lifeSubjects(asset string) ([]string, error) {
	all, err := ws.Ledger.Faults(false, asset)
	subjects := []string{}
	for _, f := range all {
		subjects = append(subjects, "faults/"+f.ID)
	}
	return subjects, err
}
