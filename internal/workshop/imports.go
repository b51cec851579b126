package workshop

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"
	"sync"
	"time"

	"northneedle/core/duty"
	"northneedle/core/person"
	"northneedle/core/procedure"
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
		records, changed, err := ws.importRecords(j.file, who)
		if err != nil {
			return err
		}
		ctx, stop := context.WithCancel(context.Background())
		j.stop, j.State, j.All = stop, "running", len(records)
		go ws.takeIn(ctx, id, ws.act("", j.file.Kind+" imported", who, ""), records, changed)
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
			j.State, j.Why, j.Done = "failed", err.Error()+" Nothing of it stays.", 0
		}
		return nil
	})
	ws.changes.tell("", 0)
}

// importRecords are the records of an import: a device comes with what recurs on it, as the list says it stands. changed are
// duties that are there already, and were done by what a history says.
func (ws *Workshop) importRecords(file *exchange.Import, who person.Person) (records, changed []any, err error) {
	now := ws.Clock()
	today := dayOf(now)
	newest := map[string]map[string]time.Time{} // of what was passed, by device and title
	for _, row := range file.Rows {
		switch {
		case row.Asset != nil:
			records = append(records, row.Asset)
			duties := duty.DutiesOf(ws.templates(), row.Asset.Family, row.Asset.Maker+" "+row.Asset.Model)
			main := duty.Main(duties)
			for i, d := range duties {
				a := ledger.NewActivity(row.Asset.ID+"-"+d.ID, *row.Asset, d, today, "first time after it was imported")
				if i == main {
					if err := keptUp(a, row.Upkeep, who.Name, now); err != nil {
						return nil, nil, err
					}
				}
				records = append(records, a)
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
				if of := row.Run.AssetID; row.Run.Result.Passed() {
					if newest[of] == nil {
						newest[of] = map[string]time.Time{}
					}
					if on := *row.Run.EndedAt; on.After(newest[of][row.Run.Title]) {
						newest[of][row.Run.Title] = on
					}
				}
			}
			if row.Result != nil {
				records = append(records, row.Result)
			}
		}
	}
	changed, err = ws.doneBefore(newest)
	return records, changed, err
}

// keptUp brings a duty to where a list says it stands.
func keptUp(a *ledger.Activity, u exchange.Upkeep, by string, now time.Time) error {
	if u.Months > 0 && u.Months != a.Duty.Months && !(a.Duty.Fixed && u.Months > a.Duty.Months) {
		a.Duty.Months, a.Duty.Days = u.Months, 0
		a.Accepted = ledger.AcceptedInterval{Because: "As the imported list says.", By: by, On: &now}
	}
	r := a.Recurring()
	if u.Last != nil {
		if err := r.Done(*u.Last); err != nil {
			return err
		}
	}
	if u.Due != nil {
		r.DueOn, r.Reason = *u.Due, "the day that the imported list says"
	}
	a.Adopt(r)
	return nil
}

// doneBefore are the duties that imported histories say were done. That sets days, and lifts nothing.
func (ws *Workshop) doneBefore(newest map[string]map[string]time.Time) (changed []any, err error) {
	titles := map[string]string{}
	for _, p := range ws.procedures() {
		titles[p.ID] = procedure.Slug(p.Title)
	}
	for ids := range slices.Chunk(slices.Sorted(maps.Keys(newest)), statesAtOnce) {
		devices, err := ws.Ledger.AssetsOf(ids...)
		if err != nil {
			return nil, err
		}
		all, err := ws.Ledger.Activities(ids...)
		if err != nil {
			return nil, err
		}
		of := map[string][]ledger.Activity{}
		for _, a := range all {
			of[a.AssetID] = append(of[a.AssetID], a)
		}
		for _, id := range ids {
			touched := map[int]bool{}
			for title, on := range newest[id] {
				i := dutyOf(of[id], procedure.Slug(title), titles, ws.mainDuty(devices[id]))
				if i < 0 {
					continue
				}
				r := of[id][i].Recurring()
				if r.LastOn != nil && !on.After(*r.LastOn) || r.Undone.At != nil && !on.After(*r.Undone.At) {
					continue
				}
				if err := r.Done(on); err != nil {
					return nil, err
				}
				r.Reason = fmt.Sprintf("%s; by the history of %s", r.Reason, on.Format(time.DateOnly))
				of[id][i].Adopt(r)
				touched[i] = true
			}
			for _, i := range slices.Sorted(maps.Keys(touched)) {
				changed = append(changed, &of[id][i])
			}
		}
	}
	return changed, nil
}

// mainDuty is the main duty of a kind of device, by its id; empty where it has none.
func (ws *Workshop) mainDuty(a ledger.Asset) string {
	duties := duty.DutiesOf(ws.templates(), a.Family, a.Maker+" "+a.Model)
	if i := duty.Main(duties); i >= 0 {
		return duties[i].ID
	}
	return ""
}

// dutyOf is the place of the duty that a run of some title does: the one of that title, or by the procedure of that
// title; else the main one. It is -1 where none does.
func dutyOf(all []ledger.Activity, title string, titles map[string]string, main string) int {
	i := slices.IndexFunc(all, func(a ledger.Activity) bool {
		return procedure.Slug(a.Title) == title || a.Procedure != "" && (a.Procedure == title || titles[a.Procedure] == title)
	})
	if i >= 0 {
		return i
	}
	return slices.IndexFunc(all, func(a ledger.Activity) bool { return a.Duty.ID == main && main != "" })
}
