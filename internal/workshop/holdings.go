package workshop

import (
	"context"
	"fmt"
	"net/url"
	"slices"
	"strings"

	"northneedle/core/person"
	"northneedle/core/run"
	"northneedle/internal/ledger"
)

// Holding is something that waits for a person, and for somebody else once they are gone.
type Holding struct {
	Words string `json:"words"`
	To    string `json:"to" doc:"the page on which it is handed on; empty: there is none"`
}

// Holdings is what somebody still has in hand: open runs, runs that wait for their countersignature, devices they look
// after, drafts, rounds to come, and devices that nobody but them does alone.
func (ws *Workshop) Holdings(ctx context.Context, id string) ([]Holding, error) {
	p, err := ws.Ledger.Person(ctx, id)
	if err != nil {
		return nil, err
	}
	all := []Holding{}
	add := func(n int, one, several, to string, names ...string) {
		if n == 0 {
			return
		}
		words := "One " + one
		if n > 1 {
			words = fmt.Sprintf("%d %s", n, several)
		}
		if len(names) > 0 {
			words += ": " + strings.Join(names, ", ")
		}
		all = append(all, Holding{words + ".", to})
	}
	for _, of := range []struct {
		status       run.Status
		whose        func(ledger.Run) bool
		one, several string
	}{
		{run.Open, func(r ledger.Run) bool { return r.ByID == id }, "open run", "open runs"},
		{run.InReview, func(r ledger.Run) bool { return r.Reviewer == p.Name }, "run to countersign", "runs to countersign"},
	} {
		runs, err := ws.Ledger.RunsIn(of.status, -1)
		if err != nil {
			return nil, err
		}
		runs = slices.DeleteFunc(runs, func(r ledger.Run) bool { return !of.whose(r) })
		add(len(runs), of.one, of.several, "/bench", namesOf(runs, func(r ledger.Run) string { return r.Tag })...)
	}
	kept, err := ws.Ledger.CountAssets(ledger.AssetFilter{Keeper: p.Name, NoArchive: true})
	if err != nil {
		return nil, err
	}
	add(int(kept), "device looked after", "devices looked after", "/equipment?keeper="+url.QueryEscape(p.Name))
	drafts, err := ws.Ledger.Drafts(ledger.DraftOpen)
	if err != nil {
		return nil, err
	}
	drafts = slices.DeleteFunc(drafts, func(d ledger.ProcedureDraft) bool { return d.By != p.Name })
	add(len(drafts), "draft of a procedure", "drafts of procedures", "/house/procedures",
		namesOf(drafts, func(d ledger.ProcedureDraft) string { return d.Title })...)
	days, err := ws.Ledger.RoundsOf(p.Name, dayOf(ws.Clock()).Format("2006-01-02"))
	if err != nil {
		return nil, err
	}
	add(len(days), "round to come", "rounds to come", "/rounds", days...)
	only, err := ws.onlyOnes(p)
	add(len(only), "family of devices that nobody else does alone", "families of devices that nobody else does alone",
		"/house/people", only...)
	return all, err
}

// onlyOnes are the families that nobody who may sign in does alone but this one.
func (ws *Workshop) onlyOnes(p ledger.Person) (only []string, err error) {
	alone, err := ws.Ledger.Alone()
	if err != nil {
		return nil, err
	}
	everyone, err := ws.Ledger.People()
	if err != nil {
		return nil, err
	}
	now := ws.Clock()
	for _, c := range alone {
		if c.Person != p.ID || !c.Holds(now) || slices.Contains(only, c.Family) {
			continue
		}
		if !slices.ContainsFunc(everyone, func(other ledger.Person) bool {
			return other.ID != p.ID && person.Person{ID: other.ID, Role: other.Role}.Alone(c.Family, alone, now)
		}) {
			only = append(only, c.Family)
		}
	}
	slices.Sort(only)
	return only, nil
}

// namesOf are the first few of many by name.
func namesOf[T any](all []T, name func(T) string) []string {
	const shown = 5
	names := []string{}
	for i, one := range all {
		if i == shown {
			return append(names, "…")
		}
		names = append(names, name(one))
	}
	return names
}
