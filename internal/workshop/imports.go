package workshop

import (
	"bytes"
	"context"
	"errors"
	"sync"

	"northneedle/core/duty"
	"northneedle/core/person"
	"northneedle/internal/exchange"
	"northneedle/internal/ledger"

	"github.com/oklog/ulid/v2"
)

// ImportView is an import: read and waiting, under way, or ended.
type ImportView struct {
	ID      string             `json:"id"`
	Kind    string             `json:"kind" enum:"assets,standards,histories,instruments"`
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

// register is what stands in the ledger, for an import to look at.
type registered struct {
	tags        map[string]string
	standards   map[string]bool
	instruments *instrumentList
}

// HasAsset is the id of the device with a tag.
func (r registered) HasAsset(tag string) (string, bool) { id, ok := r.tags[tag]; return id, ok }

// HasStandard reports whether there is a reference with a tag.
func (r registered) HasStandard(tag string) bool { return r.standards[tag] }

// Takes refuses an instrument that cannot stand beside the others.
func (r registered) Takes(i exchange.Instrument) error {
	_, err := r.instruments.take(i)
	return err
}

// ReadImport reads a CSV file of a kind (assets, standards, histories, instruments): what can be imported, and every row that
// cannot. Nothing of it is in the record yet.
func (ws *Workshop) ReadImport(kind string, text []byte) (ImportView, error) {
	known := registered{standards: map[string]bool{}}
	var err error
	if known.tags, err = ws.Ledger.Tags(); err != nil {
		return ImportView{}, err
	}
	standards, err := ws.Ledger.Standards("")
	if err != nil {
		return ImportView{}, err
	}
	for _, s := range standards {
		known.standards[s.Tag] = true
	}
	if known.instruments, err = ws.instrumentList(); err != nil {
		return ImportView{}, err
	}
	file, err := exchange.ReadImport(kind, bytes.NewReader(text), known, ws.Clock())
	if err != nil {
		return ImportView{}, invalid("file", Sentence(err)+" Nothing was imported.")
	}
	j := &importJob{file: file, ImportView: ImportView{ID: ulid.Make().String(), Kind: kind, Rows: len(file.Rows),
		Refused: file.Refused, Count: file.Count, Ignored: file.Ignored, State: "read"}}
	ws.imports.put(j)
	return j.ImportView, nil
}

// ImportState is how far an import is.
func (ws *Workshop) ImportState(id string) (ImportView, error) {
	return ws.imports.change(id, func(*importJob) error { return nil })
}

// RunImport imports what was read, or stops it: then nothing of it stays.
func (ws *Workshop) RunImport(id string, forward bool, who person.Person) (ImportView, error) {
	return ws.imports.change(id, func(j *importJob) error {
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
		if j.Kind == exchange.Instruments {
			ws.importInstruments(j, who)
			return nil
		}
		records := ws.importRecords(j.file)
		ctx, stop := context.WithCancel(context.Background())
		j.stop, j.State, j.All = stop, "running", len(records)
		go ws.takeIn(ctx, id, ws.act("", j.file.Kind+" imported", who, ""), records)
		return nil
	})
}

func (ws *Workshop) takeIn(ctx context.Context, id string, act ledger.Act, records []any) {
	err := ws.Ledger.TakeIn(ctx, act, records, func(done int) {
		ws.imports.change(id, func(j *importJob) error { j.Done = done; return nil })
	})
	ws.imports.change(id, func(j *importJob) error {
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
	ws.changes.tell("", 0)
}

// importRecords are the records of an import; a device comes with what recurs on it.
func (ws *Workshop) importRecords(file *exchange.Import) []any {
	now := ws.Clock()
	today := dayOf(now)
	var records []any
	for _, row := range file.Rows {
		switch {
		case row.Asset != nil:
			records = append(records, row.Asset)
			for _, d := range duty.DutiesOf(ws.templates(), row.Asset.Family, row.Asset.Maker+" "+row.Asset.Model) {
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
