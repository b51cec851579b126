package api

import (
	"bytes"
	"context"
	"errors"
	"net/http"
	"sync"

	"northneedle/core/duty"
	"northneedle/core/person"
	"northneedle/internal/exchange"
	"northneedle/internal/ledger"

	"github.com/danielgtaylor/huma/v2"
	"github.com/oklog/ulid/v2"
)

// maxImport is the largest file that is imported.
const maxImport = 64 << 20

// ImportView is an import: read and waiting, under way, or ended.
type ImportView struct {
	ID      string             `json:"id"`
	Kind    string             `json:"kind"`
	Rows    int                `json:"rows" doc:"that can be imported"`
	Refused []exchange.Refused `json:"refused" doc:"the first of them"`
	Count   int                `json:"count" doc:"of all refused"`
	Ignored []string           `json:"ignored" doc:"columns that are not read"`
	State   string             `json:"state" enum:"read,running,done,cancelled,failed"`
	Done    int                `json:"done"`
	All     int                `json:"all"`
	Why     string             `json:"why,omitempty"`
}

// imports are those that were read lately: at most a few, since they are held in memory.
type imports struct {
	mutex sync.Mutex
	jobs  map[string]*importJob
	order []string
}

type importJob struct {
	ImportView
	file *exchange.Import
	stop context.CancelFunc
}

// heldImports is how many read files are held.
const heldImports = 3

func (m *imports) put(j *importJob) {
	m.mutex.Lock()
	defer m.mutex.Unlock()
	if m.jobs == nil {
		m.jobs = map[string]*importJob{}
	}
	m.jobs[j.ID], m.order = j, append(m.order, j.ID)
	for len(m.order) > heldImports && m.jobs[m.order[0]].State != "running" {
		delete(m.jobs, m.order[0])
		m.order = m.order[1:]
	}
}

// change changes a job, and gives what it is then.
func (m *imports) change(id string, change func(*importJob) error) (ImportView, error) {
	m.mutex.Lock()
	defer m.mutex.Unlock()
	j := m.jobs[id]
	if j == nil {
		return ImportView{}, ledger.ErrNotFound
	}
	err := change(j)
	return j.ImportView, err
}

func registerImports(api huma.API, h *House) {
	serve(api, operation{"read-import", http.MethodPost, "/api/imports",
		"Read a CSV file: what can be imported, and every row that cannot", person.Import, maxImport, nil},
		func(ctx context.Context, in *struct {
			Kind    string `query:"kind" enum:"assets,standards,histories" required:"true"`
			RawBody []byte `contentType:"text/csv"`
		}) (out ImportView, err error) {
			view, err := h.readImport(in.Kind, in.RawBody)
			return view, err
		})
	serve(api, operation{"import-state", http.MethodGet, "/api/imports/{id}", "How far an import is", person.Look, 0,
		nil},
		func(_ context.Context, in *struct {
			ID string `path:"id" maxLength:"60"`
		}) (out ImportView, err error) {
			view, err := h.imports.change(in.ID, func(*importJob) error { return nil })
			return view, err
		})
	serve(api, operation{"change-import", http.MethodPost, "/api/imports/{id}", "Import what was read, or stop",
		person.Import, 0, nil},
		func(ctx context.Context, in *struct {
			ID   string `path:"id" maxLength:"60"`
			Body struct {
				Go bool `json:"go" doc:"false stops it: nothing of it stays"`
			}
		}) (out ImportView, err error) {
			view, err := h.runImport(in.ID, in.Body.Go, who(ctx))
			return view, err
		})
}

// register is what stands in the ledger, for an import to look at.
type registered struct {
	tags      map[string]string
	standards map[string]bool
}

func (r registered) HasAsset(tag string) (string, bool) { id, ok := r.tags[tag]; return id, ok }
func (r registered) HasStandard(tag string) bool        { return r.standards[tag] }

func (h *House) readImport(kind string, text []byte) (ImportView, error) {
	known := registered{standards: map[string]bool{}}
	var err error
	if known.tags, err = h.Ledger.Tags(); err != nil {
		return ImportView{}, err
	}
	standards, err := h.Ledger.Standards("")
	if err != nil {
		return ImportView{}, err
	}
	for _, s := range standards {
		known.standards[s.Tag] = true
	}
	file, err := exchange.ReadImport(kind, bytes.NewReader(text), known, h.Clock())
	if err != nil {
		return ImportView{}, invalid("file", sentence(err)+" Nothing was imported.")
	}
	j := &importJob{file: file, ImportView: ImportView{ID: ulid.Make().String(), Kind: kind, Rows: len(file.Rows),
		Refused: file.Refused, Count: file.Count, Ignored: file.Ignored, State: "read"}}
	h.imports.put(j)
	return j.ImportView, nil
}

func (h *House) runImport(id string, forward bool, who person.Person) (ImportView, error) {
	return h.imports.change(id, func(j *importJob) error {
		if !forward {
			if j.stop != nil {
				j.stop()
			}
			if j.State == "read" {
				j.State = "cancelled"
			}
			return nil
		}
		if j.State != "read" {
			return nil // sent again
		}
		records := h.importRecords(j.file)
		ctx, stop := context.WithCancel(context.Background())
		j.stop, j.State, j.All = stop, "running", len(records)
		go h.takeIn(ctx, id, h.act("", j.file.Kind+" imported", who, ""), records)
		return nil
	})
}

func (h *House) takeIn(ctx context.Context, id string, act ledger.Act, records []any) {
	err := h.Ledger.TakeIn(ctx, act, records, func(done int) {
		h.imports.change(id, func(j *importJob) error { j.Done = done; return nil })
	})
	h.imports.change(id, func(j *importJob) error {
		j.file = nil
		switch {
		case err == nil:
			j.State = "done"
		case errors.Is(err, context.Canceled):
			j.State, j.Why, j.Done = "cancelled", "It was stopped; nothing of it stays.", 0
		default:
			j.State, j.Why, j.Done = "failed", err.Error()+" Nothing of it stays.", 0
		}
		return nil
	})
	h.changes.tell("", 0)
}

// importRecords are the records of an import; a device comes with what recurs on it.
func (h *House) importRecords(file *exchange.Import) []any {
	now := h.Clock()
	today := dayOf(now)
	var records []any
	for _, row := range file.Rows {
		switch {
		case row.Asset != nil:
			records = append(records, row.Asset)
			for _, d := range duty.DutiesOf(h.templates(), row.Asset.Family, row.Asset.Maker+" "+row.Asset.Model) {
				records = append(records, ledger.NewActivity(row.Asset.ID+"-"+d.ID, *row.Asset, d, today,
					"first time after it was imported"))
			}
		case row.Standard != nil:
			s := row.Standard
			records = append(records, s, &ledger.StandardCertificate{
				ID:          "cert-" + s.ID,
				StandardID:  s.ID,
				Certificate: s.Certificate,
				Values:      s.Values,
				EnteredBy:   "imported",
			})
		default:
			if row.Run != nil {
				records = append(records, row.Run)
			}
			if row.Result != nil {
				records = append(records, row.Result)
			}
		}
	}
	return records
}
