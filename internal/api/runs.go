package api

import (
	"context"
	"maps"
	"net/http"
	"slices"
	"strings"

	"northneedle/core/person"
	"northneedle/core/procedure"
	"northneedle/core/run"
	"northneedle/core/runview"
	"northneedle/internal/capture"
	"northneedle/internal/ledger"

	"github.com/danielgtaylor/huma/v2"
)

// RunPath names a run in an address.
type RunPath struct {
	ID string `path:"id" maxLength:"60"`
}

func registerRuns(api huma.API, h *House) {
	serve(api, operation{"open-run", http.MethodPost, "/api/runs", "Open a run on a device", person.WorkRuns, 0, nil},
		func(ctx context.Context, in *struct {
			Body struct {
				ID        string `json:"id" minLength:"8" maxLength:"60" doc:"made by the client; a retry with the same id opens nothing twice"`
				Asset     string `json:"asset" doc:"id or tag"`
				Procedure string `json:"procedure,omitempty" doc:"left out: the one that fits the device"`
				Replaces  string `json:"replaces,omitempty" maxLength:"60" doc:"a signed run that this one takes the place of"`
				Reason    string `json:"reason,omitempty" maxLength:"1000" doc:"why it is replaced"`
			}
		}) (out runview.View, err error) {
			run, err := h.openRun(in.Body.ID, run.RunOpened{Procedure: in.Body.Procedure, Replaces: in.Body.Replaces,
				Reason: in.Body.Reason}, in.Body.Asset, who(ctx))
			if err != nil {
				return out, err
			}
			return h.runView(run), nil
		})
	serve(api, operation{"sequence", http.MethodPost, "/api/runs/{id}/sequence",
		"Have a run's linked points read one after another, or stop that", person.WorkRuns, 0, nil},
		func(ctx context.Context, in *struct {
			RunPath
			Body struct {
				On bool `json:"on"`
			}
		}) (out []capture.State, err error) {
			if in.Body.On {
				if err := h.sequences.Start(in.ID, who(ctx)); err != nil {
					return nil, err
				}
			} else {
				starter := h.sequences.Starter(in.ID)
				if err := mayDo(ctx, person.StopSequences); err != nil && starter != "" && starter != who(ctx).ID {
					return nil, err
				}
				h.sequences.Stop(in.ID)
			}
			return h.sequences.States(), nil
		})
	serve(api, operation{"run", http.MethodGet, "/api/runs/{id}", "A run as it stands", person.Look, 0, nil},
		func(ctx context.Context, in *RunPath) (out runview.View, err error) {
			run, err := h.Ledger.Run(in.ID)
			if err != nil {
				return out, err
			}
			return h.runView(run), nil
		})
}

func (h *House) runView(r run.Run) runview.View {
	view := runview.Of(r, h.Clock())
	if r.Status == run.Signed {
		if row, err := h.Ledger.RunRow(r.ID); err == nil {
			view.ReplacedBy = row.ReplacedBy
		}
	}
	return view
}

// openRun opens a run on a device: by the procedure that was wanted, or the one that fits.
func (h *House) openRun(command string, wanted run.RunOpened, asset string, who person.Person) (run.Run, error) {
	a, err := h.Ledger.Asset(asset)
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
	i := slices.IndexFunc(h.procedures(), func(p *procedure.Procedure) bool {
		return p.ID == wanted.Procedure || wanted.Procedure == "" && p.Family == a.Family && p.Next.Each == ""
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
	if err := h.replaceable(wanted.Replaces, a); err != nil {
		return run.Run{}, err
	}
	lab, err := h.lab()
	if err != nil {
		return run.Run{}, err
	}
	p := h.procedures()[i]
	device := a.Device()
	device.Settings = withConventions(device.Settings, lab.Conventions)
	hash := p.Hash
	open := run.OpenRun{RunOpened: run.RunOpened{Procedure: p.ID, Revision: p.Revision, Hash: hash, Device: device,
		Lab: lab, Replaces: wanted.Replaces, Reason: wanted.Reason}}
	return h.Ledger.Begin(p, ledger.Command{ID: command, Do: open, Order: run.Order{At: h.Clock(), By: who}})
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
func (h *House) replaceable(id string, a ledger.Asset) error {
	if id == "" {
		return nil
	}
	old, err := h.Ledger.RunRow(id)
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
