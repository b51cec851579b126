package api

import (
	"context"
	"net/http"
	"slices"
	"strings"

	"northneedle/core/procedure"
	"northneedle/internal/ledger"
	"northneedle/internal/sequence"
	"northneedle/procedures"

	"github.com/danielgtaylor/huma/v2"
)

// RunPath names a run in an address.
type RunPath struct {
	ID string `path:"id" maxLength:"60"`
}

type runOutput struct{ Body procedure.View }

func registerRuns(api huma.API, h *House) {
	huma.Register(api, huma.Operation{OperationID: "open-run", Method: http.MethodPost, Path: "/api/runs", Summary: "Open a run on a device"},
		func(ctx context.Context, in *struct {
			Body struct {
				ID        string `json:"id" minLength:"8" maxLength:"60" doc:"made by the client; a retry with the same id opens nothing twice"`
				Asset     string `json:"asset" doc:"id or tag"`
				Procedure string `json:"procedure,omitempty" doc:"left out: the one that fits the device"`
			}
		}) (*runOutput, error) {
			run, err := h.openRun(in.Body.ID, in.Body.Asset, in.Body.Procedure, person(ctx))
			if err != nil {
				return nil, fail(err)
			}
			return h.runView(run), nil
		})
	huma.Register(api, huma.Operation{OperationID: "sequence", Method: http.MethodPost, Path: "/api/runs/{id}/sequence", Summary: "Have a run's linked points read one after another, or stop that"},
		func(ctx context.Context, in *struct {
			RunPath
			Body struct {
				On bool `json:"on"`
			}
		}) (*struct{ Body []sequence.State }, error) {
			if in.Body.On {
				if err := h.sequences.Start(in.ID, person(ctx)); err != nil {
					return nil, fail(err)
				}
			} else {
				h.sequences.Stop(in.ID)
			}
			return &struct{ Body []sequence.State }{h.sequences.States()}, nil
		})
	huma.Register(api, huma.Operation{OperationID: "run", Method: http.MethodGet, Path: "/api/runs/{id}", Summary: "A run as it stands"},
		func(ctx context.Context, in *RunPath) (*runOutput, error) {
			run, err := h.Ledger.Run(in.ID)
			if err != nil {
				return nil, fail(err)
			}
			return h.runView(run), nil
		})
}

func (h *House) runView(run procedure.Run) *runOutput { return &runOutput{run.View(h.Clock())} }

func (h *House) openRun(command, asset, wanted string, who procedure.Person) (procedure.Run, error) {
	a, err := h.Ledger.Asset(asset)
	if err != nil {
		return procedure.Run{}, err
	}
	if a.Status == ledger.Gone {
		return procedure.Run{}, &procedure.Refusal{Kind: procedure.Conflict, Code: "retired", Field: "asset", Message: a.Tag + " is retired: no run can be opened on it."}
	}
	i := slices.IndexFunc(h.Procedures, func(p procedure.Procedure) bool {
		return p.ID == wanted || wanted == "" && p.Family == a.Family && p.Next.Each == ""
	})
	if i < 0 {
		return procedure.Run{}, &procedure.Refusal{Kind: procedure.Conflict, Code: "no-procedure", Field: "procedure", Message: strings.Join(strings.Fields("There is no procedure "+wanted+" for a "+a.Family+" yet."), " ")}
	}
	lab, err := h.lab()
	if err != nil {
		return procedure.Run{}, err
	}
	p := h.Procedures[i]
	hash := procedures.Hash(p)
	open := procedure.OpenRun{RunOpened: procedure.RunOpened{Procedure: p.ID, Revision: p.Revision, Hash: hash, Device: a.Device(), Lab: lab}}
	return h.Ledger.Begin(p, hash, ledger.Command{ID: command, Do: open, Order: procedure.Order{At: h.Clock(), By: who}})
}
