package exchange

import (
	"bytes"
	"encoding/json"
	"fmt"
	"math"

	"northneedle/core/person"
	"northneedle/core/run"
	"northneedle/core/runview"
	"northneedle/internal/definition"
	"northneedle/internal/ledger"
)

// ReadBack is a whole run that was read from its JSON, folded anew from its events.
type ReadBack struct {
	Run    run.Run
	Events []run.Event
	Head   string // hash of its last event
	Seal   string // what the workshop's key said of it, not verified
}

// ReadRun reads a whole run as [RunJSON] writes it. Every event's hash, its place in the
// chain and the hash of the procedure are checked, the run is folded anew, and every
// verdict in the file is held against what its readings give now. An error names the
// first thing that does not hold.
func ReadRun(text []byte) (ReadBack, error) {
	var back ReadBack
	var r Record
	if err := json.Unmarshal(text, &r); err != nil {
		return back, fmt.Errorf("this is no run as JSON: %w", err)
	}
	switch {
	case r.Format != Format:
		return back, fmt.Errorf("format: it says %q; %q is what can be read", r.Format, Format)
	case len(r.Events) == 0:
		return back, fmt.Errorf("events: there are none")
	}
	id := r.View.ID
	for i, e := range r.Events {
		row := ledger.Event{
			Stream:  ledger.StreamOf(id),
			Log:     e.Log,
			Seq:     e.Seq,
			EventID: e.ID,
			Kind:    e.Kind,
			At:      e.At,
			By:      compact(e.By),
			Data:    compact(e.Data),
			Prev:    e.Prev,
			Hash:    e.Hash,
		}
		switch {
		case e.Seq != i+1:
			return back, fmt.Errorf("event %d is missing: the %dth in the file has the number %d", i+1, i+1, e.Seq)
		case i > 0 && e.Prev != back.Head:
			return back, fmt.Errorf("event %d does not follow the one before it", e.Seq)
		}
		event, err := row.Check()
		if err != nil { // another program may have put the fields in another order
			if row.By, row.Data, err = inOrder(e); err == nil {
				event, err = row.Check()
			}
		}
		if err != nil {
			return back, fmt.Errorf("event %d: %w", e.Seq, err)
		}
		back.Events, back.Head = append(back.Events, event), e.Hash
	}
	opened, ok := back.Events[0].Fact.(run.RunOpened)
	if !ok {
		return back, fmt.Errorf("event 1: a run begins with its opening, not with %s", r.Events[0].Kind)
	}
	if hash := definition.Hash(r.Procedure); hash != opened.Hash {
		return back, fmt.Errorf("procedure: it is not the one that the run was made by (revision %d of %s): its content was changed", opened.Revision, opened.Procedure)
	}
	p, err := definition.Read(opened.Procedure, []byte(r.Procedure))
	if err != nil {
		return back, fmt.Errorf("procedure: this version cannot read it: %w", err)
	}
	back.Seal = r.Seal
	if err := run.Replay(p, back.Events); err != nil {
		return back, fmt.Errorf("it did not come about by the rules of its procedure: %w", err)
	}
	back.Run = run.Fold(p, back.Events)
	return back, sameVerdicts(r.View, runview.Of(back.Run, back.Events[len(back.Events)-1].At))
}

func compact(raw json.RawMessage) string {
	var out bytes.Buffer
	if json.Compact(&out, raw) != nil {
		return string(raw)
	}
	return out.String()
}

// inOrder is an event's person and data with the fields in the order in which they are
// written here.
func inOrder(e Entry) (by, data string, err error) {
	var person person.Person
	if err := json.Unmarshal(e.By, &person); err != nil {
		return "", "", err
	}
	fact, err := run.DecodeFact(e.Kind, e.Data)
	if err != nil {
		return "", "", err
	}
	who, err := json.Marshal(person)
	if err != nil {
		return "", "", err
	}
	what, err := json.Marshal(fact)
	return string(who), string(what), err
}

// sameVerdicts holds the verdicts in a file against those computed anew.
func sameVerdicts(file, anew runview.View) error {
	type key struct {
		measure, point string
		phase          run.Phase
	}
	verdicts := func(v runview.View) map[key]*runview.VerdictView {
		all := map[key]*runview.VerdictView{}
		for _, m := range v.Measures {
			for _, p := range m.Points {
				for _, d := range []*runview.VerdictView{p.Found, p.Left} {
					if d != nil {
						all[key{m.ID, p.ID, d.Phase}] = d
					}
				}
			}
		}
		return all
	}
	now := verdicts(anew)
	said := verdicts(file)
	for k, d := range said {
		n := now[k]
		if n == nil || n.Pass != d.Pass || n.Zone != d.Zone ||
			math.Abs(n.Error-d.Error) > 1e-9*max(1, math.Abs(d.Error)) {
			return fmt.Errorf("view: %s at %s, %s: the verdict in the file is not what its readings give", k.measure,
				k.point, k.phase)
		}
	}
	if len(said) != len(now) || file.Result != anew.Result {
		return fmt.Errorf("view: it is not what the events give")
	}
	return nil
}
