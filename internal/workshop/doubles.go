package workshop

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"northneedle/core/device"
	"northneedle/core/duty"
	"northneedle/core/person"
	"northneedle/core/run"
	"northneedle/internal/ledger"
)

// Doubled says that a device was entered twice.
type Doubled struct {
	Stays  string `json:"stays" minLength:"1" maxLength:"40" doc:"tag of the entry that stays"`
	Reason string `json:"reason" maxLength:"400"`
}

// settled are the states in which an entry can be merged: nothing that is known of either device is lost by it.
var settled = []device.State{device.InUse, device.Due, device.Overdue, device.NotYetAccepted}

// MergeAsset says that an entry of the register is the same device as another, which stays. Its runs are seen there too, and
// what was done last on either counts; its own page leads there. What stops one of them is settled first.
func (ws *Workshop) MergeAsset(id string, o Doubled, who person.Person) error {
	why, err := reasoned(o.Reason)
	if err != nil {
		return err
	}
	double, err := ws.Ledger.Asset(id)
	if err != nil {
		return err
	}
	tag, err := ledger.Tag(o.Stays)
	if err != nil {
		return invalid("stays", Sentence(err))
	}
	stays, err := ws.Ledger.Asset(tag)
	if err != nil {
		return invalid("stays", tag+" is not in the register.")
	}
	if double.SameAs == stays.ID {
		return nil // sent again
	}
	if err := ws.sameDevice(double, stays); err != nil {
		return err
	}
	for _, a := range []ledger.Asset{double, stays} {
		if err := ws.mergeable(a); err != nil {
			return err
		}
	}
	taken, err := ws.laterOf(double, stays)
	if err != nil {
		return err
	}
	double.SameAs, double.Status = stays.ID, ledger.Gone
	double.Why = fmt.Sprintf("the same device as %s: %s (%s, %s)", stays.Tag, strings.TrimRight(why, "."), who.Name,
		ws.Clock().Format(time.DateOnly))
	records := []any{&double}
	for _, a := range taken {
		records = append(records, a)
	}
	if err := ws.Ledger.Record(ws.act("", "device merged with "+stays.Tag, who, why), records...); err != nil {
		return err
	}
	ws.changes.tell("", 0)
	return nil
}

// sameDevice refuses two entries that cannot be one device.
func (ws *Workshop) sameDevice(double, stays ledger.Asset) error {
	serial := func(a ledger.Asset) string { return strings.ToUpper(strings.Join(strings.Fields(a.Serial), "")) }
	switch {
	case double.ID == stays.ID:
		return invalid("stays", "That is this entry: give the tag of the other one.")
	case double.Family != stays.Family:
		return invalid("stays", fmt.Sprintf("%s is a %s, %s a %s: correct what is wrong first.", double.Tag, double.Family,
			stays.Tag, stays.Family))
	case serial(double) != "" && serial(stays) != "" && serial(double) != serial(stays):
		return invalid("stays", fmt.Sprintf("Their serial numbers differ, %s and %s: correct the one that is wrong first.",
			double.Serial, stays.Serial))
	}
	return nil
}

// mergeable refuses an entry of which something is open that would be out of sight, or in another place.
func (ws *Workshop) mergeable(a ledger.Asset) error {
	state, err := ws.state(a.ID)
	if err != nil {
		return err
	}
	if !slices.Contains(settled, state.State) {
		return &run.Refusal{Kind: run.Conflict, Code: "unsettled", Field: "stays",
			Message: fmt.Sprintf("%s is %s. Settle that first: merged, it would be out of sight.", a.Tag, state.State)}
	}
	open, err := ws.openOn(a.ID)
	if err != nil {
		return err
	}
	if open {
		return invalid("stays", "A run is open on "+a.Tag+", or waits for its review: end it first.")
	}
	backs, err := ws.Ledger.LookBacksOn(a.ID)
	if err == nil && len(backs) > 0 {
		err = invalid("stays", "A look-back on "+a.Tag+" is open: close it first.")
	}
	return err
}

// laterOf are the activities of the entry that stays of which the double was done later: they go by that.
func (ws *Workshop) laterOf(double, stays ledger.Asset) (taken []*ledger.Activity, err error) {
	theirs, err := ws.Ledger.Activities(double.ID)
	if err != nil {
		return nil, err
	}
	ours, err := ws.Ledger.Activities(stays.ID)
	if err != nil {
		return nil, err
	}
	for i := range ours {
		a := &ours[i]
		for _, b := range theirs {
			if b.Duty.ID != a.Duty.ID || b.Procedure != a.Procedure || b.LastOn == nil || a.LastOn != nil && !b.LastOn.After(*a.LastOn) {
				continue
			}
			a.LastOn = b.LastOn
			if duty.HasDay(b.DueOn) {
				a.DueOn = b.DueOn
			}
			a.Reason = "as it was done on " + double.Tag + ", the same device"
			taken = append(taken, a)
			break
		}
	}
	return taken, nil
}

// doublesOf are the entries that were merged into a device.
func (ws *Workshop) doublesOf(asset string) (tags, ids []string, err error) {
	all, err := ws.Ledger.DoublesOf(asset)
	tags = []string{}
	for _, d := range all {
		tags, ids = append(tags, d.Tag), append(ids, d.ID)
	}
	return tags, ids, err
}
