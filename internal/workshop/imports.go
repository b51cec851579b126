package workshop

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"strings"
	"sync"

	"northneedle/core/person"
	"northneedle/core/run"
	"northneedle/internal/exchange"
	"northneedle/internal/ledger"

	"github.com/oklog/ulid/v2"
)

// ImportView is an import: read and waiting, under way, or ended.
type ImportView struct {
	ID      string             `json:"id"`
	Kind    string             `json:"kind" enum:"assets,standards,histories,instruments,competences"`
	Rows    int                `json:"rows" doc:"of the file that can be imported"`
	Refused []exchange.Refused `json:"refused" doc:"the first of them"`
	Count   int                `json:"count" doc:"of all refused"`
	Ignored []string           `json:"ignored" doc:"columns that are not read"`
	State   string             `json:"state" enum:"read,running,done,cancelled,failed"`
	Done    int                `json:"done"`
	All     int                `json:"all"`
	Why     string             `json:"why,omitempty"`

	Changes []ImportChange `json:"changes" doc:"the first of what it changes of devices that are in the register already"`
	Changed int            `json:"changed" doc:"how many of them it changes; that needs a reason"`
	Same    int            `json:"same" doc:"how many of them it leaves as they are"`
}

// imports are those that were read lately: at most a few, since they are held in memory.
type imports struct {
	mutex sync.Mutex
	jobs  map[string]*importJob
	order []string
}

type importJob struct {
	ImportView
	file    *exchange.Import
	as      string
	refused []byte // what was, as a file
	stop    context.CancelFunc
}

// shownOfImport is how many refusals, and how many changes, are shown. All refusals are in the file of them.
const shownOfImport = 200

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
		return ImportView{}, refuse("import-gone",
			"What was read is not held any more: the server was started anew, or others were read since. Read it again: what came in already is said.")
	}
	err := change(j)
	return j.ImportView, err
}

// registered is what stands in the ledger, for an import to look at.
type registered struct {
	tags        map[string]string
	standards   map[string]string
	runs        map[string]bool
	instruments *instrumentList
	people      *personList
}

// HasAsset is the id of the device with a tag.
func (r registered) HasAsset(tag string) (string, bool) { id, ok := r.tags[tag]; return id, ok }

// HasStandard is the id of the reference with a tag.
func (r registered) HasStandard(tag string) (string, bool) { id, ok := r.standards[tag]; return id, ok }

// HasRun reports whether there is a run with an id.
func (r registered) HasRun(id string) bool { return r.runs[id] }

// Takes refuses an instrument that cannot stand beside the others.
func (r registered) Takes(i exchange.Instrument) error {
	_, err := r.instruments.take(i)
	return err
}

// Registers refuses somebody who cannot be registered.
func (r registered) Registers(p exchange.Person) error { return r.people.registers(p) }

// Names refuses what cannot be put on record of who may do what alone.
func (r registered) Names(c exchange.Competence) error {
	_, err := r.people.competence(c)
	return err
}

// registered reads what stands in the ledger, as far as an import of a kind asks for it.
func (ws *Workshop) registered(kind string, who person.Person) (known registered, err error) {
	known.standards = map[string]string{}
	if known.people, err = ws.personList(who); err != nil || kind == exchange.People {
		return known, err
	}
	if known.tags, err = ws.Ledger.Tags(); err != nil {
		return known, err
	}
	if kind == exchange.Histories {
		if known.runs, err = ws.Ledger.RunIDs(); err != nil {
			return known, err
		}
	}
	standards, err := ws.Ledger.Standards("")
	if err != nil {
		return known, err
	}
	for _, s := range standards {
		known.standards[s.Tag] = s.ID
	}
	known.instruments, err = ws.instrumentList()
	return known, err
}

// ImportFile is a list to read: what of, in which order it writes days, and whether it may change what is known.
type ImportFile struct {
	Kind   string
	As     string // what the events are called; empty: by the kind
	Days   string // an [exchange.DayForm]
	Update bool
	Body   []byte
}

// ReadImport reads a list of a kind, as text or as a workbook: what can be imported, and every row that cannot. Nothing of it
// is in the record yet.
func (ws *Workshop) ReadImport(f ImportFile, who person.Person) (ImportView, error) {
	known, err := ws.registered(f.Kind, who)
	if err != nil {
		return ImportView{}, err
	}
	file, err := exchange.ReadImport(f.Kind, f.Body, known, exchange.Reading{Now: ws.Clock(),
		Days: exchange.DayForm(f.Days), Update: f.Update})
	if err != nil {
		return ImportView{}, invalid("file", Sentence(err)+" Nothing was imported.")
	}
	j := &importJob{file: file, as: cmp.Or(f.As, f.Kind+" imported"), ImportView: ImportView{ID: ulid.Make().String(),
		Kind: f.Kind, Ignored: file.Ignored,
		State: "read", Changes: []ImportChange{}}}
	if f.Update {
		updates, err := ws.updates(file, "", who, func(row exchange.Row, why *run.Refusal) {
			file.Refuse(row, why.Field, why.Message)
		})
		if err != nil {
			return ImportView{}, err
		}
		for _, u := range updates {
			if len(u.changes) == 0 {
				j.Same++
				continue
			}
			j.Changed++
			if len(j.Changes) < shownOfImport {
				j.Changes = append(j.Changes, u.changes...)
			}
		}
	}
	if j.refused, err = file.RefusedTable().CSV(); err != nil {
		return ImportView{}, err
	}
	j.Rows, j.Count = file.Lines, len(file.Refused)
	j.Refused = file.Refused[:min(len(file.Refused), shownOfImport)]
	ws.imports.put(j)
	return j.ImportView, nil
}

// RefusedRows are the rows of a list that cannot be imported, in its own columns and with why: to be mended, and read again.
func (ws *Workshop) RefusedRows(id string) (f File, err error) {
	_, err = ws.imports.change(id, func(j *importJob) error {
		f = File{Name: "refused-" + j.Kind + ".csv", Type: "text/csv; charset=utf-8", Save: true, Body: j.refused}
		return nil
	})
	return f, err
}

// ImportState is how far an import is.
func (ws *Workshop) ImportState(id string) (ImportView, error) {
	return ws.imports.change(id, func(*importJob) error { return nil })
}

// RunImport imports what was read, or stops it: then nothing of it stays. What changes known devices needs a reason.
func (ws *Workshop) RunImport(id string, forward bool, reason string, who person.Person) (ImportView, error) {
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
		if reason = strings.TrimSpace(reason); j.Changed > 0 && reason == "" {
			return invalid("reason", fmt.Sprintf("Say why %s changed: it stands in their histories.", devicesAre(j.Changed)))
		}
		records, changed, err := ws.importRecords(j.file, reason, who)
		if err != nil {
			return err
		}
		ctx, stop := context.WithCancel(context.Background())
		j.stop, j.State, j.All = stop, "running", len(records)
		go ws.takeIn(ctx, id, ws.act("", j.as, who, reason), records, changed)
		return nil
	})
}

func (ws *Workshop) takeIn(ctx context.Context, id string, act ledger.Act, records, changed []any) {
	err := ws.Ledger.TakeIn(ctx, act, records, changed, func(done int) {
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
			j.State, j.Why, j.Done = "failed", Sentence(err)+" Nothing of it stays.", 0
		}
		return nil
	})
	ws.changes.tell("", 0)
}

// devicesAre counts devices as the subject of a sentence.
func devicesAre(n int) string {
	if n == 1 {
		return "one device is"
	}
	return fmt.Sprintf("%d devices are", n)
}
