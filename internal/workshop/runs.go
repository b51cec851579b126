package workshop

import (
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"

	"northneedle/core/person"
	"northneedle/core/procedure"
	"northneedle/core/run"
	"northneedle/core/runview"
	"northneedle/internal/capture"
	"northneedle/internal/ledger"
)

// RunOrder opens a run on a device.
type RunOrder struct {
	ID        string `json:"id" minLength:"8" maxLength:"60" doc:"made by the client; a retry with the same id opens nothing twice"`
	Asset     string `json:"asset" doc:"id or tag"`
	Procedure string `json:"procedure,omitempty" doc:"left out: the one that fits the device"`
	Replaces  string `json:"replaces,omitempty" maxLength:"60" doc:"a signed run that this one takes the place of"`
	Reason    string `json:"reason,omitempty" maxLength:"1000" doc:"why it is replaced"`
	Under     string `json:"under,omitempty" maxLength:"60" doc:"whom whoever opens it works under, who may not do the device alone"`
}

// Sequence has a run's linked points read one after another, or stops that.
func (ws *Workshop) Sequence(id string, on bool, who person.Person) ([]capture.State, error) {
	if on {
		if err := ws.sequences.Start(id, who); err != nil {
			return nil, err
		}
		return ws.sequences.States(), nil
	}
	starter := ws.sequences.Starter(id)
	if err := mayDo(who, person.StopSequences); err != nil && starter != "" && starter != who.ID {
		return nil, err
	}
	ws.sequences.Stop(id)
	return ws.sequences.States(), nil
}

// Run is a run as it stands.
func (ws *Workshop) Run(id string) (v runview.View, err error) {
	r, err := ws.Ledger.Run(id)
	if err != nil {
		return v, err
	}
	return ws.RunView(r), nil
}

// RunView is a run as it is shown now.
func (ws *Workshop) RunView(r run.Run) runview.View {
	view := runview.Of(r, ws.Clock())
	for i := range view.Measures {
		m := &view.Measures[i]
		if m.Capture == nil {
			continue
		}
		if source, err := ws.Bench.For(r, r.Procedure.Measure(m.ID)); err == nil {
			m.Link = source.ID
		}
	}
	if state, err := ws.stateInRun(r.Device.ID); err == nil {
		view.Stands = &state
	}
	if r.Status == run.Open {
		ws.readResults(r, &view)
	}
	if r.Status == run.Signed {
		if row, err := ws.Ledger.RunRow(r.ID); err == nil {
			view.ReplacedBy = row.ReplacedBy
		}
	}
	return view
}

// mostOpen is how many runs somebody may have open.
const mostOpen = 60

// OpenRun opens a run on a device: by the procedure that was wanted, or the one that fits.
func (ws *Workshop) OpenRun(wanted RunOrder, who person.Person) (run.Run, error) {
	if open, err := ws.Ledger.OpenBy(who.ID); err != nil || open >= mostOpen {
		return run.Run{}, errors.Join(err, &run.Refusal{Kind: run.Conflict, Code: "many-open",
			Message: fmt.Sprintf("You have %d runs open: sign some, or give them up, first.", open)})
	}
	a, err := ws.Ledger.Asset(wanted.Asset)
	if err != nil {
		return run.Run{}, err
	}
	if a.Status == ledger.Gone {
		return run.Run{}, &run.Refusal{
			Kind:    run.Conflict,
			Code:    "retired",
			Field:   "asset",
			Message: a.Tag + " is retired: no run can be opened on it.",
		}
	}
	state, err := ws.state(a.ID)
	if err != nil {
		return run.Run{}, err
	}
	i := slices.IndexFunc(ws.procedures(), func(p *procedure.Procedure) bool {
		return p.ID == wanted.Procedure && p.Fits(a.Family) || wanted.Procedure == "" && p.Family == a.Family && p.Next.Each == "" && !p.Maintains
	})
	if i < 0 {
		return run.Run{}, &run.Refusal{
			Kind:  run.Conflict,
			Code:  "no-procedure",
			Field: "procedure",
			Message: strings.Join(strings.Fields("There is no procedure "+wanted.Procedure+" for a "+a.Family+" yet."),
				" "),
		}
	}
	// A device that is not to be used is repaired all the same: what measures nothing brings nothing back into use.
	if p := ws.procedures()[i]; !p.Maintains && !state.May(p.ID) && wanted.Replaces == "" {
		return run.Run{}, &run.Refusal{
			Kind:  run.Conflict,
			Code:  "not-to-be-used",
			Field: "procedure",
			Message: fmt.Sprintf("%s is not to be used. %s Only what can lift that is opened: %s.", a.Tag, state.Words,
				strings.Join(ws.liftedBy(state), ", ")),
		}
	}
	if err := ws.replaceable(wanted.Replaces, a); err != nil {
		return run.Run{}, err
	}
	lab, err := ws.Lab()
	if err != nil {
		return run.Run{}, err
	}
	p := ws.procedures()[i]
	device := a.Device()
	device.Settings = withConventions(device.Settings, lab.Conventions)
	if device.Height, err = ws.height(a.Site); err != nil {
		return run.Run{}, err
	}
	open := run.OpenRun{RunOpened: run.RunOpened{Procedure: p.ID, Revision: p.Revision, Hash: p.Hash, Device: device,
		Lab: lab, Replaces: wanted.Replaces, Reason: wanted.Reason}}
	if wanted.Under != "" {
		under, err := ws.colleague(wanted.Under, "under")
		if err != nil {
			return run.Run{}, err
		}
		open.Under = &under
	}
	if slices.ContainsFunc(p.Measures(), func(m *procedure.Measure) bool { return m.Trend != nil }) {
		if open.Earlier, err = ws.Ledger.EarlierOf(a.ID, p.ID); err != nil {
			return run.Run{}, err
		}
	}
	return ws.Ledger.Begin(p, ledger.Command{ID: wanted.ID, Do: open, Order: run.Order{At: ws.Clock(), By: who}})
}

// height is how high a site lies above the sea, in m; nil where that is not known.
func (ws *Workshop) height(site string) (*float64, error) {
	day, err := ws.workingDay()
	for _, s := range day.Sites {
		if s.Name == site && s.Height != nil {
			height := float64(*s.Height)
			return &height, err
		}
	}
	return nil, err
}

// withConventions is a device's settings, with the lab's conventions where it has none of
// its own.
func withConventions(own, lab map[string]string) map[string]string {
	all := maps.Clone(lab)
	if all == nil {
		return own
	}
	maps.Copy(all, own)
	return all
}

// replaceable says whether a run may be replaced by a new one on a device.
func (ws *Workshop) replaceable(id string, a ledger.Asset) error {
	if id == "" {
		return nil
	}
	old, err := ws.Ledger.RunRow(id)
	switch {
	case err != nil:
		return err
	case old.AssetID != a.ID:
		return invalid("replaces", "That run was made on "+old.Tag+", not on "+a.Tag+".")
	case old.Status != run.Signed:
		return invalid("replaces", "Only a signed run is replaced; that one is "+string(old.Status)+".")
	case old.ReplacedBy != "":
		return invalid("replaces", "That run has been replaced already: replace the one that took its place.")
	}
	return nil
}
